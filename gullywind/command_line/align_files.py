"""Place recordings, write them aligned, tell the result in words and as JSON: the work of `gullywind align`."""

import json
import sys
import threading
from pathlib import Path

from gullywind.actions.place.place_files import place_files
from gullywind.actions.place.place_one import PlaceRequest
from gullywind.core.ground.words import percent
from gullywind.core.judge.notes import left_over_words
from gullywind.core.measure.evidence import Status
from gullywind.formats.file_names import shown
from gullywind.formats.result_json import RecordingResult, result_json


def align_files(
    reference: Path,
    recordings: tuple[Path, ...],
    *,
    render_dir: Path | None,
    json_to: str | None,
    neighbours: bool = True,
) -> int:
    """Place, render, report; returns the exit status: 0 done, 1 some file could not be read or written.

    Parameters
    ----------
    render_dir : made if it is not there; None: nothing is rendered.
    json_to : a file, `-` for standard output, None for neither.
    neighbours : whether places may come through other recordings.
    """
    if render_dir:
        try:
            render_dir.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            print(shown(f"gullywind: {render_dir}: cannot be used for rendering: {error.strerror}."), file=sys.stderr)
            return 1
    compared = neighbours and len(recordings) > 1
    progress = Progress(len(recordings) + 1 + compared)
    placed = place_files(PlaceRequest(reference, recordings, render_dir, neighbours), progress.report)
    progress.end()
    for note in placed.reference_notes:
        print(shown(f"{reference}: {note.message.rstrip('.')}."), file=sys.stderr)
    failed = placed.failed
    if json_to:
        text = json.dumps(result_json(str(reference), placed.reference, placed.recordings), indent=1)
        if json_to == "-":
            print(text)
        else:
            try:
                Path(json_to).write_text(text + "\n")
            except OSError as error:
                print(shown(f"gullywind: {json_to}: could not be written: {error.strerror}."), file=sys.stderr)
                failed = True
    where = sys.stderr if json_to == "-" else sys.stdout
    for one in placed.recordings:
        print(shown(f"{one.path}: {sentence(one)}"), file=where)
    return 1 if failed else 0


def sentence(result: RecordingResult) -> str:
    """What became of a recording, in words."""
    notes = " ".join(note.message for note in (*result.notes, *(result.alignment.notes if result.alignment else ())))
    judged = result.alignment
    if judged is None:
        return f"failed. {notes}"
    sure = f"{percent(judged.confidence)} % sure".replace("\u00a0", " ")
    if judged.status is Status.PLACED and judged.time_map:
        residual = judged.residual
        left = f", {left_over_words(residual.median_ms, residual.p95_ms)}" if residual else ""
        return f"starts at {judged.time_map.offset_s:.6f} s, {sure}{left}. {notes}".rstrip()
    if judged.status is Status.UNSURE:
        places = ", ".join(f"{c.offset_s:.3f} s ({c.score:.2f})" for c in judged.candidates)
        return f"unsure, a person must choose: {places}. {notes}".rstrip()
    return f"does not belong here: nothing in the reference matches it. {notes}".rstrip()


class Progress:
    """One line on standard error with how much of all is done; quiet where nobody watches a terminal."""

    def __init__(self, files: int) -> None:
        self._files = files
        self._done: dict[Path, float] = {}
        self._lock = threading.Lock()
        self._shown = -1
        self._live = sys.stderr.isatty()

    def report(self, path: Path, fraction_done: float) -> None:
        """Take note of one file's progress, 0..1; from any thread."""
        with self._lock:
            self._done[path] = fraction_done
            done = int(100 * sum(self._done.values()) / self._files)
            if done > self._shown and (self._live or done >= self._shown + 10):
                self._shown = done
                print(f"listening {done:3d} %", end="\r" if self._live else "\n", file=sys.stderr, flush=True)

    def end(self) -> None:
        """Clear the line."""
        if self._live:
            print(" " * 20, end="\r", file=sys.stderr, flush=True)
