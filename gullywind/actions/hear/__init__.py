"""Sound, peaks and timing for whoever listens and looks."""
