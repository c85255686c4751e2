"""The result of the command line as JSON, version 1."""

from dataclasses import dataclass
from typing import Any

from gullywind.core.ground.words import Note
from gullywind.core.measure.evidence import Alignment, Status
from gullywind.core.sound.facts import MediaFacts

VERSION = 1


@dataclass(frozen=True, eq=False)
class RecordingResult:
    """One recording's part: `alignment` is None where it could not be read, `through` are the paths of the recordings
    through which its place was found, from the reference on.
    """

    path: str
    facts: MediaFacts | None
    alignment: Alignment | None
    notes: tuple[Note, ...]
    through: tuple[str, ...] = ()


def file_json(path: str, facts: MediaFacts | None) -> dict[str, Any]:
    """Path and form of a file; None where it could not be read."""
    return {
        "path": path,
        "duration_s": facts.duration_s if facts else None,
        "sample_rate_hz": facts.sample_rate_hz if facts else None,
        "channels": facts.channels if facts else None,
    }


def recording_json(result: RecordingResult) -> dict[str, Any]:
    """One recording of the result."""
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
        "by": ("neighbours" if result.through else "sound") if time_map else None,
        "through": list(result.through),
        "notes": [{"code": n.code, "message": n.message} for n in notes],
    }


def result_json(
    reference_path: str, reference: MediaFacts | None, recordings: tuple[RecordingResult, ...]
) -> dict[str, Any]:
    """The whole document."""
    return {
        "version": VERSION,
        "reference": file_json(reference_path, reference),
        "recordings": [recording_json(one) for one in recordings],
    }
