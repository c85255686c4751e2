"""Place a stored recording against its project's reference, and keep the judgement and the map."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from uuid import UUID

import numpy as np

from gullywind.actions.bring_in.listen_for_recording import ensure_listened
from gullywind.actions.bring_in.listen_to_media import hear_stored, open_stored
from gullywind.actions.context import Context
from gullywind.actions.hear.performances import PerformanceCache
from gullywind.actions.hear.prove_recording import proof_row, request_proofs
from gullywind.actions.place.draw_places import draw_anew
from gullywind.actions.place.place_by_timecode import judge_by_timecode
from gullywind.actions.place.recognise_performance import MOST_RECOGNISED_S, recognised
from gullywind.actions.place.tie_neighbours import tie_neighbours
from gullywind.actions.work.start_work import start_works
from gullywind.core.align import PreparedReference, index_reference
from gullywind.core.features.extract import claps_of
from gullywind.core.ground.errors import NotNowError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.measure.evidence import Alignment, Status
from gullywind.core.ways import align_pair, surest
from gullywind.store.database import Session, announce
from gullywind.store.history import begin_change, find_change
from gullywind.store.placings import keep_measurements
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, list_recordings, reference_of, replace_proof
from gullywind.store.tables import MeasurementRow, MediaState, WorkKind, WorkRow
from gullywind.store.works import find_work, open_works


def request_placing(
    context: Context, session: Session, project_id: UUID, recording_ids: Sequence[UUID] | None
) -> list[WorkRow]:
    """Queue some recordings, or all that have no place yet; what is queued already is not queued twice."""
    project = get_project(session, project_id, lock=True)
    reference = reference_of(session, project)
    if reference is None:
        raise NotNowError("Choose the reference first: the recording that all others are lined up to.")
    busy = {w.recording_id for w in open_works(session, project_id) if w.kind == WorkKind.PLACE}
    if recording_ids is not None:
        wanted = [get_recording(session, one) for one in dict.fromkeys(recording_ids)]
    else:
        wanted = [
            one
            for one in list_recordings(session, project_id)
            if one.version_id is None and one.placing is None and not one.set_aside
        ]
    wanted = [
        one
        for one in wanted
        if one.id != reference.id and one.id not in busy and one.media.state != MediaState.FAILED and not one.locked
    ]
    # What one order finds is one change, however many jobs it takes.
    change = begin_change(session, project_id, "placed by sound") if len(wanted) > 1 else None
    return start_works(
        context,
        session,
        WorkKind.PLACE,
        project_id,
        [one.id for one in wanted],
        change_id=change.id if change else None,
    )


@dataclass
class ReferenceCache:
    """The last reference that was prepared, so that a batch prepares it once a worker."""

    content_hash: str | None = None
    prepared: PreparedReference | None = None


def place_recording(
    context: Context,
    work_id: UUID,
    recording_id: UUID,
    cache: ReferenceCache,
    performed: PerformanceCache,
    checkpoint: Checkpoint,
) -> None:
    """Listen if need be, align, store. Safe to run twice: the later result replaces the earlier."""
    with context.database.session() as session:
        recording = get_recording(session, recording_id)
        reference = reference_of(session, get_project(session, recording.project_id))
        if reference is None:
            raise NotNowError("The reference was removed; choose another one.")
        ref_id, ref_hash, rec_hash = reference.id, reference.content_hash, recording.content_hash
        ref_heard, rec_heard = (one.media.state == MediaState.READY for one in (reference, recording))
    if not ref_heard:
        ensure_listened(context, ref_hash, lambda done: checkpoint(0.2 * done))
    if not rec_heard:
        ensure_listened(context, rec_hash, lambda done: checkpoint(0.2 + 0.2 * done))
    if cache.content_hash != ref_hash or cache.prepared is None:
        ref_sound, _ = open_stored(context.media, ref_hash)
        cache.prepared = index_reference(hear_stored(context.media, ref_hash, ref_sound))
        cache.content_hash = ref_hash
    sound, _ = open_stored(context.media, rec_hash)
    try:
        heard = hear_stored(context.media, rec_hash, sound)
        found = align_pair(cache.prepared, heard, checkpoint=lambda done: checkpoint(0.4 + 0.4 * done))
        # Who does not overlap the reference may overlap one that does.
        placed = any(one.status is Status.PLACED for one in found)
        ties = [] if placed else tie_neighbours(context, recording_id, heard, lambda done: checkpoint(0.8 + 0.1 * done))
        alignment = surest(found, heard)
        lengths_s = [one[0].view.duration_s for one in (cache.prepared.heard, heard)]
        if not placed and max(lengths_s) <= MOST_RECOGNISED_S:
            alignment = recognised(
                context, ref_hash, rec_hash, alignment, performed, lambda done: checkpoint(0.9 + 0.1 * done)
            )
    finally:
        sound.close()
    with context.database.session() as session:
        row = get_recording(session, recording_id)
        if row.media.claps is None:
            # It was listened to by a version that did not hear them.
            row.media.set_heard(claps_of(heard), heard[0].timecode)
        _store(context, session, work_id, recording_id, ref_id, found, alignment, ties)


def _store(
    context: Context,
    session: Session,
    work_id: UUID,
    recording_id: UUID,
    reference_id: UUID,
    found: Sequence[Alignment],
    alignment: Alignment,
    ties: Sequence[tuple[str, Alignment]],
) -> None:
    recording = get_recording(session, recording_id, lock=True)
    if recording.locked:
        raise NotNowError("It was locked meanwhile: unlock it before it is placed.")
    project = get_project(session, recording.project_id)
    reference = get_recording(session, reference_id)
    own = recording.content_hash
    others = [_measured(reference.content_hash, own, one) for one in found if one.by is not alignment.by]
    rows = [_measured(reference.content_hash, own, alignment), *others]
    keep_measurements(session, [*rows, *(_measured(own, one, tie) for one, tie in ties)])
    by_code = judge_by_timecode(session, project.id, reference, {recording_id: alignment})
    coded = {get_recording(session, row_id).content_hash: one for row_id, one in by_code.items()}
    keep_measurements(session, [_measured(reference.content_hash, key, one) for key, one in coded.items()])
    if project.reference_id != reference_id:
        raise NotNowError("The reference was changed meanwhile; place again.")
    work = find_work(session, work_id)
    change = find_change(session, work.change_id) if work and work.change_id else None
    change = change or begin_change(session, project.id, "placed by its sound")
    drawn = draw_anew(context, session, project, reference, recording, change, coded=coded)
    recording = get_recording(session, recording_id)
    taken = by_code.get(recording_id, alignment)
    # A proof is of one map: that of another way, or of another place, proves nothing here.
    if recording.version_id and taken.window_s and drawn.direct and drawn.way[0].way is taken.by:
        proof = proof_row(recording_id, recording.version_id, taken.residual, taken.trace, taken.window_s)
        replace_proof(session, recording, proof)
    else:
        request_proofs(context, session, project.id, [recording])
    announce(session, recording.project_id)


def _measured(timeline_hash: str, recording_hash: str, alignment: Alignment) -> MeasurementRow:
    ppm_error = alignment.ppm_error
    curve = alignment.curve
    return MeasurementRow(
        timeline_hash=timeline_hash,
        recording_hash=recording_hash,
        way=alignment.by,
        status=alignment.status,
        confidence=float(alignment.confidence),
        polarity=alignment.polarity,
        pieces=alignment.time_map.to_json() if alignment.time_map else None,
        ppm_error=ppm_error if ppm_error is not None and np.isfinite(ppm_error) else None,
        offset_error_s=alignment.offset_error_s,
        error_at_s=alignment.error_at_s,
        agreement=alignment.agreement,
        channels=alignment.channels,
        candidates=[asdict(one) for one in alignment.candidates],
        notes=[asdict(one) for one in alignment.notes],
        curve=curve.heights.astype("<f4").tobytes() if curve else None,
        curve_start_s=curve.start_s if curve else None,
        curve_step_s=curve.step_s if curve else None,
    )
