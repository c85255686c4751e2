"""Place files against a reference file, several at once, on all cores: the command line's work."""

import os
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from gullywind.actions.place_batch import place_batch
from gullywind.actions.place_one import Placed, PlaceRequest, Reference, Report, hear_reference, place_one
from gullywind.core.errors import GullywindError
from gullywind.core.evidence import Note
from gullywind.formats.file_names import numbered


def place_files(request: PlaceRequest, report: Report) -> Placed:
    """Open, hear, place and, if asked, render all files; a bad file never stops the others."""
    with tempfile.TemporaryDirectory(prefix="gullywind-") as folder:
        outputs = _output_names(request)
        if len(request.recordings) == 1:
            return _place_single(request, Path(folder), outputs[0], report)
        return place_batch(request, Path(folder), outputs, report)


def _place_single(request: PlaceRequest, spools: Path, output: Path | None, report: Report) -> Placed:
    """One pair: both are heard at once, then the windows share the cores."""
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        waiting = pool.submit(hear_reference, request.reference, spools / "reference", report)

        def reference() -> Reference | None:
            try:
                _, facts, heard = waiting.result()
            except GullywindError:
                return None
            return Reference(facts, heard)

        placed = place_one(request.recordings[0], spools / "0", reference, output, report, pool.map)
        try:
            return Placed(waiting.result()[1], (), (placed,))
        except GullywindError as error:
            return Placed(None, (Note(error.code, str(error)),), (placed,))


def _output_names(request: PlaceRequest) -> list[Path | None]:
    """`STEM.wav` in the folder for rendering, numbered in the order given."""
    if request.render_dir is None:
        return [None] * len(request.recordings)
    return [request.render_dir / f"{name}.wav" for name in numbered([path.stem for path in request.recordings])]
