"""Place files against a reference file, several at once, on all cores: the command line's work."""

import os
import tempfile
from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from gullywind.actions.render_file import render_file
from gullywind.core.align import PreparedReference, align_recording, hear, prepare_reference
from gullywind.core.errors import GullywindError
from gullywind.core.evidence import Note
from gullywind.core.facts import MediaFacts
from gullywind.core.units import Checkpoint
from gullywind.core.windows import MapAll
from gullywind.formats.media import Sound, open_media
from gullywind.formats.result_json import RecordingResult

#: `report(path, fraction_done)`; called from several threads.
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


def place_files(request: PlaceRequest, report: Report) -> Placed:
    """Open, hear, place and, if asked, render all files; a bad file never stops the others."""
    with tempfile.TemporaryDirectory(prefix="gullywind-") as folder, ThreadPoolExecutor(os.cpu_count()) as pool:
        spools = Path(folder)
        reference = pool.submit(_open_reference, request.reference, spools / "reference", report)
        inner = ThreadPoolExecutor(os.cpu_count()) if len(request.recordings) == 1 else None
        outputs = _output_names(request)
        jobs = [
            pool.submit(_place_one, path, spools / str(i), reference, output, report, inner)
            for i, (path, output) in enumerate(zip(request.recordings, outputs, strict=True))
        ]
        recordings = tuple(job.result() for job in jobs)
        if inner:
            inner.shutdown()
        try:
            _, facts, _ = reference.result()
        except GullywindError as error:
            return Placed(None, (Note(error.code, str(error)),), recordings)
        return Placed(facts, (), recordings)


Reference = tuple[Sound, MediaFacts, PreparedReference]


def _open_reference(path: Path, spool: Path, report: Report) -> Reference:
    sound, facts = open_media(path, spool, checkpoint=_part(report, path, 0.0, 0.5))
    prepared = prepare_reference(sound, checkpoint=_part(report, path, 0.5, 1.0))
    return sound, facts, prepared


def _place_one(
    path: Path,
    spool: Path,
    reference_job: Future[Reference],
    output: Path | None,
    report: Report,
    inner: Executor | None,
) -> RecordingResult:
    try:
        sound, facts = open_media(path, spool, checkpoint=_part(report, path, 0.0, 0.3))
    except GullywindError as error:
        return RecordingResult(str(path), None, None, (Note(error.code, f"{path.name} {error}."),))
    try:
        heard = hear(sound, checkpoint=_part(report, path, 0.3, 0.6))
        try:
            _, reference_facts, prepared = reference_job.result()
        except GullywindError:
            note = Note("unreadable", "Not judged: the reference could not be read.")
            return RecordingResult(str(path), facts, None, (note,))
        map_all: MapAll = inner.map if inner else map
        alignment = align_recording(prepared, heard, map_all=map_all, checkpoint=_part(report, path, 0.6, 0.9))
        notes = (Note("truncated", "Ends before its header says; what is there was used."),) if facts.truncated else ()
        if output and alignment.time_map:
            try:
                render_file(sound, facts, alignment.time_map, reference_facts, output)
            except GullywindError as error:
                notes = (*notes, Note(error.code, str(error)))
        report(path, 1.0)
        return RecordingResult(str(path), facts, alignment, notes)
    finally:
        sound.close()
        spool.unlink(missing_ok=True)


def _part(report: Report, path: Path, low: float, high: float) -> Checkpoint:
    return lambda done: report(path, low + (high - low) * done)


def _output_names(request: PlaceRequest) -> list[Path | None]:
    """`STEM.wav`; where two share a stem, the later ones become `STEM-2.wav` and so on, in the order given."""
    if request.render_dir is None:
        return [None] * len(request.recordings)
    taken: set[str] = set()
    names: list[Path | None] = []
    for path in request.recordings:
        name, count = path.stem, 1
        while name.casefold() in taken:
            count += 1
            name = f"{path.stem}-{count}"
        taken.add(name.casefold())
        names.append(request.render_dir / f"{name}.wav")
    return names
