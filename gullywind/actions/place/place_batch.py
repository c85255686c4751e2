"""A batch of files on as many processes as there are cores; the reference is one of the files that they share out.

Processes, because two threads that make many short calls wait for each other: eight pairs took them 1.4 to 1.8 s, two
processes 1.4 s, one thread 2.5 s. And because a file may end the process that reads it: that is its own failure, and
another process goes on with the rest. Parent and child speak through a pipe of their own: a child that is killed leaves
no lock behind on which others wait.
"""

import multiprocessing
import os
import pickle
import signal
from dataclasses import dataclass, field
from multiprocessing.connection import Connection, wait
from multiprocessing.context import ForkProcess
from pathlib import Path

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
from gullywind.core.ground.words import Note
from gullywind.core.measure.evidence import Way
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.file_notes import failed_by_itself, lost_note
from gullywind.core.sound.timecode import Timecode
from gullywind.formats.media import decoding_work
from gullywind.formats.result_json import RecordingResult

#: What the comparison of recordings with one another is told of as.
NEIGHBOURS = Path("neighbours")
#: Progress in smaller steps is not told.
LEAST_STEP = 0.05
#: What was heard of the reference, for all.
HEARD_REFERENCE = "reference.heard"
#: In place of a recording's number: the reference.
REFERENCE = -1


def place_batch(request: PlaceRequest, spools: Path, outputs: list[Outputs], report: Report) -> Placed:
    """Hear, place and, if asked, render all recordings.

    Parameters
    ----------
    spools : folder for decoded sound.
    outputs : what to write of each recording, and where.
    """
    batch = _Batch(request, spools, outputs, report)
    batch.run()
    recordings = tuple(batch.results[i] for i in range(len(request.recordings)))
    if not isinstance(batch.reference, MediaFacts):
        return Placed(None, (batch.reference,) if batch.reference else (), recordings)

    def reference() -> Reference:
        loaded: Reference = pickle.loads((spools / HEARD_REFERENCE).read_bytes())
        return loaded

    settled = settle_files(
        request,
        batch.reference,
        batch.codes,
        recordings,
        get_reference=reference,
        outputs=outputs,
        spools=spools,
        kept=[kept_in(spools, number) for number in range(len(recordings))],
        report=lambda done: report(NEIGHBOURS, done),
    )
    return Placed(batch.reference, (), settled, batch.codes)


def kept_in(spools: Path, number: int) -> Path:
    """Where what was heard of a recording is kept for its neighbours."""
    return spools / f"heard-{number}"


@dataclass
class _Told:
    """A message from a child: progress of a file, the reference or a result, or that it waits for the reference."""

    progress: tuple[Path, float] | None = None
    reference: MediaFacts | Note | None = None
    codes: tuple[Timecode, ...] = ()
    result: RecordingResult | None = None
    wants_reference: bool = False


@dataclass(eq=False)
class _Child:
    process: ForkProcess
    pipe: Connection
    in_hand: int | None = None


@dataclass(eq=False)
class _Batch:
    """The parent's side."""

    request: PlaceRequest
    spools: Path
    outputs: list[Outputs]
    report: Report
    reference: MediaFacts | Note | None = None
    codes: tuple[Timecode, ...] = ()
    results: dict[int, RecordingResult] = field(default_factory=dict)
    _children: list[_Child] = field(default_factory=list)
    _waiting: list[_Child] = field(default_factory=list)
    _order: list[int] = field(default_factory=list)

    def run(self) -> None:
        """Until every file has its result."""
        work = [decoding_work(path) for path in self.request.recordings]
        # What takes longest goes first, so that the processes end together; all wait for the reference.
        self._order = [REFERENCE, *sorted(range(len(work)), key=lambda i: -work[i])]
        try:
            for _ in range(min(os.cpu_count() or 1, len(self._order))):
                self._start_child()
            while self._children:
                ready = wait([part for child in self._children for part in (child.pipe, child.process.sentinel)])
                for child in [c for c in self._children if c.pipe in ready or c.process.sentinel in ready]:
                    self._attend(child)
        finally:
            for child in self._children:
                child.process.terminate()
                child.process.join()

    def _start_child(self) -> None:
        context = multiprocessing.get_context("fork")
        ours, theirs = context.Pipe()
        process = context.Process(target=_work, args=(theirs, self.request, self.spools, self.outputs), daemon=True)
        process.start()
        theirs.close()
        child = _Child(process, ours)
        self._children.append(child)
        self._give_work(child)

    def _give_work(self, child: _Child) -> None:
        child.in_hand = self._order.pop(0) if self._order else None
        try:
            child.pipe.send(child.in_hand)
        except OSError:
            # It is dead already; its sentinel tells the same.
            return

    def _attend(self, child: _Child) -> None:
        try:
            while child.pipe.poll():
                self._take(child, child.pipe.recv())
        except (EOFError, OSError, pickle.UnpicklingError):
            child.process.join()
        if child.process.is_alive():
            return
        child.process.join()
        child.pipe.close()
        self._children.remove(child)
        if child in self._waiting:
            self._waiting.remove(child)
        if child.in_hand is not None:
            self._lose(child.in_hand)
            if self._order:
                self._start_child()

    def _take(self, child: _Child, told: _Told) -> None:
        if told.progress:
            self.report(*told.progress)
        if told.wants_reference:
            self._waiting.append(child)
            self._tell_waiting()
        if told.reference is not None:
            self.codes = told.codes
            self._have_reference(told.reference)
            self._give_work(child)
        if told.result is not None and child.in_hand is not None:
            self.results[child.in_hand] = told.result
            self._give_work(child)

    def _lose(self, number: int) -> None:
        lost = lost_note()
        if number == REFERENCE:
            self._have_reference(lost)
        else:
            self.results[number] = RecordingResult(str(self.request.recordings[number]), None, None, (lost,))

    def _have_reference(self, reference: MediaFacts | Note) -> None:
        self.reference = reference
        self._tell_waiting()

    def _tell_waiting(self) -> None:
        if self.reference is None:
            return
        for child in self._waiting:
            child.pipe.send(None)
        self._waiting.clear()


def _work(pipe: Connection, request: PlaceRequest, spools: Path, outputs: list[Outputs]) -> None:
    """A child's work: one file after the other."""
    # The parent is told of Ctrl-C as well, and ends its children.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    heard_path = spools / HEARD_REFERENCE
    known: list[Reference | None] = []
    reported: dict[Path, float] = {}

    def reference() -> Reference | None:
        if not known:
            pipe.send(_Told(wants_reference=True))
            pipe.recv()
            known.append(pickle.loads(heard_path.read_bytes()) if heard_path.exists() else None)
        return known[0]

    def report(path: Path, fraction_done: float) -> None:
        # In steps: every message takes both from their work.
        if fraction_done >= min(reported.get(path, 0.0) + LEAST_STEP, 1.0):
            reported[path] = fraction_done
            pipe.send(_Told(progress=(path, fraction_done)))

    while (number := pipe.recv()) is not None:
        if number == REFERENCE:
            pipe.send(_reference_heard(request.reference, spools, heard_path, report))
            continue
        path, output = request.recordings[number], outputs[number]
        kept = kept_in(spools, number) if Way.NEIGHBOURS in request.ways else None
        result = place_one(path, spools / str(number), reference, output, report, map, request, kept)
        pipe.send(_Told(result=result))


def _reference_heard(path: Path, spools: Path, heard_path: Path, report: Report) -> _Told:
    """Hear the reference and leave what was heard for all."""
    try:
        _, facts, heard = hear_reference(path, spools / "reference", report)
    except GullywindError as error:
        return _Told(reference=Note(error.code, str(error)))
    except Exception as error:
        return _Told(reference=failed_by_itself(error))
    reference = Reference(facts, heard, path.stem)
    codes = reference.codes
    try:
        # Under another name first: who looks sees all of it or nothing.
        part = heard_path.with_suffix(".part")
        part.write_bytes(pickle.dumps(reference, pickle.HIGHEST_PROTOCOL))
        part.replace(heard_path)
    except OSError as error:
        why = (error.strerror or "").lower()
        return _Told(reference=Note("storage", f"could not be passed on to the other processes: {why}"))
    return _Told(reference=facts, codes=codes)
