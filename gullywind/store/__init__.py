"""What is kept: tables, queries, media files."""
