"""Features that stand for the sound in the coarse search."""
