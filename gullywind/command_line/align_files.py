"""Place recordings, write them aligned, tell the result in words and as JSON: the work of `gullywind align`."""

import sys
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from gullywind.actions.place.place_files import place_files
from gullywind.actions.place.place_one import PlaceRequest
from gullywind.command_line.output import write_json
from gullywind.command_line.progress import Progress
from gullywind.core.ground.words import percent
from gullywind.core.judge.notes import left_over_words
from gullywind.core.maps.ties import BendSettings
from gullywind.core.measure.evidence import Status, Way
from gullywind.formats.file_names import shown
from gullywind.formats.result_json import RecordingResult, result_json


def align_files(
    reference: Path,
    recordings: tuple[Path, ...],
    *,
    render_dir: Path | None,
    picture_dir: Path | None,
    json_to: str | None,
    ways: tuple[str, ...],
    bending: Mapping[str, Any] | None = None,
) -> int:
    """Place, render, report; returns the exit status: 0 done, 1 some file could not be read or written.

    Parameters
    ----------
    render_dir, picture_dir : for aligned sound, and for videos with the reference's sound; made if they are not there.
        None: neither is written.
    json_to : a file, `-` for standard output, None for neither.
    ways : names of the ways by which places may be found.
    bending : what was given of `BendSettings`, for other performances of a part; None: all heard the same event.
    """
    for folder, what in ((render_dir, "rendering"), (picture_dir, "pictures")):
        try:
            if folder:
                folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            print(shown(f"gullywind: {folder}: cannot be used for {what}: {error.strerror}."), file=sys.stderr)
            return 1
    bend = None if bending is None else BendSettings(**bending)
    if bend:
        ways = (Way.SOUND,)
    compared = Way.NEIGHBOURS in ways and len(recordings) > 1
    progress = Progress(len(recordings) + 1 + compared)
    placed = place_files(
        PlaceRequest(reference, recordings, render_dir, tuple(Way(one) for one in ways), picture_dir, bend),
        progress.report,
    )
    progress.end()
    for note in placed.reference_notes:
        print(shown(f"{reference}: {note.message.rstrip('.')}."), file=sys.stderr)
    failed = placed.failed
    if json_to:
        code = placed.reference_codes[0] if placed.reference_codes else None
        document = result_json(str(reference), placed.reference, placed.recordings, code)
        failed = not write_json(document, json_to) or failed
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
        if judged.ties:
            left += f", bent along {len(judged.ties)} ties"
        return f"starts at {judged.time_map.offset_s:.6f} s, {sure}{left}. {notes}".rstrip()
    if judged.status is Status.UNSURE:
        places = ", ".join(f"{c.offset_s:.3f} s ({c.score:.2f})" for c in judged.candidates)
        return f"unsure, a person must choose: {places}. {notes}".rstrip()
    return f"does not belong here: nothing in the reference matches it. {notes}".rstrip()
