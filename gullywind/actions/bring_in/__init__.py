"""What is done with a file that has arrived."""
