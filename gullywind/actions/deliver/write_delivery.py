"""Deliver: aligned files, one, or several as a ZIP, with the report."""

import json
import zipfile
from collections.abc import Sequence
from pathlib import Path
from uuid import UUID

from gullywind.actions.bring_in.listen_to_media import open_stored
from gullywind.actions.context import Context
from gullywind.actions.deliver.deliver_picture import write_picture_delivery
from gullywind.actions.deliver.render_file import render_file
from gullywind.actions.deliver.report import report_csv, report_rows
from gullywind.actions.deliver.report_page import report_page
from gullywind.actions.hear.performances import PerformanceCache
from gullywind.actions.hear.prove_recording import prove_recording
from gullywind.actions.timeline import timeline_of
from gullywind.actions.work.start_work import start_work
from gullywind.core.ground.errors import NotFoundError, NotNowError, StorageError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.maps.timeline import Timeline
from gullywind.core.maps.version import Version
from gullywind.core.sound.file_notes import clipped_notes
from gullywind.formats.file_names import file_stem, numbered
from gullywind.formats.write_sound import SampleForm
from gullywind.store.database import Session
from gullywind.store.projects import get_project
from gullywind.store.recordings import get_recording, list_recordings
from gullywind.store.tables import DeliveryRow, RecordingRow, WorkKind
from gullywind.store.works import delivery_of_work, get_work


def request_delivery(
    context: Context, session: Session, project_id: UUID, recording_ids: Sequence[UUID] | None, form: SampleForm
) -> DeliveryRow:
    """Queue the writing of one recording, or of several, None: all that are placed, as a ZIP."""
    project = get_project(session, project_id, lock=True)
    timeline_of(session, project)
    wanted = list(dict.fromkeys(recording_ids)) if recording_ids is not None else None
    chosen = _of(list_recordings(session, project_id), wanted)
    if all(one.version_id is None for one in chosen):
        raise NotNowError("Nothing is placed yet, so there is nothing to deliver.")
    if not any(_is_kept(one) for one in chosen):
        raise NotNowError("What is placed is scratch sound, kept for checking: it is not delivered until you say so.")
    recording_id = wanted[0] if wanted is not None and len(wanted) == 1 else None
    work = start_work(context, session, WorkKind.DELIVER, project_id, recording_id)
    row = DeliveryRow(project_id=project_id, work_id=work.id, recording_id=recording_id, form=form)
    if wanted is not None and recording_id is None:
        row.chosen = [str(one) for one in wanted]
    session.add(row)
    session.flush()
    return row


def write_delivery(context: Context, work_id: UUID, checkpoint: Checkpoint) -> None:
    """Render and write what a delivery asks for."""
    with context.database.session() as session:
        is_picture = delivery_of_work(session, work_id).sound_from_id is not None
    if is_picture:
        write_picture_delivery(context, work_id, checkpoint)
        return
    with context.database.session() as session:
        delivery = delivery_of_work(session, work_id)
        project = get_project(session, delivery.project_id)
        timeline = timeline_of(session, project)
        wanted = [UUID(one) for one in delivery.chosen] if delivery.chosen else None
        recordings = (
            [get_recording(session, delivery.recording_id)]
            if delivery.recording_id
            else [one for one in _of(list_recordings(session, project.id), wanted) if _is_kept(one)]
        )
        project_id, form, single = project.id, SampleForm(delivery.form), delivery.recording_id is not None
        project_name = f"{file_stem(project.name)}.zip"
        unproved = [one.id for one in recordings if one.current and one.current_proof is None]
        items = [(file_stem(one.name), one.content_hash, one.current.value) for one in recordings if one.current]
    cache = PerformanceCache()
    for i, recording_id in enumerate(unproved):
        # The report carries what is left over, so it must be measured.
        prove_recording(context, recording_id, cache, lambda done, i=i: checkpoint(0.1 * (i + done) / len(unproved)))  # type: ignore[misc]
    with context.database.session() as session:
        rows = report_rows(session, project_id)
        report = {
            "report.csv": report_csv(rows),
            "report.json": json.dumps(rows, indent=1),
            "report.html": report_page(session, project_id),
        }
    try:
        zip_name = None if single else project_name
        final, clipped = _write(context, work_id, items, report, form, timeline, zip_name, checkpoint)
        context.media.put_delivered(final)
    except BaseException:
        context.media.delete_delivery(str(work_id))
        raise
    with context.database.session() as session:
        delivery_of_work(session, work_id).file_name = f"{work_id}/{final.name}"
        get_work(session, work_id).message = " ".join(note.message for note in clipped_notes(clipped)) or None


def _write(
    context: Context,
    work_id: UUID,
    items: list[tuple[str, str, Version]],
    report: dict[str, str],
    form: SampleForm,
    timeline: Timeline,
    zip_name: str | None,
    checkpoint: Checkpoint,
) -> tuple[Path, int]:
    """Render all, and pack them where a name for a ZIP is given; the file, and how many samples were clipped."""
    folder = context.media.delivery(str(work_id))
    written: list[Path] = []
    clipped = 0
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StorageError(f"The folder for it cannot be made: {(error.strerror or str(error)).lower()}.") from error
    names = numbered([stem for stem, _, _ in items])
    for i, (name, (_, content_hash, version)) in enumerate(zip(names, items, strict=True)):
        sound, facts = open_stored(context.media, content_hash)
        try:
            path = folder / f"{name}{form.suffix}"
            clipped += render_file(
                sound,
                facts,
                version,
                timeline,
                path,
                form=form,
                checkpoint=lambda done, i=i: checkpoint(0.1 + 0.9 * (i + done) / len(items)),  # type: ignore[misc]
            )
        finally:
            sound.close()
        written.append(path)
    return (written[0] if zip_name is None else _zip(folder / zip_name, written, report)), clipped


def _zip(final: Path, written: list[Path], report: dict[str, str]) -> Path:
    try:
        # Sound hardly shrinks: stored, not deflated. ZIP64 takes over beyond 4 GB.
        with zipfile.ZipFile(final, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
            for path in written:
                archive.write(path, path.name)
                path.unlink()
            for name, text in report.items():
                archive.writestr(name, text)
    except OSError as error:
        raise StorageError(f"The ZIP could not be written: {(error.strerror or str(error)).lower()}.") from error
    return final


def delivered_file(context: Context, delivery: DeliveryRow) -> Path:
    """Path of a finished delivery."""
    # The name is stored as KEY/NAME.
    key, _, name = (delivery.file_name or "").partition("/")
    path = context.media.fetch_delivered(key, name) if name else None
    if path is None or not path.exists():
        raise NotFoundError("This file is not written yet, or was deleted; deliver again.")
    return path


def _of(rows: Sequence[RecordingRow], wanted: Sequence[UUID] | None) -> list[RecordingRow]:
    """Those that are wanted, None: all."""
    return [one for one in rows if wanted is None or one.id in wanted]


def _is_kept(row: RecordingRow) -> bool:
    return row.current is not None and row.current.value.sounding.kept
