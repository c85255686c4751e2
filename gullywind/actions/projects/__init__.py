"""Projects and recordings as a whole: made, changed, removed, and room on disk."""
