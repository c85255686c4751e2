"""Sound as it lies in a file: views and channels, facts, peaks, levels."""
