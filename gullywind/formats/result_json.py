"""The result of the command line as JSON, version 1."""

from dataclasses import dataclass
from typing import Any

from gullywind.core.features.claps import Clap
from gullywind.core.ground.words import Note
from gullywind.core.measure.evidence import Alignment, MovedTie, Status
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.timecode import Timecode, offset_by_code

VERSION = 1


@dataclass(frozen=True, eq=False)
class RecordingResult:
    """One recording's part: `alignment` is None where it could not be read, `through` are the paths of the recordings
    through which its place was found, from the reference on; `codes` what it says of its time, the most trustworthy
    first, `claps` the sharp sounds in it. `performed`: it was matched as another performance, and has ties.
    """

    path: str
    facts: MediaFacts | None
    alignment: Alignment | None
    notes: tuple[Note, ...]
    through: tuple[str, ...] = ()
    codes: tuple[Timecode, ...] = ()
    claps: tuple[Clap, ...] = ()
    performed: bool = False


def file_json(path: str, facts: MediaFacts | None) -> dict[str, Any]:
    """Path and form of a file; None where it could not be read."""
    return {
        "path": path,
        "duration_s": facts.duration_s if facts else None,
        "sample_rate_hz": facts.sample_rate_hz if facts else None,
        "channels": facts.channels if facts else None,
    }


def clap_json(clap: Clap) -> dict[str, Any]:
    """A sharp sound."""
    return {"t_rec": clap.t_rec, "certainty": clap.certainty}


def tie_json(moved: MovedTie) -> dict[str, Any]:
    """A tie of a bent performance."""
    tie = moved.tie
    return {
        "t_ref": tie.t_ref,
        "t_rec": tie.t_rec,
        "kind": str(tie.kind),
        "certainty": tie.certainty,
        "moved_s": moved.moved_s,
    }


def code_json(code: Timecode, reference: Timecode | None) -> dict[str, Any]:
    """What a recording says of its time, against what the reference says, None where that says nothing."""
    return {
        "source": str(code.source),
        "start": code.start,
        "rate": str(code.counting.rate),
        "drop_frame": code.counting.drop_frame,
        "offset_s": offset_by_code(reference, code) if reference else None,
    }


def recording_json(result: RecordingResult, reference: Timecode | None = None) -> dict[str, Any]:
    """One recording of the result; `reference` is what the reference says of its time."""
    judged = result.alignment
    time_map = judged.time_map if judged else None
    residual = judged.residual if judged else None
    notes = (*result.notes, *(judged.notes if judged else ()))
    return {
        **file_json(result.path, result.facts),
        "status": str(judged.status if judged else Status.FAILED),
        "offset_s": time_map.offset_s if time_map else None,
        "rate": time_map.rate if time_map else None,
        "clock_ppm": time_map.clock_ppm if time_map else None,
        "polarity": judged.polarity if judged else 1,
        "confidence": judged.confidence if judged else 0.0,
        "candidates": [
            {"offset_s": c.offset_s, "rate": c.rate, "score": c.score} for c in (judged.candidates if judged else ())
        ],
        "pieces": time_map.to_json() if time_map else [],
        "residual_ms": {"median": residual.median_ms, "p95": residual.p95_ms, "windows": residual.windows}
        if residual
        else None,
        "by": str(judged.by) if judged and time_map else None,
        "through": list(result.through),
        "timecode": [code_json(code, reference) for code in result.codes],
        "claps": [clap_json(clap) for clap in result.claps],
        **({"ties": [tie_json(one) for one in (judged.ties if judged else ())]} if result.performed else {}),
        "notes": [{"code": n.code, "message": n.message} for n in notes],
    }


def result_json(
    reference_path: str,
    reference: MediaFacts | None,
    recordings: tuple[RecordingResult, ...],
    reference_code: Timecode | None = None,
) -> dict[str, Any]:
    """The whole document; `reference_code` is what the reference says of its time."""
    return {
        "version": VERSION,
        "reference": file_json(reference_path, reference),
        "recordings": [recording_json(one, reference_code) for one in recordings],
    }
