"""Deliver a recording's picture with the sound of the reference, or of any other placed recordings."""

from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import PurePosixPath
from uuid import UUID

from gullywind.actions.bring_in.listen_to_media import open_stored
from gullywind.actions.context import Context
from gullywind.actions.deliver.picture_file import SoundForPicture, picture_file, reference_for_picture
from gullywind.actions.work.start_work import start_work
from gullywind.core.ground.errors import InputError, NotNowError, StorageError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.maps.compose import inverse, through
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import Version
from gullywind.core.sound.views import SampleSource
from gullywind.formats.file_names import file_stem
from gullywind.formats.write_sound import SampleForm
from gullywind.store.database import Session
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, reference_of
from gullywind.store.tables import DeliveryRow, RecordingRow, WorkKind
from gullywind.store.works import delivery_of_work


def request_picture(
    context: Context,
    session: Session,
    project_id: UUID,
    recording_id: UUID,
    sounds_from: Sequence[UUID],
    *,
    instead: bool,
) -> DeliveryRow:
    """Queue the writing of a recording's picture with others' sounds, beside its own or `instead` of it."""
    project = get_project(session, project_id, lock=True)
    row = get_recording(session, recording_id)
    others = [get_recording(session, one) for one in dict.fromkeys(sounds_from)]
    if {row.project_id, *(one.project_id for one in others)} != {project_id}:
        raise InputError("All recordings must be of this project.")
    if row.media.picture_start_s is None:
        raise InputError(f"{row.name} has no picture.")
    if row in others:
        raise InputError("Its own sound is on it already: choose another recording's.")
    for one in (row, *others):
        if one.current is None and one.id != project.reference_id:
            raise NotNowError(f"{one.name} has no place yet.")
    if reference_of(session, project) is None:
        raise NotNowError("Choose the reference first: the recording that all others are lined up to.")
    work = start_work(context, session, WorkKind.DELIVER, project_id, recording_id)
    made = DeliveryRow(
        project_id=project_id,
        work_id=work.id,
        recording_id=recording_id,
        sound_from_id=others[0].id,
        chosen=[str(one.id) for one in others],
        form=SampleForm.PCM24,
        instead=instead,
    )
    session.add(made)
    session.flush()
    return made


def write_picture_delivery(context: Context, work_id: UUID, checkpoint: Checkpoint) -> None:
    """Write what such a delivery asks for."""
    with context.database.session() as session:
        delivery = delivery_of_work(session, work_id)
        project = get_project(session, delivery.project_id)
        reference = reference_of(session, project)
        if delivery.recording_id is None or delivery.sound_from_id is None or reference is None:
            raise NotNowError("The recording, its sound or the reference was removed meanwhile.")
        row = get_recording(session, delivery.recording_id)
        lies = _version(row, reference).heard_map
        instead = delivery.instead
        name = f"{file_stem(row.name)}{PurePosixPath(row.file_name).suffix}"
        content, facts = row.content_hash, row.media.to_facts()
        rate_hz = reference.media.sample_rate_hz or facts.sample_rate_hz
        others = [get_recording(session, UUID(one)) for one in delivery.chosen or [str(delivery.sound_from_id)]]
        wanted = [
            (one.name, one.content_hash, None if one.id == reference.id else _version(one, reference)) for one in others
        ]
        audible = reference.media.sounding_channels
    folder = context.media.delivery(str(work_id))
    with ExitStack() as opened:
        sounds = []
        for title, content_hash, version in wanted:
            source, _ = open_stored(context.media, content_hash)
            opened.callback(source.close)
            sounds.append(
                reference_for_picture(title, source, lies, audible)
                if version is None
                else _between(title, source, lies, version, rate_hz)
            )
        try:
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / name
            original = context.media.whole_original(content)
            picture_file(original, facts, sounds, path, keeps_own=not instead, checkpoint=checkpoint)
            context.media.put_delivered(path)
        except OSError as error:
            context.media.delete_delivery(str(work_id))
            raise StorageError(
                f"The picture's file cannot be written: {(error.strerror or str(error)).lower()}."
            ) from error
        except BaseException:
            context.media.delete_delivery(str(work_id))
            raise
    with context.database.session() as session:
        delivery_of_work(session, work_id).file_name = f"{work_id}/{name}"


def _version(row: RecordingRow, reference: RecordingRow) -> Version:
    if row.id == reference.id:
        return Version(TimeMap.placement(0.0, 1.0, row.media.duration_s or 0.0))
    if row.current is None:
        raise NotNowError(f"{row.name} has no place any more.")
    return row.current.value


def _between(name: str, source: SampleSource, lies: TimeMap, sounds: Version, rate_hz: int) -> SoundForPicture:
    """A recording's sound on a video's clock, through the reference."""
    there = through(inverse(lies), sounds.heard_map)
    if there is None:
        raise NotNowError(f"{name} and the picture have no moment in common.")
    return SoundForPicture(name, source, there, rate_hz, sounds.sounding)
