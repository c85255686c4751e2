"""One verb per file: what the API, the jobs and the command line share."""
