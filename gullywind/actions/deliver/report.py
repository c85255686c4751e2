"""The report on a project as a table: where each recording lies, by what, how sure, what is left over."""

import csv
import io
from typing import Any
from uuid import UUID

from gullywind.actions.status import status_of_recording
from gullywind.actions.words import notes_of
from gullywind.core.judge.set_places import SET_CODE
from gullywind.core.measure.evidence import Way
from gullywind.store.database import Session
from gullywind.store.projects import get_project
from gullywind.store.recordings import list_recordings
from gullywind.store.sets import sets_of
from gullywind.store.tables import RecordingRow

REPORT_FIELDS = [
    "name",
    "file",
    "status",
    "offset_s",
    "rate",
    "clock_ppm",
    "polarity",
    "confidence",
    "by",
    "through",
    "set",
    "residual_median_ms",
    "residual_p95_ms",
    "windows",
    "push_ms",
    "gain_db",
    "kept",
    "last_change",
    "remark",
    "notes",
]


def report_rows(session: Session, project_id: UUID) -> list[dict[str, Any]]:
    """One row a recording: offsets, confidence, residuals, notes; `set` counts the sets of the project from 1."""
    project = get_project(session, project_id)
    recordings, rows = list_recordings(session, project_id), []
    sets = {row.id: k for k, some in enumerate(sets_of(recordings).values(), 1) for row in some}
    for one in recordings:
        current, judged = one.current, one.placing
        time_map = current.value.heard_map if current else None
        residual = one.current_proof.residual if one.current_proof else None
        rows.append(
            {
                "name": one.name,
                "file": one.file_name,
                "status": "reference" if one.id == project.reference_id else status_of_recording(one),
                "offset_s": time_map.offset_s if time_map else None,
                "rate": time_map.rate if time_map else None,
                "clock_ppm": time_map.clock_ppm if time_map else None,
                "polarity": judged.polarity if judged else None,
                "confidence": judged.confidence if judged else None,
                "by": by_of(one),
                "through": " and ".join(judged.through) if judged and current else "",
                "set": sets.get(one.id),
                "residual_median_ms": residual["median_ms"] if residual else None,
                "residual_p95_ms": residual["p95_ms"] if residual else None,
                "windows": residual["windows"] if residual else None,
                "push_ms": current.value.push_s * 1e3 if current else None,
                "gain_db": current.value.sounding.gain_db if current else None,
                "kept": current.value.sounding.kept if current else None,
                "last_change": current.sentence if current else None,
                "remark": one.remark,
                "notes": " ".join(note["message"] for note in notes_of(one)),
            }
        )
    return rows


def by_of(row: RecordingRow) -> Way | None:
    """The way by which a recording got the place that it has; None where it has none, or is the reference."""
    judged = row.placing
    if row.current is None:
        return None
    if judged is None or not row.is_as_judged:
        return Way.HAND
    if judged.measurement is not None:
        return Way(judged.measurement.way)
    return Way.SET if any(note["code"] == SET_CODE for note in judged.notes) else Way.NEIGHBOURS


def report_csv(rows: list[dict[str, Any]]) -> str:
    """The report as CSV with a header."""
    out = io.StringIO()
    writer = csv.DictWriter(out, REPORT_FIELDS)
    writer.writeheader()
    writer.writerows({key: _as_text(value) for key, value in row.items()} for row in rows)
    return out.getvalue()


def _as_text(value: Any) -> Any:
    """A name that begins like a formula is no formula to whoever opens the table (OWASP, CSV injection)."""
    return f"'{value}" if isinstance(value, str) and value[:1] in ("=", "+", "-", "@", "\t", "\r") else value
