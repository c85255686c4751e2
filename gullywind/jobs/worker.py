"""A worker process: `python -m gullywind.jobs`. Any number may run, on any machine that sees database and media."""

import asyncio
import logging
import os
import signal
import threading
import time

import procrastinate

from gullywind.actions.context import Context
from gullywind.actions.projects.sweep import sweep
from gullywind.actions.work.start_work import take_up_lost_work
from gullywind.core.ground.errors import GullywindError
from gullywind.jobs.tasks import HEARTBEAT_S, STALLED_AFTER_S, register_tasks, rescue_stalled
from gullywind.settings import Settings
from gullywind.store.queue import driver_url

log = logging.getLogger(__name__)
RESCUE_EVERY_S, AGAIN_AFTER_S, SWEEP_EVERY_S = 5.0, 2.0, 600.0
#: Work notices a stop between two blocks of sound; what does not is left, and taken up again at the next start.
PATIENCE_S = 1.5


def worker_app(settings: Settings, context: Context, stopping: threading.Event) -> procrastinate.App:
    """The queue's application with its tasks."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=driver_url(settings.database_url)))
    register_tasks(app, context, stopping)
    return app


async def work(settings: Settings, *, wait: bool = True, stopping: threading.Event | None = None) -> None:
    """Work until stopped; with `wait=False` until the queue is empty."""
    context = settings.context()
    stopping = stopping or threading.Event()
    try:
        await _work(worker_app(settings, context, stopping), context, wait, stopping)
    finally:
        # A worker that begins anew, when the database is back, must not keep the connections of the one before.
        context.database.dispose()
        context.queue.close()


async def _work(app: procrastinate.App, context: Context, wait: bool, stopping: threading.Event) -> None:
    async with app.open_async():
        await asyncio.to_thread(take_up_lost_work, context)
        looking = [asyncio.create_task(one) for one in (_rescue(app, context), _sweep(context))] if wait else []
        working = asyncio.ensure_future(
            app.run_worker_async(
                queues=["work"],
                concurrency=1,  # more at once is a matter of more workers
                wait=wait,
                fetch_job_polling_interval=2.0,
                update_heartbeat_interval=HEARTBEAT_S,
                stalled_worker_timeout=STALLED_AFTER_S,
                install_signal_handlers=False,
                shutdown_graceful_timeout=PATIENCE_S,
                delete_jobs="successful",
            )
        )

        def stop() -> None:
            stopping.set()
            working.cancel()

        if wait:
            for number in (signal.SIGINT, signal.SIGTERM):
                asyncio.get_running_loop().add_signal_handler(number, stop)
        try:
            await working
        except asyncio.CancelledError:
            log.info("stopped")
        finally:
            for one in looking:
                one.cancel()


async def _rescue(app: procrastinate.App, context: Context) -> None:
    """Now and then look for jobs whose worker is gone, and for work whose job is gone."""
    while True:
        try:
            await rescue_stalled(app)
            await asyncio.to_thread(take_up_lost_work, context)
        except (procrastinate.exceptions.ConnectorException, GullywindError):
            log.info("no rescue while the database is away")
        await asyncio.sleep(RESCUE_EVERY_S)


async def _sweep(context: Context) -> None:
    """Now and then delete what belongs to nobody."""
    while True:
        try:
            await asyncio.to_thread(sweep, context)
        except GullywindError as error:
            log.info("not swept: %s", error)
        await asyncio.sleep(SWEEP_EVERY_S)


def main() -> None:
    """Run one worker."""
    logging.basicConfig(level=logging.WARNING, format="worker: %(message)s")
    # Its pool tells of every attempt; one sentence is enough.
    logging.getLogger("psycopg.pool").setLevel(logging.CRITICAL)
    settings = Settings.from_environment()
    # A person who listens comes before work that is measured or written.
    os.nice(5)
    stopping = threading.Event()
    threading.Thread(target=_end_after, args=(stopping,), daemon=True).start()
    while not stopping.is_set():
        try:
            asyncio.run(work(settings, stopping=stopping))
            break
        except (procrastinate.exceptions.ConnectorException, GullywindError):
            log.warning("the database does not answer; trying again")
            time.sleep(AGAIN_AFTER_S)
    # Threads that did not notice the stop would be waited for.
    os._exit(0)


def _end_after(stopping: threading.Event) -> None:
    """Whoever stops the program is not kept waiting by one long step."""
    stopping.wait()
    time.sleep(PATIENCE_S + 0.5)
    os._exit(0)
