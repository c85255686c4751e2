"""Timing measured anew at single moments, through one version of the map, and what an ear makes of it; moments worth
looking at.
"""

from dataclasses import dataclass
from uuid import UUID

import numpy as np

from gullywind.actions.context import Context
from gullywind.actions.hear.prove_recording import listening_pair
from gullywind.core.ground.errors import NotNowError
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.doubling import Doubling, measure_doubling
from gullywind.core.proof import prove_moment, rendered_listening
from gullywind.core.sound.peaks import FINEST_BIN
from gullywind.formats.derived import load_peaks, peaks_name
from gullywind.store.database import Session
from gullywind.store.projects import get_project
from gullywind.store.recordings import find_version, get_recording, reference_of
from gullywind.store.tables import RecordingRow


@dataclass(frozen=True, slots=True)
class Timing:
    """Timing difference at one moment, ms, positive: late; None where the sound there says nothing."""

    t_ref: float
    lag_ms: float | None
    quality: float


def measure_timing(context: Context, recording_id: UUID, map_id: UUID, t_ref: float) -> Timing:
    """Measure around one moment of the reference, from the sound rendered through the map."""
    with context.database.session() as session:
        recording, reference, time_map = _placed(session, recording_id, map_id)
    t_rec = float(time_map.to_recording(np.array([t_ref]))[0])
    if not np.isfinite(t_rec):
        return Timing(t_ref, None, 0.0)
    found = prove_moment(*listening_pair(context, reference, recording), time_map, t_ref)
    return Timing(t_ref, found.lag_s * 1e3 if found else None, found.quality if found else 0.0)


def doubling_at(context: Context, recording_id: UUID, map_id: UUID, t_ref: float) -> Doubling | None:
    """What an ear makes of both together around a moment of the reference, through one version of the map."""
    with context.database.session() as session:
        recording, reference, time_map = _placed(session, recording_id, map_id)
    if not np.isfinite(time_map.to_recording(np.array([t_ref]))[0]):
        return None
    ours, theirs = listening_pair(context, reference, recording)
    return measure_doubling(ours, rendered_listening(ours, theirs, time_map), t_ref)


def loupe_moments(context: Context, recording_id: UUID) -> list[float]:
    """Reference times, s, of a clear onset near the start, the middle and the end of the overlap."""
    with context.database.session() as session:
        _, reference, time_map = _placed(session, recording_id, None)
    ref_s = reference.media.duration_s or 0.0
    start, end = max(0.0, time_map.start_ref_s), min(ref_s, time_map.end_ref_s_exclusive)
    if end <= start:
        return []
    bin_s = FINEST_BIN / (reference.media.sample_rate_hz or 48000)
    # The sixths at both ends and in the middle: near enough to the edges, wide enough to find an onset.
    span = max((end - start) / 6, min(1.0, end - start))
    firsts = [start, (start + end) / 2 - span / 2, end - span]
    peaks = context.media.fetch_derived(reference.content_hash, peaks_name(0))
    moments = []
    for first in firsts:
        low = int(max(first, 0) / bin_s)
        level = load_peaks(peaks, low, max(4, int(span / bin_s)))
        loud = level[:, 2].astype(np.float64)
        # An onset: much louder than the 20 ms before it.
        rise = np.zeros_like(loud)
        rise[4:] = loud[4:] - np.maximum.reduce([loud[k : loud.size - 4 + k] for k in range(4)])
        moments.append((low + int(np.argmax(rise)) + 0.5) * bin_s if loud.size > 4 else first)
    return moments


def _placed(session: Session, recording_id: UUID, map_id: UUID | None) -> tuple[RecordingRow, RecordingRow, TimeMap]:
    recording = get_recording(session, recording_id)
    reference = reference_of(session, get_project(session, recording.project_id))
    chosen = recording.current if map_id is None else find_version(session, map_id, recording_id)
    if reference is None or chosen is None:
        raise NotNowError("This recording has no place yet, so there is no timing to measure.")
    # Looked at while the session is open, for whoever compares their sounds after it.
    _ = recording.placing
    return recording, reference, chosen.value.heard_map
