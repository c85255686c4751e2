"""Whether sound that a recording lacks is covered there, or missing: how evenly it holds what the reference holds.

Noise, a room and a microphone leave one gain between the two, cell by cell of time and frequency, however little of
the recording's power it explains. A passage that shares a drum with another holds the drum and nothing of the rest:
its gain is whole in some cells and none in others. What is told is the variance of the gain over the cells, freed from
what noise adds to it. Clear cells tell it, and louder ones before others: weighed by loudness alone, fifteen decibels
of noise leave the variance unknown to a half where they cover the loudest bands and leave the others clear. Near 0 at
the right place at any level, mostly 0.1 and more elsewhere. A device that follows the level adds little; two sources
of which each recorder stands nearer to another add more. Times in s.

Method: the least-squares transfer function of all cells (Bendat and Piersol, "Random Data", 2010, chapter 6), and the
method of moments for a random effect's variance (DerSimonian and Laird, Controlled Clinical Trials 7(3), 1986), each
cell weighed by how well it tells it.
"""

from collections.abc import Callable

import numpy as np

from gullywind.core.features.bands import band_bins
from gullywind.core.ground.units import Floats
from gullywind.core.measure.correlate import working_rate_hz
from gullywind.core.measure.segments import segment_spectra
from gullywind.core.sound.views import Listening

#: Cells are short enough to fall between the strokes of a drum; windows of them, s, and how many at most.
CELL_S, CELLS_WINDOW_S, MOST_CELL_WINDOWS = 0.085, 2.0, 12
#: Narrower bands say too little.
LEAST_BAND_BINS = 8
#: Cells clearer than this variance of the gain count alike; and what is this much weaker than the loudest, not at all.
KNOWN_ENOUGH, LEAST_EXPECTED = 0.5, 1e-9
#: Neighbouring bins of Hann segments share their noise: their sum spreads as if there were this many times fewer.
SHARED_BINS = 1.5


def unevenness(
    reference: Listening,
    recording: Listening,
    to_recording: Callable[[Floats], Floats],
    start_s: float,
    end_s: float,
) -> float:
    """Variance of the gain over all cells, where all that is expected is 1, and one standard error above it; 0 or more.

    Parameters
    ----------
    to_recording : from reference times to times of the recording's view, NaN where it has none; both shape (n,), s.
    start_s, end_s : of the overlap in reference time.

    Returns
    -------
    0 where there is nothing to tell it by.
    """
    rate_hz = working_rate_hz(reference, recording)
    size = int(2 ** np.round(np.log2(CELL_S * rate_hz)))
    bands = [(int(low), int(high)) for low, high in band_bins(size, rate_hz) if high - low >= LEAST_BAND_BINS]
    found = _cells(reference, recording, to_recording, start_s, end_s, size, rate_hz, bands[-1][1] if bands else 0)
    if not found or not bands:
        return 0.0
    ours, theirs = (np.concatenate([window[k] for window in found]) for k in (0, 1))
    gain = (np.conj(ours) * theirs).sum(axis=0) / np.maximum((np.abs(ours) ** 2).sum(axis=0), 1e-20)
    expected, held, variance = (np.empty((ours.shape[0], len(bands))) for _ in range(3))
    for k, (low, high) in enumerate(bands):
        part = gain[low:high] * ours[:, low:high]
        power = np.abs(part) ** 2
        expected[:, k] = power.sum(axis=1)
        held[:, k] = (np.conj(part) * theirs[:, low:high]).real.sum(axis=1)
        # Bin by bin: what disturbs music is loud in the same tones.
        variance[:, k] = (power * np.abs(theirs[:, low:high] - part) ** 2).sum(axis=1) / 2 * SHARED_BINS
    told = expected > LEAST_EXPECTED * float(expected.max())
    if not told.any():
        return 0.0
    noise = variance[told] / expected[told] ** 2
    weight = expected[told] / float(expected.max()) / (KNOWN_ENOUGH + noise) ** 2
    beyond_noise = (held[told] / expected[told] - 1) ** 2 - noise
    excess = float((weight * beyond_noise).sum() / weight.sum())
    error = float(np.sqrt((2 * (weight * noise) ** 2).sum()) / weight.sum())
    return max(0.0, excess + error)


def _cells(
    reference: Listening,
    recording: Listening,
    to_recording: Callable[[Floats], Floats],
    start_s: float,
    end_s: float,
    size: int,
    rate_hz: int,
    bins: int,
) -> list[tuple[np.ndarray, np.ndarray]]:
    """Spectra of both sides' cells up to a bin, window by window, each shape (cells, bins)."""
    hop_s = size / rate_hz / 2
    margin_s = size / rate_hz
    length_s = min(CELLS_WINDOW_S, end_s - start_s - 2 * margin_s)
    if length_s < 4 * hop_s:
        return []
    count = int(np.clip((end_s - start_s) / CELLS_WINDOW_S, 1, MOST_CELL_WINDOWS))
    found = []
    for begin_s in np.linspace(start_s + margin_s, end_s - margin_s - length_s, count):
        t_ref = begin_s + np.arange(1, int(length_s / hop_s)) * hop_s
        t_rec = to_recording(t_ref)
        inside = np.isfinite(t_rec)
        if np.count_nonzero(inside) < 4:
            continue
        ours = segment_spectra(reference, t_ref[inside], size, rate_hz)
        theirs = segment_spectra(recording, t_rec[inside], size, rate_hz)
        if ours is not None and theirs is not None:
            found.append((np.stack([row[:bins] for row in ours]), np.stack([row[:bins] for row in theirs])))
    return found
