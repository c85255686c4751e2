"""Prove a stored recording's current map: measure what is left over in the sound that would be delivered."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import asdict
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.hear.fetch_sound import open_sound
from gullywind.actions.hear.performances import PerformanceCache
from gullywind.actions.work.start_work import start_works
from gullywind.core.bending.prove import prove_bend
from gullywind.core.features.extract import views_of
from gullywind.core.features.performance import hear_performance
from gullywind.core.ground.units import Checkpoint
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.evidence import Residual
from gullywind.core.proof import Proof, prove, rendered_listening
from gullywind.core.sound.views import Listening
from gullywind.store.database import Session, announce
from gullywind.store.projects import get_project
from gullywind.store.recordings import find_version, get_recording, reference_of, replace_proof
from gullywind.store.tables import MediaState, ProofRow, RecordingRow, WorkKind
from gullywind.store.works import hold_queued

#: How long the moments of a bend's proof are.
BENT_WINDOW_S = 0.1
#: Where nothing is known of a recording's noise: short windows first, and long ones where they show nothing.
WINDOWS_S = (2.7, 8.0)


def request_proofs(context: Context, session: Session, project_id: UUID, rows: Sequence[RecordingRow]) -> None:
    """Queue the measurement of each current version, unless it is measured or will be."""
    wanted = [row for row in rows if row.version_id is not None and row.current_proof is None]
    if not wanted:
        return
    # Held: one that began just now would measure what was current before.
    waiting = {one.recording_id for one in hold_queued(session, project_id, WorkKind.PROVE, [row.id for row in wanted])}
    start_works(context, session, WorkKind.PROVE, project_id, [row.id for row in wanted if row.id not in waiting])


def prove_recording(context: Context, recording_id: UUID, cache: PerformanceCache, checkpoint: Checkpoint) -> None:
    """Measure and store; where the map was changed meanwhile, the change has queued its own."""
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        reference = reference_of(session, get_project(session, row.project_id))
        ready = reference is not None and {reference.media.state, row.media.state} == {MediaState.READY}
        if reference is None or row.current is None or row.current_proof is not None or not ready:
            return
        # The place is proved; a push is on purpose, and no difference that is left over.
        time_map, version_id, bent = row.current.value.time_map, row.current.id, row.is_bent
        lengths = [row.proof.window_s] if row.proof else []
        # Looked at while the session is open; the sounds are opened after it, which may take long.
        _ = row.placing
    views = listening_pair(context, reference, row)
    checkpoint(0.1)
    lengths += [s for s in WINDOWS_S if s > max(lengths, default=0.0)]
    if bent:
        proof, window_s = (
            _bend_proved(context, reference.content_hash, cache, views, time_map, checkpoint),
            BENT_WINDOW_S,
        )
    else:
        proof, window_s = _measured(views, time_map, lengths, checkpoint)
    checkpoint(0.9)
    with context.database.session() as session:
        row = get_recording(session, recording_id, lock=True)
        # Whoever measured an older version for longer does not take the place of what was measured since.
        is_wanted = row.version_id == version_id or row.current_proof is None
        if is_wanted and find_version(session, version_id) is not None:
            replace_proof(session, row, proof_row(row.id, version_id, proof.residual, proof.windows, window_s))
            announce(session, row.project_id)


def listening_pair(context: Context, reference: RecordingRow, row: RecordingRow) -> tuple[Listening, Listening]:
    """Both mono views by which the recording was lined up, else those that are heard first."""
    sounds = open_sound(context, reference.content_hash), open_sound(context, row.content_hash)
    measured = row.placing.measurement if row.placing else None
    if measured and measured.channels:
        first, second = (tuple(channels) for channels in measured.channels)
        return Listening(sounds[0], first), Listening(sounds[1], second)
    return views_of(sounds[0])[0][0], views_of(sounds[1])[0][0]


def _bend_proved(
    context: Context,
    reference_hash: str,
    cache: PerformanceCache,
    views: tuple[Listening, Listening],
    time_map: TimeMap,
    checkpoint: Checkpoint,
) -> Proof:
    """The sound is rendered along the bend and followed anew."""
    ours = cache.of(context, reference_hash, lambda done: checkpoint(0.1 + 0.2 * done))
    heard = rendered_listening(*views, time_map)
    bent = hear_performance(heard, checkpoint=lambda done: checkpoint(0.3 + 0.4 * done))
    residual, trace = prove_bend(ours, bent, checkpoint=lambda done: checkpoint(0.7 + 0.2 * done))
    return Proof(trace, residual)


def proof_row(
    recording_id: UUID, version_id: UUID, residual: Residual | None, windows: Sequence[WindowLag], window_s: float
) -> ProofRow:
    """A proof as it is stored."""
    return ProofRow(
        recording_id=recording_id,
        version_id=version_id,
        residual=asdict(residual) if residual else None,
        windows=[[w.t_ref, w.lag_s * 1e3, w.quality, w.agreement] for w in windows],
        window_s=window_s,
    )


def _measured(
    views: tuple[Listening, Listening], time_map: TimeMap, lengths_s: Sequence[float], checkpoint: Checkpoint
) -> tuple[Proof, float]:
    """The first windows that show something, or the last that were tried."""

    def watched(measure: Callable[[float], WindowLag | None], centres_s: Iterable[float]) -> Iterator[WindowLag | None]:
        for lag in map(measure, centres_s):
            checkpoint(0.5)
            yield lag

    for window_s in lengths_s:
        proof = prove(*views, time_map, window_s=window_s, map_all=watched)
        if proof.residual is not None:
            break
    return proof, window_s
