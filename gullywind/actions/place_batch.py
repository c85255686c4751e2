"""A batch of files on as many processes as there are cores; the reference is one of the files that they share out.

Processes, because two threads that make many short calls wait for each other: eight pairs took them 1.4 to 1.8 s, two
processes 1.4 s, one thread 2.5 s. Whoever takes the reference leaves what it heard in a file; the others hear
recordings until it is there.
"""

import multiprocessing
import multiprocessing.context
import os
import pickle
from pathlib import Path

from gullywind.actions.place_one import Placed, PlaceRequest, Reference, Report, hear_reference, place_one
from gullywind.core.errors import GullywindError
from gullywind.core.evidence import Note
from gullywind.core.facts import MediaFacts
from gullywind.formats.media import decoding_work
from gullywind.formats.result_json import RecordingResult

#: How long to wait for a child's message before looking whether it lives.
POLL_S = 0.01
#: Progress in smaller steps is not told.
LEAST_STEP = 0.05
_LOST = "the work on this file broke off; the program ran out of memory or was stopped"


def place_batch(request: PlaceRequest, spools: Path, outputs: list[Path | None], report: Report) -> Placed:
    """Hear, place and, if asked, render all recordings.

    Parameters
    ----------
    spools : folder for decoded sound.
    outputs : where to render each recording to, None: nowhere.
    """
    context = multiprocessing.get_context("fork")
    shared = _Shared(context, request, spools, outputs)
    children = [
        context.Process(target=_work, args=(shared,)) for _ in range(min(os.cpu_count() or 1, len(shared.order)))
    ]
    for child in children:
        child.start()
    facts: MediaFacts | None = None
    notes: tuple[Note, ...] = (Note("unreadable", _LOST),)
    results: dict[int, RecordingResult] = {}
    try:
        while (alive := [child for child in children if child.is_alive()]) or not shared.told.empty():
            if any(child.exitcode and child.pid == shared.hearer.value for child in children):
                # It had the reference in hand: nobody is to wait for it in vain.
                shared.reference_done.set()
            if shared.told.empty():
                alive[0].join(POLL_S)
                continue
            what = shared.told.get()
            if isinstance(what, tuple):
                report(*what)
            elif isinstance(what, _Done):
                results[what.number] = what.result
            else:
                facts, notes = (None, (what,)) if isinstance(what, Note) else (what, ())
    finally:
        for child in children:
            child.terminate()
            child.join()
    lost = (Note("unreadable", f"{_LOST.capitalize()}."),)
    recordings = [
        results.get(i, RecordingResult(str(path), None, None, lost)) for i, path in enumerate(request.recordings)
    ]
    return Placed(facts, notes, tuple(recordings))


class _Done:
    """A recording's result on its way to the parent."""

    def __init__(self, number: int, result: RecordingResult) -> None:
        self.number, self.result = number, result


class _Shared:
    """What parent and children have in common."""

    def __init__(
        self,
        context: multiprocessing.context.ForkContext,
        request: PlaceRequest,
        spools: Path,
        outputs: list[Path | None],
    ) -> None:
        self.request, self.spools, self.outputs = request, spools, outputs
        work = [decoding_work(path) for path in request.recordings]
        #: The reference (None) first, then what takes longest, so that the processes end together.
        self.order: list[int | None] = [None, *sorted(range(len(work)), key=lambda i: -work[i])]
        #: Progress `(path, fraction_done)`, what came of the reference (`MediaFacts` or `Note`), and `_Done`.
        self.told = context.SimpleQueue()
        self.reference_done = context.Event()
        #: The process that took the reference; 0 before.
        self.hearer = context.Value("i", 0)
        self._taken = context.Value("i", 0)
        self._reported: dict[Path, float] = {}

    @property
    def heard_path(self) -> Path:
        """The file in which the reference's features are passed on; absent where it could not be read."""
        return self.spools / "reference.heard"

    def take(self) -> int:
        """The next place in `order`; past its end when all are taken."""
        with self._taken.get_lock():
            self._taken.value += 1
            return int(self._taken.value) - 1

    def report(self, path: Path, fraction_done: float) -> None:
        """Pass progress on to the parent, in steps: every message takes both from their work."""
        if fraction_done >= min(self._reported.get(path, 0.0) + LEAST_STEP, 1.0):
            self._reported[path] = fraction_done
            self.told.put((path, fraction_done))


def _work(shared: _Shared) -> None:
    """A child's work: one file after the other."""
    known: list[Reference | None] = []

    def reference() -> Reference | None:
        if not known:
            shared.reference_done.wait()
            heard = shared.heard_path
            known.append(Reference(*pickle.loads(heard.read_bytes())) if heard.exists() else None)
        return known[0]

    while (place := shared.take()) < len(shared.order):
        number = shared.order[place]
        if number is None:
            shared.hearer.value = os.getpid()
            shared.told.put(_reference_heard(shared))
            shared.reference_done.set()
            continue
        path, output = shared.request.recordings[number], shared.outputs[number]
        result = place_one(path, shared.spools / str(number), reference, output, shared.report, map)
        shared.told.put(_Done(number, result))


def _reference_heard(shared: _Shared) -> MediaFacts | Note:
    """Hear the reference and leave what was heard for all."""
    try:
        sound, facts, heard = hear_reference(shared.request.reference, shared.spools / "reference", shared.report)
    except GullywindError as error:
        return Note(error.code, str(error))
    part = shared.heard_path.with_suffix(".part")
    try:
        # Whole, not rounded as what the server keeps: a batch says of a file what it says of it alone.
        part.write_bytes(pickle.dumps((facts, heard)))
        part.rename(shared.heard_path)
    except OSError as error:
        return Note("storage", f"what was heard could not be stored: {(error.strerror or str(error)).lower()}")
    finally:
        sound.close()
    return facts
