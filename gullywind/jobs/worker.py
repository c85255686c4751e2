"""A worker process: `python -m gullywind.jobs`. Any number may run, on any machine that sees database and media."""

import asyncio
import logging
import os
import time

import procrastinate

from gullywind.actions.context import Context
from gullywind.jobs.tasks import HEARTBEAT_S, STALLED_AFTER_S, register_tasks, rescue_stalled
from gullywind.settings import Settings
from gullywind.store.queue import driver_url

log = logging.getLogger(__name__)
RESCUE_EVERY_S, AGAIN_AFTER_S = 5.0, 2.0


def worker_app(settings: Settings, context: Context) -> procrastinate.App:
    """The queue's application with its tasks."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=driver_url(settings.database_url)))
    register_tasks(app, context)
    return app


async def work(settings: Settings, *, wait: bool = True) -> None:
    """Work until stopped; with `wait=False` until the queue is empty."""
    context = settings.context()
    try:
        await _work(worker_app(settings, context), wait)
    finally:
        # A worker that begins anew, when the database is back, must not keep the connections of the one before.
        context.database.dispose()
        context.queue.close()


async def _work(app: procrastinate.App, wait: bool) -> None:
    async with app.open_async():
        rescue = asyncio.create_task(_rescue_now_and_then(app)) if wait else None
        try:
            await app.run_worker_async(
                queues=["work"],
                concurrency=1,  # more at once is a matter of more workers
                wait=wait,
                fetch_job_polling_interval=2.0,
                update_heartbeat_interval=HEARTBEAT_S,
                stalled_worker_timeout=STALLED_AFTER_S,
                install_signal_handlers=wait,
                shutdown_graceful_timeout=2.0,
                delete_jobs="successful",
            )
        finally:
            if rescue:
                rescue.cancel()


async def _rescue_now_and_then(app: procrastinate.App) -> None:
    while True:
        try:
            await rescue_stalled(app)
        except procrastinate.exceptions.ConnectorException:
            log.info("no rescue while the database is away")
        await asyncio.sleep(RESCUE_EVERY_S)


def main() -> None:
    """Run one worker."""
    logging.basicConfig(level=logging.WARNING, format="worker: %(message)s")
    # Its pool tells of every attempt; one sentence is enough.
    logging.getLogger("psycopg.pool").setLevel(logging.CRITICAL)
    settings = Settings.from_environment()
    # A person who listens comes before work that is measured or written.
    os.nice(5)
    while True:
        try:
            asyncio.run(work(settings))
            return
        except procrastinate.exceptions.ConnectorException:
            log.warning("the database does not answer; trying again")
            time.sleep(AGAIN_AFTER_S)
