"""Routes: convert, call one action, convert back."""
