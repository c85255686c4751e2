"""Listen to files, tell what is in them in words and as JSON: the work of `gullywind listen`."""

import sys
from pathlib import Path

from gullywind.actions.bring_in.listen_to_files import listen_to_files
from gullywind.command_line.output import write_json
from gullywind.command_line.progress import Progress
from gullywind.core.ground.timecode import Counting
from gullywind.core.ground.words import length
from gullywind.formats.file_names import shown
from gullywind.formats.listen_json import ListenResult, listen_json

#: Sharp sounds that are told of in words are at least this sure.
TOLD_CERTAINTY = 0.5
ALL = Path("all")


def listen_files(paths: tuple[Path, ...], *, json_to: str | None) -> int:
    """Listen and report; returns the exit status: 0 done, 1 some file could not be read or written.

    Parameters
    ----------
    json_to : a file, `-` for standard output, None for neither.
    """
    progress = Progress(1)
    results = listen_to_files(paths, lambda done: progress.report(ALL, done))
    progress.end()
    failed = any(one.facts is None for one in results)
    if json_to:
        failed = not write_json(listen_json(results), json_to) or failed
    where = sys.stderr if json_to == "-" else sys.stdout
    for one in results:
        print(shown(f"{one.path}: {sentence(one)}"), file=where)
    return 1 if failed else 0


def sentence(one: ListenResult) -> str:
    """What is heard in a file, in words."""
    notes = " ".join(note.message for note in one.notes)
    if one.facts is None:
        return f"failed. {notes}"
    parts = [length(one.facts.duration_s)]
    if one.loudness_lufs is not None:
        parts.append(f"{one.loudness_lufs:.1f} LUFS")
    if one.true_peak_dbtp is not None:
        parts.append(f"true peak {one.true_peak_dbtp:.1f} dBTP")
    sharp = sum(clap.certainty >= TOLD_CERTAINTY for clap in one.claps)
    if sharp:
        parts.append(f"{sharp} sharp sound{'s' if sharp > 1 else ''}")
    for run in one.runs:
        start = Counting(run.rate, run.drop_frame).written(run.start)
        parts.append(f"timecode from {start} in channel {run.channel + 1} ({run.frames} frames)")
    parts += [f"timecode {code.start} by its {code.source}" for code in one.codes]
    return f"{', '.join(parts)}. {notes}".rstrip()
