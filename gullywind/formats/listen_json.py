"""What was heard in files alone, as JSON, version 1."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from gullywind.core.features.claps import Clap
from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.ground.timecode import Counting
from gullywind.core.ground.words import Note
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.timecode import Timecode
from gullywind.formats.result_json import VERSION, clap_json, code_json, file_json


@dataclass(frozen=True, eq=False)
class ListenResult:
    """One file: `facts` is None where it could not be read; the levels are None for silence."""

    path: str
    facts: MediaFacts | None = None
    loudness_lufs: float | None = None
    true_peak_dbtp: float | None = None
    claps: tuple[Clap, ...] = ()
    runs: tuple[TimecodeRun, ...] = ()
    codes: tuple[Timecode, ...] = ()
    notes: tuple[Note, ...] = ()


def listen_json(results: Sequence[ListenResult]) -> dict[str, Any]:
    """The whole document."""
    return {"version": VERSION, "files": [_file(one) for one in results]}


def _file(one: ListenResult) -> dict[str, Any]:
    return {
        **file_json(one.path, one.facts),
        "loudness_lufs": one.loudness_lufs,
        "true_peak_dbtp": one.true_peak_dbtp,
        "claps": [clap_json(clap) for clap in one.claps],
        "timecode": [*(_run(run) for run in one.runs), *(code_json(code, None) for code in one.codes)],
        "notes": [{"code": note.code, "message": note.message} for note in one.notes],
    }


def _run(run: TimecodeRun) -> dict[str, Any]:
    return {
        "source": "sound",
        "channel": run.channel + 1,
        "rate": str(run.rate),
        "drop_frame": run.drop_frame,
        "start": Counting(run.rate, run.drop_frame).written(run.start),
        "at_s": run.at_s,
        "frames": run.frames,
        "speed": run.speed,
    }
