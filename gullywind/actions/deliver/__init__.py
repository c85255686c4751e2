"""Write aligned files."""
