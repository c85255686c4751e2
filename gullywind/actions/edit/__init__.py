"""Change a version by hand, and go back and forth in what was done."""
