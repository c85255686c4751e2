"""Find where recordings lie: files of the command line and recordings of a project, by the same core."""
