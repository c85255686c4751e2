"""What the editor should know of a recording, in words: clock, breaks, polarity, channels, clipping."""

from collections.abc import Sequence
from itertools import pairwise

from gullywind.core.evidence import Note
from gullywind.core.features.extract import Heard
from gullywind.core.time_map import TimeMap, jump_between
from gullywind.core.units import clock_time, seconds
from gullywind.core.verify import Verified
from gullywind.core.windows import Line

SHORT_OVERLAP_S = 3.0
#: Neighbours that meet within this were cut, not broken.
LEAST_JUMP_S = 0.001


def heard_notes(recording: Sequence[Heard]) -> tuple[Note, ...]:
    """What was noticed while listening."""
    notes = []
    clipped = max(one.clipped_samples for one in recording)
    if clipped:
        notes.append(Note("clipped", f"Clips: {clipped} samples stand at full scale."))
    return tuple(notes)


def placed_notes(line: Line, duration_s: float, polarity: int, best: Verified, overlap: float) -> list[Note]:
    """What a placement tells."""
    notes = drift_notes(line.rate, duration_s)
    if polarity < 0:
        notes.append(Note("inverted", "Inverted against the reference."))
    used, there = best.recording.channels, best.recording.source.channels
    if there > 1 and len(used) == 1:
        notes.append(Note("one-channel", f"Lined up by channel {used[0] + 1} of {there} alone."))
    if overlap < SHORT_OVERLAP_S:
        notes.append(Note("short-overlap", f"Only {overlap:.1f} s lie within the reference."))
    return notes


def drift_notes(rate: float, duration_s: float) -> list[Note]:
    """How the clock runs, unless nobody could hear it."""
    ppm = (rate - 1) * 1e6
    slid_ms = abs(ppm) * 1e-3 * duration_s
    if slid_ms < 0.1 or abs(ppm) < 0.05:
        return []
    way = "fast" if ppm > 0 else "slow"
    return [Note("clock-drift", f"Runs {abs(ppm):.1f} ppm {way}: {_ms(slid_ms)} over its length.")]


def break_notes(time_map: TimeMap) -> list[Note]:
    """Where the recorder paused, or recorded too much, in reference time."""
    notes = []
    for before, after in pairwise(time_map.pieces):
        jump_s, (end_ref, _) = jump_between(before, after), before.end_exclusive
        if abs(jump_s) < LEAST_JUMP_S:
            continue
        words = f"Paused for {seconds(jump_s)}" if jump_s > 0 else f"{seconds(-jump_s)} too much were recorded"
        notes.append(Note("break", f"{words} at {clock_time(end_ref)}."))
    return notes


def _ms(value_ms: float) -> str:
    return f"{value_ms:.0f} ms" if value_ms >= 10 else f"{value_ms:.1f} ms"
