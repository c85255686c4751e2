"""Tasks of the queue: each does one piece of work; `rescue_stalled` takes up what a killed worker left."""

import asyncio
import logging
import threading
from collections.abc import Callable
from uuid import UUID

import procrastinate

from gullywind.actions.bring_in.listen_for_recording import listen_for_recording
from gullywind.actions.context import Context
from gullywind.actions.deliver.write_delivery import write_delivery
from gullywind.actions.edit.match_recording import match_recording
from gullywind.actions.hear.performances import PerformanceCache
from gullywind.actions.hear.prove_recording import prove_recording
from gullywind.actions.place.place_recording import ReferenceCache, place_recording
from gullywind.actions.work.run_work import run_work
from gullywind.core.ground.errors import NotFoundError
from gullywind.core.ground.units import Checkpoint

log = logging.getLogger(__name__)
#: A worker beats every 3 s; one that was silent for 15 s is dead.
HEARTBEAT_S, STALLED_AFTER_S = 3.0, 15.0
SETTLE_S = 0.6


def register_tasks(app: procrastinate.App, context: Context, stopping: threading.Event) -> None:
    """Add all tasks to a queue's application; where `stopping` is set, they put their work back."""
    cache, performed = ReferenceCache(), PerformanceCache()

    async def run(work_id: str, do: Callable[[UUID, UUID | None, Checkpoint], None]) -> None:
        # In a thread, so that the worker's heartbeat goes on.
        await asyncio.to_thread(run_work, context, UUID(work_id), do, stopping=stopping)

    @app.task(name="listen", queue="work")
    async def listen(work_id: str) -> None:
        await run(work_id, lambda _, recording_id, tell: listen_for_recording(context, _required(recording_id), tell))

    @app.task(name="place", queue="work")
    async def place(work_id: str) -> None:
        def do(_: UUID, recording_id: UUID | None, tell: Checkpoint) -> None:
            place_recording(context, UUID(work_id), _required(recording_id), cache, performed, tell)

        await run(work_id, do)

    @app.task(name="match", queue="work")
    async def match(work_id: str) -> None:
        def do(_: UUID, recording_id: UUID | None, tell: Checkpoint) -> None:
            match_recording(context, UUID(work_id), _required(recording_id), performed, tell)

        await run(work_id, do)

    @app.task(name="prove", queue="work")
    async def prove(work_id: str) -> None:
        # Who nudges once nudges again: one proof when the hand rests, and hearing the change comes first.
        await asyncio.sleep(SETTLE_S)

        def do(_: UUID, recording_id: UUID | None, tell: Checkpoint) -> None:
            prove_recording(context, _required(recording_id), performed, tell)

        await run(work_id, do)

    @app.task(name="deliver", queue="work")
    async def deliver(work_id: str) -> None:
        await run(work_id, lambda _, recording_id, tell: write_delivery(context, UUID(work_id), tell))


async def rescue_stalled(app: procrastinate.App) -> None:
    """Queue again what a killed worker left behind. Every worker looks; who comes second finds nothing to do."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_AFTER_S):
        log.warning("taking up job %s again: its worker is gone", job.id)
        try:
            await app.job_manager.retry_job(job)
        except procrastinate.exceptions.ConnectorException as error:
            log.info("job %s was taken up elsewhere: %s", job.id, error)


def _required(recording_id: UUID | None) -> UUID:
    if recording_id is None:
        raise NotFoundError("The recording does not exist any more.")
    return recording_id
