"""Place a stored recording against its project's reference, and keep the judgement and the map."""

from dataclasses import asdict, dataclass
from uuid import UUID

import numpy as np

from gullywind.actions.context import Context
from gullywind.actions.listen_for_recording import ensure_listened
from gullywind.actions.listen_to_media import hear_stored, open_stored
from gullywind.actions.prove_recording import proof_row
from gullywind.actions.start_work import start_work
from gullywind.core.align import PreparedReference, align_recording
from gullywind.core.ground.errors import NotNowError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.ground.words import Note
from gullywind.core.measure.evidence import Alignment, Status
from gullywind.core.places.search import ReferenceIndex
from gullywind.core.sound.file_notes import file_notes
from gullywind.store.database import Session, announce
from gullywind.store.projects import get_project
from gullywind.store.recordings import (
    add_map_version,
    get_recording,
    list_recordings,
    reference_of,
    replace_alignment,
    replace_proof,
)
from gullywind.store.tables import AlignmentRow, MediaState, WorkKind, WorkRow
from gullywind.store.works import open_works


def request_placing(context: Context, session: Session, project_id: UUID, recording_id: UUID | None) -> list[WorkRow]:
    """Queue one recording, or all that have no place yet; what is queued already is not queued twice."""
    project = get_project(session, project_id, lock=True)
    reference = reference_of(session, project)
    if reference is None:
        raise NotNowError("Choose the reference first: the recording that all others are lined up to.")
    busy = {w.recording_id for w in open_works(session, project_id) if w.kind == WorkKind.PLACE}
    if recording_id is not None:
        wanted = [get_recording(session, recording_id)]
    else:
        wanted = [one for one in list_recordings(session, project_id) if one.map_number == 0 and one.alignment is None]
    return [
        start_work(context, session, WorkKind.PLACE, project_id, one.id)
        for one in wanted
        if one.id != reference.id and one.id not in busy and one.media.state != MediaState.FAILED
    ]


@dataclass
class ReferenceCache:
    """The last reference that was prepared, so that a batch prepares it once a worker."""

    content_hash: str | None = None
    prepared: PreparedReference | None = None


def place_recording(context: Context, recording_id: UUID, cache: ReferenceCache, checkpoint: Checkpoint) -> None:
    """Listen if need be, align, store. Safe to run twice: the later result replaces the earlier."""
    with context.database.session() as session:
        recording = get_recording(session, recording_id)
        reference = reference_of(session, get_project(session, recording.project_id))
        if reference is None:
            raise NotNowError("The reference was removed; choose another one.")
        ref_id, ref_hash, rec_hash = reference.id, reference.content_hash, recording.content_hash
    ensure_listened(context, ref_hash, lambda done: checkpoint(0.2 * done))
    ensure_listened(context, rec_hash, lambda done: checkpoint(0.2 + 0.2 * done))
    if cache.content_hash != ref_hash or cache.prepared is None:
        ref_sound, _ = open_stored(context.media, ref_hash)
        ref_heard = hear_stored(context.media, ref_hash, ref_sound)
        cache.prepared = PreparedReference(ref_heard, tuple(ReferenceIndex(one.features) for one in ref_heard))
        cache.content_hash = ref_hash
    sound, facts = open_stored(context.media, rec_hash)
    try:
        heard = hear_stored(context.media, rec_hash, sound)
        alignment = align_recording(cache.prepared, heard, checkpoint=lambda done: checkpoint(0.4 + 0.55 * done))
    finally:
        sound.close()
    with context.database.session() as session:
        _store(session, recording_id, ref_id, alignment, file_notes(facts))


def _store(
    session: Session, recording_id: UUID, reference_id: UUID, alignment: Alignment, extra: tuple[Note, ...]
) -> None:
    recording = get_recording(session, recording_id, lock=True)
    project = get_project(session, recording.project_id)
    if project.reference_id != reference_id:
        raise NotNowError("The reference was changed meanwhile; place again.")
    version = None
    if alignment.time_map is not None:
        unsure = "" if alignment.status is Status.PLACED else ", unsure"
        version = add_map_version(session, recording, alignment.time_map, f"placed by its sound{unsure}")
    row = AlignmentRow(
        recording_id=recording_id,
        reference_id=reference_id,
        status=alignment.status,
        confidence=float(alignment.confidence),
        polarity=alignment.polarity,
        ppm_error=alignment.ppm_error if alignment.ppm_error is not None and np.isfinite(alignment.ppm_error) else None,
        candidates=[asdict(one) for one in alignment.candidates],
        notes=[asdict(one) for one in (*extra, *alignment.notes)],
        channels=alignment.channels,
        curve=alignment.curve.heights.astype("<f4").tobytes() if alignment.curve else None,
        curve_start_s=alignment.curve.start_s if alignment.curve else None,
        curve_step_s=alignment.curve.step_s if alignment.curve else None,
        map_version_id=version.id if version else None,
    )
    replace_alignment(session, recording_id, row)
    if version and alignment.window_s:
        proof = proof_row(recording_id, version.id, alignment.residual, alignment.trace, alignment.window_s)
        replace_proof(session, recording, proof)
    announce(session, recording.project_id)
