"""`python -m gullywind.jobs`: one worker process."""

from gullywind.jobs.worker import main

main()
