"""Two recordings in, one measurement out: segments, correlation, windows, lines, bends."""
