"""Place files against a reference file, several at once, on all cores: the command line's work."""

import importlib
import multiprocessing
import os
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

from gullywind.actions.render_file import render_file
from gullywind.core.align import PreparedReference, align_recording, hear, prepare_reference
from gullywind.core.errors import GullywindError
from gullywind.core.evidence import Note
from gullywind.core.facts import MediaFacts
from gullywind.core.units import Checkpoint
from gullywind.core.windows import MapAll
from gullywind.formats.file_names import numbered
from gullywind.formats.media import Sound, open_media
from gullywind.formats.result_json import RecordingResult

#: How long to wait for a child's message before looking whether it lives.
POLL_S = 0.01
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
    with tempfile.TemporaryDirectory(prefix="gullywind-") as folder:
        spools = Path(folder)
        outputs = _output_names(request)
        if len(request.recordings) == 1:
            return _place_single(request.reference, request.recordings[0], spools, outputs[0], report)
        try:
            reference: Reference | None = _open_reference(request.reference, spools / "reference", report)
            notes: tuple[Note, ...] = ()
        except GullywindError as error:
            reference, notes = None, (Note(error.code, str(error)),)
        recordings = _place_in_processes(request, spools, outputs, reference, report)
        return Placed(reference.facts if reference else None, notes, recordings)


@dataclass(frozen=True, eq=False)
class Reference:
    """The opened and prepared reference."""

    sound: Sound
    facts: MediaFacts
    prepared: PreparedReference

    def reopened(self, path: Path, spool: Path) -> "Reference":
        """The same with a file handle of its own: forked processes would share one position in the file."""
        sound, facts = open_media(path, spool)
        heard = tuple(replace(one, view=replace(one.view, source=sound)) for one in self.prepared.heard)
        return Reference(sound, facts, PreparedReference(heard, self.prepared.indices))


def _place_single(path: Path, recording: Path, spools: Path, output: Path | None, report: Report) -> Placed:
    """One pair: both are heard at once, then the windows share the cores."""
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        waiting = pool.submit(_open_reference, path, spools / "reference", report)
        # The proof will render; what that needs is imported while the files are heard.
        pool.submit(importlib.import_module, "gullywind.core.warp")

        def reference() -> Reference | None:
            try:
                return waiting.result()
            except GullywindError:
                return None

        placed = _place_one(recording, spools / "0", reference, output, report, pool.map)
        try:
            return Placed(waiting.result().facts, (), (placed,))
        except GullywindError as error:
            return Placed(None, (Note(error.code, str(error)),), (placed,))


#: One recording of a batch: number, its file, where to render to.
Task = tuple[int, Path, Path | None]


def _place_in_processes(
    request: PlaceRequest, spools: Path, outputs: list[Path | None], reference: Reference | None, report: Report
) -> tuple[RecordingResult, ...]:
    """A batch, on as many processes as there are cores.

    Processes, because two threads that make many short numpy calls took longer than one alone (8.1 s against 5.5 s for
    eight pairs); forked ones, because they have the reference's features without copying them.
    """
    # The renderer compiles on import: once here instead of once in each child.
    importlib.import_module("gullywind.core.warp")
    context = multiprocessing.get_context("fork")
    told = context.SimpleQueue()

    def work(tasks: list[Task]) -> None:
        own = reference.reopened(request.reference, spools / "reference") if reference else None
        for number, path, output in tasks:
            result = _place_one(
                path, spools / str(number), lambda: own, output, lambda p, done: told.put((None, p, done)), map
            )
            told.put((number, path, result))

    tasks: list[Task] = [(i, *pair) for i, pair in enumerate(zip(request.recordings, outputs, strict=True))]
    # The largest first and dealt out in turn, so that the processes end together.
    tasks.sort(key=lambda task: -_size(task[1]))
    count = min(os.cpu_count() or 1, len(tasks))
    children = [context.Process(target=work, args=(tasks[k::count],)) for k in range(count)]
    for child in children:
        child.start()
    results: dict[int, RecordingResult] = {}
    try:
        while len(results) < len(tasks):
            if told.empty() and not any(child.is_alive() for child in children) and told.empty():
                break
            if told.empty():
                children[0].join(POLL_S)
                continue
            number, path, what = told.get()
            if number is None:
                report(path, what)
            else:
                results[number] = what
    finally:
        for child in children:
            child.terminate()
            child.join()
    lost = Note("unreadable", "The work on this file broke off; the program ran out of memory or was stopped.")
    return tuple(
        results.get(i, RecordingResult(str(path), None, None, (lost,))) for i, path in enumerate(request.recordings)
    )


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0


def _open_reference(path: Path, spool: Path, report: Report) -> Reference:
    sound, facts = open_media(path, spool, checkpoint=_part(report, path, 0.0, 0.5))
    return Reference(sound, facts, prepare_reference(sound, checkpoint=_part(report, path, 0.5, 1.0)))


def _place_one(
    path: Path,
    spool: Path,
    get_reference: Callable[[], Reference | None],
    output: Path | None,
    report: Report,
    map_all: MapAll,
) -> RecordingResult:
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


def _output_names(request: PlaceRequest) -> list[Path | None]:
    """`STEM.wav` in the folder for rendering, numbered in the order given."""
    if request.render_dir is None:
        return [None] * len(request.recordings)
    return [request.render_dir / f"{name}.wav" for name in numbered([path.stem for path in request.recordings])]
