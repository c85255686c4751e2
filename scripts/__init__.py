"""Set-up, serving, measuring, checking."""
