"""Match a stored recording with its project's reference as another performance of the same part, and bend it."""

from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from gullywind.actions.bring_in.listen_for_recording import ensure_listened
from gullywind.actions.context import Context
from gullywind.actions.edit.bend_recording import keep_version, levels_of, sounding_bent
from gullywind.actions.hear.performances import PerformanceCache, performance_of
from gullywind.actions.work.start_work import start_works
from gullywind.core.bending.match import Matched, match_performances
from gullywind.core.bending.within import match_within
from gullywind.core.ground.errors import InputError, NotNowError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.maps.bend_edits import FollowStretch, HoldEdges, bending_nothing
from gullywind.core.maps.bending import Bending
from gullywind.core.maps.ties import BendSettings
from gullywind.core.maps.version import Version
from gullywind.core.measure.evidence import Status
from gullywind.store.database import Session
from gullywind.store.history import begin_change, find_change
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, reference_of
from gullywind.store.tables import RecordingRow, WorkKind, WorkRow
from gullywind.store.works import find_work, open_works

MATCHED = "matched as another performance"
NOTHING_ALIKE_THERE = "Nothing in this stretch is enough like the reference to follow it."
NOTHING_ALIKE = "Nothing in it is enough like the reference to follow it."
SAME_EVENT = "It holds the very sound of the reference: find its place by its sound. There is nothing to bend."


def request_matching(
    context: Context,
    session: Session,
    project_id: UUID,
    recording_ids: Sequence[UUID],
    stretch_s: tuple[float, float] | None = None,
) -> list[WorkRow]:
    """Queue some recordings; what is queued already is not queued twice, and what is locked is left alone.

    `stretch_s` : that much of the reference only, s; nothing outside of it moves.
    """
    project = get_project(session, project_id, lock=True)
    reference = reference_of(session, project)
    if reference is None:
        raise NotNowError("Choose the reference first: the recording that all others are lined up to.")
    rows = [get_recording(session, one) for one in dict.fromkeys(recording_ids)]
    if any(row.id == reference.id for row in rows):
        raise InputError("The reference is not bent: all others follow it.")
    if all(row.locked for row in rows):
        raise NotNowError(f"{rows[0].name} is locked: unlock it before it is bent.")
    if stretch_s:
        for row in rows:
            _edges_of(row, stretch_s)
    busy = {work.recording_id for work in open_works(session, project_id) if work.kind == WorkKind.MATCH}
    wanted = [row.id for row in rows if row.id not in busy and not row.locked]
    # What one order bends is one change, however many jobs it takes.
    change = begin_change(session, project_id, MATCHED) if len(wanted) > 1 else None
    change_id = change.id if change else None
    return start_works(context, session, WorkKind.MATCH, project_id, wanted, change_id=change_id, stretch_s=stretch_s)


@dataclass(frozen=True, slots=True)
class _Asked:
    """What is to be matched: two contents; of a stretch its edges as well, and the version in which they lie there."""

    reference_hash: str
    content_hash: str
    edges: HoldEdges | None
    version_id: UUID | None


def match_recording(
    context: Context, work_id: UUID, recording_id: UUID, cache: PerformanceCache, checkpoint: Checkpoint
) -> None:
    """Listen if need be, match, bend fully. Safe to run twice: the later bend follows the earlier."""
    with context.database.session() as session:
        asked = _asked(session, work_id, recording_id)
    ensure_listened(context, asked.reference_hash, lambda done: checkpoint(0.15 * done))
    ensure_listened(context, asked.content_hash, lambda done: checkpoint(0.15 + 0.15 * done))
    ours = cache.of(context, asked.reference_hash, lambda done: checkpoint(0.3 + 0.2 * done))
    theirs = performance_of(context, asked.content_hash, lambda done: checkpoint(0.5 + 0.2 * done))

    def tell(done: float) -> None:
        checkpoint(0.7 + 0.25 * done)

    if asked.edges:
        matched = match_within(ours, theirs, asked.edges.t_ref, asked.edges.t_rec, checkpoint=tell)
    else:
        matched = match_performances(ours, theirs, checkpoint=tell)
    if asked.edges and not matched.can_be_held:
        # A person says that it is the same part: only whether anything can be held on to is asked.
        raise NotNowError(NOTHING_ALIKE_THERE)
    if matched.offset_s is None or (matched.status is Status.UNPLACED and not asked.edges):
        raise NotNowError(NOTHING_ALIKE)
    if matched.exact:
        raise NotNowError(SAME_EVENT)
    with context.database.session() as session:
        _store(context, session, work_id, recording_id, asked, matched)


def _asked(session: Session, work_id: UUID, recording_id: UUID) -> _Asked:
    row, work = get_recording(session, recording_id), find_work(session, work_id)
    reference = reference_of(session, get_project(session, row.project_id))
    if reference is None:
        raise NotNowError("The reference was removed; choose another one.")
    edges = None
    if work is not None and work.start_s is not None and work.end_s is not None:
        edges = _edges_of(row, (work.start_s, work.end_s))
    return _Asked(reference.content_hash, row.content_hash, edges, row.version_id)


def _edges_of(row: RecordingRow, stretch_s: tuple[float, float]) -> HoldEdges:
    """Where a recording lies at both edges of a stretch, both without its push: it is late on purpose."""
    if row.current is None:
        raise NotNowError("It has no place yet: follow the whole of it, or place it first.")
    now = row.current.value
    if now.bending is None:
        bending_nothing(now.time_map)
    return HoldEdges.where_it_lies(now.time_map, stretch_s[0] - now.push_s, stretch_s[1] - now.push_s)


def _store(
    context: Context, session: Session, work_id: UUID, recording_id: UUID, asked: _Asked, matched: Matched
) -> None:
    row = get_recording(session, recording_id, lock=True)
    if row.locked:
        raise NotNowError("It was locked meanwhile: unlock it before it is bent.")
    reference = reference_of(session, get_project(session, row.project_id))
    if reference is None or reference.content_hash != asked.reference_hash:
        raise NotNowError("The reference was changed meanwhile; match again.")
    if asked.edges:
        if row.version_id != asked.version_id or row.current is None:
            raise NotNowError("It was changed meanwhile; match again.")
        now = row.current.value
        done = FollowStretch(asked.edges, matched.ties).apply(now.bending or bending_nothing(now.time_map))
        bending, words = done.bending, done.sentence
    else:
        assert matched.offset_s is not None
        sure = matched.status is Status.PLACED
        # Where the evidence is thin its timing is left alone, with the ties at hand.
        bending = Bending(matched.ties, matched.offset_s, BendSettings(closeness=1.0 if sure else 0.0))
        words = MATCHED if sure else "matched, unsure: timing untouched"
    made = bending.made(row.media.duration_s or 0.0, levels_of(context, row))
    version = sounding_bent(row, Version(made.time_map)).bent(made.time_map, bending)
    work = find_work(session, work_id)
    change = find_change(session, work.change_id) if work and work.change_id else None
    keep_version(context, session, row, version, words, change)
