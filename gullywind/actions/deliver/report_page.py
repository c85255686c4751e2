"""The report as a page to print: one file of HTML with the traces as pictures, and nothing beside it."""

from collections.abc import Sequence
from datetime import datetime
from html import escape
from uuid import UUID

from gullywind.actions.deliver.report import by_of
from gullywind.actions.words import clock_label, facts_line, notes_of, sentence_of
from gullywind.core.ground.words import percent, short_time, signed
from gullywind.core.proof import Verdict, verdict_of
from gullywind.store.database import Session
from gullywind.store.projects import get_project
from gullywind.store.recordings import list_recordings
from gullywind.store.tables import ProofRow, RecordingRow

#: The picture of a trace, in its own units, and the least that its height shows to either side, ms.
TRACE_WIDTH, TRACE_HEIGHT, LEAST_SHOWN_MS = 900, 64, 0.1
STYLE = """
@page { size: A4 landscape; margin: 14mm }
body { font: 10pt/1.4 "Source Sans 3", "Noto Sans", sans-serif; color: #22323a; background: #fff; margin: 2em auto;
  max-width: 66em; font-variant-numeric: tabular-nums }
h1 { font: 20pt/1.2 "Source Serif 4", "Noto Serif", serif; margin: 0 }
p { margin: 0.2em 0 } .soft { color: #5d6a70 } .reference { color: #2d5c7f; font-weight: 600 }
table { border-collapse: collapse; width: 100%; margin-top: 1.5em }
th { text-align: right; font-weight: 400; color: #5d6a70; border-bottom: 1px solid #bdb294; padding: 0.2em 0.6em }
td { text-align: right; padding: 0.5em 0.6em 0; vertical-align: top } th:first-child, td:first-child { text-align: left;
  padding-left: 0; font-weight: 600 } td.wide { text-align: left; font-weight: 400; padding: 0 0 0.6em }
tbody { break-inside: avoid; border-bottom: 1px solid #d8d0bb }
svg { display: block; width: 100%; height: auto }
"""
MARKS = {
    Verdict.AGREES: '<circle cx="{x:.1f}" cy="{y:.1f}" r="2.4" fill="#4c6c36"/>',
    Verdict.DIFFERS: '<path d="M{x:.1f} {y:.1f}m0-3.2l3.2 3.2-3.2 3.2-3.2-3.2z" fill="#8a5a08"/>',
    Verdict.NOTHING: '<circle cx="{x:.1f}" cy="{y:.1f}" r="2.2" fill="none" stroke="#5d6a70"/>',
}


def report_page(session: Session, project_id: UUID) -> str:
    """Every recording of a project: offset, clock, push, what is left over with its trace, how sure, by what."""
    project = get_project(session, project_id)
    rows = list_recordings(session, project_id)
    reference = next((one for one in rows if one.id == project.reference_id), None)
    span_s = _span(rows, reference)
    head = (
        f'<p><span class="reference">{escape(reference.name)}</span> is the reference: '
        f"{escape(facts_line(reference.media))}.</p>"
        if reference
        else "<p>No reference is chosen.</p>"
    )
    bodies = "\n".join(_body(one, span_s) for one in rows if reference is None or one.id != reference.id)
    names = ("recording", "starts at, s", "clock, ppm", "push, ms", "gain, dB", "left over", "sure", "by")
    columns = "".join(f"<th>{one}</th>" for one in names)
    return f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{escape(project.name)} · report</title><style>{STYLE}</style></head>
<body>
<h1>{escape(project.name)}</h1>
{head}
<p class="soft">Written {datetime.now():%Y-%m-%d %H:%M}. Below each recording what is left over, window by window,
along the reference: a dot agrees, a diamond differs, a ring is too unclear to say.</p>
<table><thead><tr>{columns}</tr></thead>
{bodies}
</table>
</body></html>
"""


def _span(rows: Sequence[RecordingRow], reference: RecordingRow | None) -> tuple[float, float]:
    """Reference time from the first to the last that is placed, s."""
    ends = [(0.0, (reference.media.duration_s if reference else None) or 1.0)]
    for one in rows:
        if one.current:
            heard = one.current.value.heard_map
            ends.append((heard.start_ref_s, heard.end_ref_s_exclusive))
    return min(start for start, _ in ends), max(end for _, end in ends)


def _body(row: RecordingRow, span_s: tuple[float, float]) -> str:
    version = row.current.value if row.current else None
    proof, judged = row.current_proof, row.placing
    cells = [escape(row.name), *[""] * 7]
    if version is not None:
        left = proof.residual["median_ms"] if proof and proof.residual else None
        sure = f"{percent(judged.confidence)} %" if judged and row.is_as_judged else ""
        cells[1:] = [
            signed(version.heard_map.offset_s, 6),
            clock_label(row),
            signed(version.push_s * 1e3, 1) if version.push_s else "",
            signed(version.sounding.gain_db, 1) if version.sounding.gain_db else "",
            short_time(left) if left is not None else "",
            sure,
            _by(row),
        ]
    told = [sentence_of(row)] if version is None else [note["message"] for note in notes_of(row)]
    if version is not None and not version.sounding.kept:
        told.append("Kept as scratch sound: not delivered.")
    if row.remark:
        told.append(f"Note: {row.remark}")
    trace = _trace(proof, span_s) if proof else ""
    words = f'<p class="soft">{escape(" ".join(told))}</p>' if told else ""
    line = "".join(f"<td>{one}</td>" for one in cells)
    return f'<tbody><tr>{line}</tr><tr><td class="wide" colspan="{len(cells)}">{words}{trace}</td></tr></tbody>'


def _by(row: RecordingRow) -> str:
    by = by_of(row)
    through = row.placing.through if row.placing and row.is_as_judged else []
    return escape(f"{by}, through {' and '.join(through)}" if by and through else str(by or ""))


def _trace(proof: ProofRow, span_s: tuple[float, float]) -> str:
    """The windows of a proof along the reference, as a picture."""
    start_s, end_s = span_s
    clear = [abs(lag) for _, lag, quality, _ in proof.windows if verdict_of(lag / 1e3, quality) is not Verdict.NOTHING]
    most_ms = max(LEAST_SHOWN_MS, *(1.2 * one for one in clear)) if clear else LEAST_SHOWN_MS
    half = TRACE_HEIGHT / 2
    marks = []
    for t_ref, lag_ms, quality, _ in proof.windows:
        if abs(lag_ms) <= most_ms:
            x = (t_ref - start_s) / max(end_s - start_s, 1e-9) * TRACE_WIDTH
            y = half - lag_ms / most_ms * (half - 8)
            marks.append(MARKS[verdict_of(lag_ms / 1e3, quality)].format(x=x, y=y))
    scale = f"±{short_time(most_ms)}"
    return (
        f'<svg viewBox="0 0 {TRACE_WIDTH} {TRACE_HEIGHT}" role="img" aria-label="what is left over, {scale}">'
        f'<path d="M0 {half}H{TRACE_WIDTH}" stroke="#bdb294"/>{"".join(marks)}'
        f'<text x="{TRACE_WIDTH}" y="10" text-anchor="end" font-size="9" fill="#5d6a70">{scale}</text></svg>'
    )
