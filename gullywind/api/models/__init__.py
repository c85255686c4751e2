"""Bodies of requests and replies."""
