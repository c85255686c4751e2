"""Where a recorder paused or lost data: course, chain, cuts, stray windows."""
