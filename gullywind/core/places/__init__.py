"""The ways to find a place: search, weighing, the check at full rate."""
