"""The job queue: tasks, the worker, retries."""
