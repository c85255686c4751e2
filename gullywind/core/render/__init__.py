"""A recording through its map into reference time: interpolation, joins, stretching."""
