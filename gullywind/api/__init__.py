"""The REST API and the server of the interface."""
