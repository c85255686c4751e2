"""Match a stored recording with its project's reference as another performance of the same part, and bend it."""

from collections.abc import Sequence
from uuid import UUID

from gullywind.actions.bring_in.listen_for_recording import ensure_listened
from gullywind.actions.context import Context
from gullywind.actions.edit.bend_recording import keep_version, levels_of, sounding_bent
from gullywind.actions.hear.performances import PerformanceCache, performance_of
from gullywind.actions.work.start_work import start_works
from gullywind.core.bending.match import Matched, match_performances
from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.maps.bending import Bending
from gullywind.core.maps.ties import BendSettings
from gullywind.core.maps.version import Version
from gullywind.core.measure.evidence import Status
from gullywind.store.database import Session
from gullywind.store.history import begin_change, find_change
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, reference_of
from gullywind.store.tables import WorkKind, WorkRow
from gullywind.store.works import find_work, open_works

MATCHED = "matched as another performance"
NOTHING_ALIKE = "Nothing in it is enough like the reference to follow it."
SAME_EVENT = "It holds the very sound of the reference: find its place by its sound. There is nothing to bend."


def request_matching(
    context: Context, session: Session, project_id: UUID, recording_ids: Sequence[UUID]
) -> list[WorkRow]:
    """Queue some recordings; what is queued already is not queued twice, and what is locked is left alone."""
    project = get_project(session, project_id, lock=True)
    reference = reference_of(session, project)
    if reference is None:
        raise NotNowError("Choose the reference first: the recording that all others are lined up to.")
    rows = [get_recording(session, one) for one in dict.fromkeys(recording_ids)]
    if any(row.id == reference.id for row in rows):
        raise InputError("The reference is not bent: all others follow it.")
    if all(row.locked for row in rows):
        raise NotNowError(f"{rows[0].name} is locked: unlock it before it is bent.")
    busy = {work.recording_id for work in open_works(session, project_id) if work.kind == WorkKind.MATCH}
    wanted = [row.id for row in rows if row.id not in busy and not row.locked]
    # What one order bends is one change, however many jobs it takes.
    change = begin_change(session, project_id, MATCHED) if len(wanted) > 1 else None
    return start_works(context, session, WorkKind.MATCH, project_id, wanted, change_id=change.id if change else None)


def match_recording(
    context: Context, work_id: UUID, recording_id: UUID, cache: PerformanceCache, checkpoint: Checkpoint
) -> None:
    """Listen if need be, match, bend fully. Safe to run twice: the later bend follows the earlier."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        reference = reference_of(session, get_project(session, row.project_id))
        if reference is None:
            raise NotNowError("The reference was removed; choose another one.")
        ref_hash, rec_hash = reference.content_hash, row.content_hash
    ensure_listened(context, ref_hash, lambda done: checkpoint(0.15 * done))
    ensure_listened(context, rec_hash, lambda done: checkpoint(0.15 + 0.15 * done))
    ours = cache.of(context, ref_hash, lambda done: checkpoint(0.3 + 0.2 * done))
    theirs = performance_of(context, rec_hash, lambda done: checkpoint(0.5 + 0.2 * done))
    matched = match_performances(ours, theirs, checkpoint=lambda done: checkpoint(0.7 + 0.25 * done))
    if matched.offset_s is None or matched.status is Status.UNPLACED:
        raise NotNowError(NOTHING_ALIKE)
    if matched.exact:
        raise NotNowError(SAME_EVENT)
    with context.database.session() as session:
        _store(context, session, work_id, recording_id, ref_hash, matched)


def _store(
    context: Context, session: Session, work_id: UUID, recording_id: UUID, reference_hash: str, matched: Matched
) -> None:
    row = get_recording(session, recording_id, lock=True)
    if row.locked:
        raise NotNowError("It was locked meanwhile: unlock it before it is bent.")
    reference = reference_of(session, get_project(session, row.project_id))
    if reference is None or reference.content_hash != reference_hash:
        raise NotNowError("The reference was changed meanwhile; match again.")
    assert matched.offset_s is not None
    sure = matched.status is Status.PLACED
    # Where the evidence is thin its timing is left alone, with the ties at hand.
    bending = Bending(matched.ties, matched.offset_s, BendSettings(closeness=1.0 if sure else 0.0))
    made = bending.made(row.media.duration_s or 0.0, levels_of(context, row))
    version = sounding_bent(row, Version(made.time_map)).bent(made.time_map, bending)
    words = MATCHED if sure else "matched, unsure: timing untouched"
    work = find_work(session, work_id)
    change = find_change(session, work.change_id) if work and work.change_id else None
    keep_version(context, session, row, version, words, change)
