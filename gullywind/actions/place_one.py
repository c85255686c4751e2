"""Hear the reference, place one recording against it and render it: what lone pairs and batches share."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from gullywind.core.align import PreparedReference, align_recording, hear, index_reference
from gullywind.core.errors import GullywindError
from gullywind.core.evidence import Note
from gullywind.core.facts import MediaFacts
from gullywind.core.features.extract import Heard
from gullywind.core.units import Checkpoint
from gullywind.core.windows import MapAll
from gullywind.formats.media import open_media
from gullywind.formats.result_json import RecordingResult
from gullywind.formats.sound_files import Sound

#: `report(path, fraction_done)`; called from several threads or processes.
Report = Callable[[Path, float], None]


@dataclass(frozen=True)
class PlaceRequest:
    """What to do: files in, where to render to (None: nowhere)."""

    reference: Path
    recordings: tuple[Path, ...]
    render_dir: Path | None


@dataclass(frozen=True, eq=False)
class Placed:
    """What came of it; `reference` is None where the reference itself could not be read."""

    reference: MediaFacts | None
    reference_notes: tuple[Note, ...]
    recordings: tuple[RecordingResult, ...]

    @property
    def failed(self) -> bool:
        """Whether some file could not be read or written."""
        codes = {"unreadable", "storage"}
        notes = [*self.reference_notes, *(note for one in self.recordings for note in one.notes)]
        return any(note.code in codes for note in notes)


@dataclass(frozen=True, eq=False)
class Reference:
    """The reference as it was heard, ready for searches."""

    facts: MediaFacts
    heard: tuple[Heard, ...]

    @cached_property
    def prepared(self) -> PreparedReference:
        """With its search indices."""
        return index_reference(self.heard)


def hear_reference(path: Path, spool: Path, report: Report) -> tuple[Sound, MediaFacts, tuple[Heard, ...]]:
    """Open and hear the reference.

    Raises
    ------
    GullywindError : it cannot be read.
    """
    sound, facts = open_media(path, spool, checkpoint=_part(report, path, 0.0, 0.5))
    heard = hear(sound, checkpoint=_part(report, path, 0.5, 1.0))
    report(path, 1.0)
    return sound, facts, heard


def place_one(
    path: Path,
    spool: Path,
    get_reference: Callable[[], Reference | None],
    output: Path | None,
    report: Report,
    map_all: MapAll,
) -> RecordingResult:
    """Open, hear, place and perhaps render one recording; what goes wrong with it is in the result.

    Parameters
    ----------
    spool : where decoded sound goes; removed afterwards.
    get_reference : waits for the reference; None where it could not be read.
    output : where to render to, None: nowhere.
    """
    try:
        sound, facts = open_media(path, spool, checkpoint=_part(report, path, 0.0, 0.3))
    except GullywindError as error:
        return RecordingResult(str(path), None, None, (Note(error.code, f"{path.name} {error}."),))
    try:
        heard = hear(sound, checkpoint=_part(report, path, 0.3, 0.6))
        reference = get_reference()
        if reference is None:
            note = Note("unreadable", "Not judged: the reference could not be read.")
            return RecordingResult(str(path), facts, None, (note,))
        alignment = align_recording(
            reference.prepared, heard, map_all=map_all, checkpoint=_part(report, path, 0.6, 0.9)
        )
        notes = (Note("truncated", "Ends before its header says; what is there was used."),) if facts.truncated else ()
        if output and alignment.time_map:
            # Loaded only for those who render: it takes a tenth of a second.
            from gullywind.actions.render_file import render_file

            try:
                render_file(sound, facts, alignment.time_map, reference.facts, output)
            except GullywindError as error:
                notes = (*notes, Note(error.code, str(error)))
        report(path, 1.0)
        return RecordingResult(str(path), facts, alignment, notes)
    finally:
        sound.close()
        spool.unlink(missing_ok=True)


def _part(report: Report, path: Path, low: float, high: float) -> Checkpoint:
    return lambda done: report(path, low + (high - low) * done)
