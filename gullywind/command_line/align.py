"""`gullywind align REFERENCE RECORDING...`: place recordings, write them aligned, tell the result."""

import argparse
import json
import sys
import threading
from pathlib import Path
from typing import Any

from gullywind.actions.place_files import place_files
from gullywind.actions.place_one import PlaceRequest
from gullywind.core.evidence import Status
from gullywind.core.notes import left_over_words
from gullywind.formats.result_json import RecordingResult, result_json


def add_to(commands: Any) -> None:
    """Add the command and its options to the parser."""
    parser = commands.add_parser(
        "align", help="find where each recording belongs", description="Find where each recording belongs."
    )
    parser.add_argument("reference", metavar="REFERENCE", type=Path)
    parser.add_argument("recordings", metavar="RECORDING", type=Path, nargs="+")
    parser.add_argument(
        "--match", choices=["same", "performance"], default="same", help="same event (default) or another performance"
    )
    parser.add_argument("--closeness", type=float, default=None, metavar="X", help="with --match performance: 0 to 1")
    parser.add_argument("--render", type=Path, metavar="DIR", help="write each placed recording into DIR")
    parser.add_argument("--json", metavar="FILE", help="write the result as JSON to FILE, - for standard output")
    parser.set_defaults(run=run)


def run(given: argparse.Namespace, parser: argparse.ArgumentParser) -> int:
    """Place, render, report; returns the exit status."""
    if given.closeness is not None and not 0 <= given.closeness <= 1:
        parser.error(f"--closeness must be from 0 to 1, got {given.closeness}")
    if given.closeness is not None and given.match == "same":
        parser.error("--closeness goes with --match performance")
    if given.match == "performance":
        parser.error("--match performance is not possible yet: this version lines up recordings of the same event")
    if given.render:
        try:
            given.render.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            print(f"gullywind: {given.render}: cannot be used for rendering: {error.strerror}.", file=sys.stderr)
            return 1
    progress = Progress(len(given.recordings) + 1)
    placed = place_files(PlaceRequest(given.reference, tuple(given.recordings), given.render), progress.report)
    progress.end()
    for note in placed.reference_notes:
        print(f"{given.reference}: {note.message}.", file=sys.stderr)
    failed = placed.failed
    if given.json:
        text = json.dumps(result_json(str(given.reference), placed.reference, placed.recordings), indent=1)
        if given.json == "-":
            print(text)
        else:
            try:
                Path(given.json).write_text(text + "\n")
            except OSError as error:
                print(f"gullywind: {given.json}: could not be written: {error.strerror}.", file=sys.stderr)
                failed = True
    where = sys.stderr if given.json == "-" else sys.stdout
    for one in placed.recordings:
        print(f"{one.path}: {sentence(one)}", file=where)
    return 1 if failed else 0


def sentence(result: RecordingResult) -> str:
    """What became of a recording, in words."""
    notes = " ".join(note.message for note in (*result.notes, *(result.alignment.notes if result.alignment else ())))
    judged = result.alignment
    if judged is None:
        return f"failed. {notes}"
    sure = f"{judged.confidence * 100:.1f} % sure"
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
            percent = int(100 * sum(self._done.values()) / self._files)
            if percent > self._shown and (self._live or percent >= self._shown + 10):
                self._shown = percent
                print(f"listening {percent:3d} %", end="\r" if self._live else "\n", file=sys.stderr, flush=True)

    def end(self) -> None:
        """Clear the line."""
        if self._live:
            print(" " * 20, end="\r", file=sys.stderr, flush=True)
