"""Place files against a reference file, several at once, on all cores: the command line's work."""

import multiprocessing
import os
import signal
import tempfile
import threading
from concurrent.futures import ThreadPoolExecutor
from multiprocessing.connection import Connection
from pathlib import Path

from gullywind.actions.place.place_batch import place_batch
from gullywind.actions.place.place_one import (
    Outputs,
    Placed,
    PlaceRequest,
    Reference,
    Report,
    hear_reference,
    place_one,
)
from gullywind.actions.place.settle_files import settle_files
from gullywind.core.ground.errors import GullywindError
from gullywind.core.ground.units import no_checkpoint
from gullywind.core.ground.words import Note
from gullywind.formats.file_names import numbered


def place_files(request: PlaceRequest, report: Report) -> Placed:
    """Open, hear, place and, if asked, render all files; a bad file never stops the others."""
    with tempfile.TemporaryDirectory(prefix="gullywind-") as folder:
        outputs = _output_names(request)
        single = _place_apart(request, Path(folder), outputs[0], report) if len(request.recordings) == 1 else None
        # Where a file ends the process that reads it, the batch finds out which: there each is read by itself.
        return single or place_batch(request, Path(folder), outputs, report)


def _place_apart(request: PlaceRequest, spools: Path, outputs: Outputs, report: Report) -> Placed | None:
    """One pair in a process of its own; None where that did not come to its end."""
    context = multiprocessing.get_context("fork")
    ours, theirs = context.Pipe(duplex=False)
    child = context.Process(target=_work, args=(theirs, request, spools, outputs), daemon=True)
    child.start()
    theirs.close()
    try:
        while True:
            told = ours.recv()
            if isinstance(told, Placed):
                return told
            report(*told)
    except EOFError:
        return None
    finally:
        ours.close()
        child.terminate()
        child.join()


def _work(pipe: Connection, request: PlaceRequest, spools: Path, outputs: Outputs) -> None:
    # The parent is told of Ctrl-C as well, and ends its child.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    lock = threading.Lock()

    def report(path: Path, fraction_done: float) -> None:
        with lock:
            pipe.send((path, fraction_done))

    placed = _place_single(request, spools, outputs, report)
    with lock:
        pipe.send(placed)


def _place_single(request: PlaceRequest, spools: Path, outputs: Outputs, report: Report) -> Placed:
    """One pair: both are heard at once, then the windows share the cores."""
    with ThreadPoolExecutor(os.cpu_count()) as pool:
        waiting = pool.submit(hear_reference, request.reference, spools / "reference", report)

        def reference() -> Reference | None:
            try:
                _, facts, heard = waiting.result()
            except GullywindError:
                return None
            return Reference(facts, heard, request.reference.stem)

        placed = place_one(request.recordings[0], spools / "0", reference, outputs, report, pool.map, request)
        try:
            _, facts, heard = waiting.result()
        except GullywindError as error:
            return Placed(None, (Note(error.code, str(error)),), (placed,))
        known = Reference(facts, heard, request.reference.stem)
        settled = settle_files(
            request,
            facts,
            known.codes,
            (placed,),
            get_reference=lambda: known,
            outputs=(outputs,),
            spools=spools,
            kept=(),
            report=no_checkpoint,
        )
        return Placed(facts, (), settled, known.codes)


def _output_names(request: PlaceRequest) -> list[Outputs]:
    """`STEM.wav` in the folder for sound, and `STEM` with its own suffix in that for pictures; numbered as given."""
    stems = numbered([path.stem for path in request.recordings])
    sounds, pictures = request.render_dir, request.picture_dir
    return [
        Outputs(
            sounds / f"{stem}.wav" if sounds else None,
            pictures / f"{stem}{path.suffix}" if pictures else None,
        )
        for stem, path in zip(stems, request.recordings, strict=True)
    ]
