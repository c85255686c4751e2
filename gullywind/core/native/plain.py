"""The twin of `compiled.py` in plain numpy, for machines without the compiled loops. What each is for stands there."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import scipy.signal

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native.checks import (
    Spectrum,
    check,
    check_bands,
    check_bins,
    check_filters,
    check_positions,
    check_powers,
    check_rows,
    check_sections,
    check_weighing,
)

#: Positions that are interpolated at once: their kernels take memory.
SAMPLES_AT_ONCE = 1 << 14
TURN = 2 * np.pi


def interpolate(sound: Samples, start: float, step: float, table: Samples, into: Samples) -> None:
    """See `compiled.interpolate`."""
    check_positions(sound, start, step, table, into)
    channels, length, taps = sound.shape[0], into.shape[1], table.shape[1]
    for begin in range(0, length, SAMPLES_AT_ONCE):
        position = start + np.arange(begin, min(begin + SAMPLES_AT_ONCE, length)) * step
        base = np.floor(position)
        phase = (position - base) * (table.shape[0] - 1)
        row = phase.astype(np.int64)
        share = (phase - row).astype(np.float32)[:, None]
        kernel = table[row] + share * (table[row + 1] - table[row])
        around = base.astype(np.int64)[:, None] + np.arange(1 - taps // 2, taps // 2 + 1)
        for channel in range(channels):
            into[channel, begin : begin + position.size] = (sound[channel][around] * kernel).sum(axis=1)


def thin(sound: Samples, factor: int) -> Samples:
    """See `compiled.thin`."""
    check(np.float32, sound)
    whole = sound.size // factor
    return np.asarray(sound[: whole * factor].reshape(whole, factor).sum(axis=1), np.float32)


def cut(sound: Samples, starts: npt.NDArray[np.int64], window: Samples) -> Samples:
    """See `compiled.cut`."""
    check(np.float32, sound, window)
    check(np.int64, starts)
    into = np.zeros((starts.size, window.size), np.float32)
    for row, start in zip(into, starts.tolist(), strict=True):
        low, high = max(start, 0), min(start + window.size, sound.size)
        if high > low:
            row[low - start : high - start] = sound[low:high] * window[low - start : high - start]
    return into


def band_powers(spectra: Spectrum, edges: npt.NDArray[np.int64]) -> npt.NDArray[np.float32]:
    """See `compiled.band_powers`."""
    check(np.complex64, spectra)
    check(np.int64, edges)
    check_bands(edges, spectra.shape[1])
    power = power_of(spectra)
    return np.stack([power[:, a:b].mean(axis=1) for a, b in edges.tolist()], axis=1).astype(np.float32)


def advance(spectrum: Spectrum, samples: float) -> None:
    """See `compiled.advance`."""
    check(np.complex64, spectrum)
    spectrum *= turns(np.arange(spectrum.size), samples, 2 * (spectrum.size - 1))


def sum_spectra(
    x_rows: Sequence[Spectrum], y_rows: Sequence[Spectrum]
) -> tuple[Spectrum, npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """See `compiled.sum_spectra`."""
    check_rows(x_rows, y_rows)
    bins = x_rows[0].size
    cross = np.zeros(bins, np.complex64)
    x_power, y_power = np.zeros(bins, np.float32), np.zeros(bins, np.float32)
    for x, y in zip(x_rows, y_rows, strict=True):
        cross += x.conj() * y
        x_power += power_of(x)
        y_power += power_of(y)
    return cross, x_power, y_power


def compare(
    cross: Spectrum, x_power: npt.NDArray[np.float32], y_power: npt.NDArray[np.float32]
) -> tuple[Spectrum, npt.NDArray[np.float32]]:
    """See `compiled.compare`."""
    check_powers(cross, x_power, y_power)
    power = power_of(cross)
    phases = cross / (np.sqrt(power) + np.float32(1e-20))
    return phases.astype(np.complex64), (power / (x_power * y_power + np.float32(1e-30))).astype(np.float32)


def band_coherence(
    coherence: npt.NDArray[np.float32], power: npt.NDArray[np.float32], edges: npt.NDArray[np.int64]
) -> npt.NDArray[np.float64]:
    """See `compiled.band_coherence`."""
    check(np.float32, coherence, power)
    check(np.int64, edges)
    bins = min(coherence.size, power.size)
    check_bands(edges, bins)
    both = np.stack([power[:bins], power[:bins] * coherence[:bins]])
    return np.array([both[:, a:b].sum(axis=1) for a, b in edges.tolist()], np.float64)


def weigh(
    phases: Spectrum,
    coherence: npt.NDArray[np.float32],
    bins: slice,
    *,
    independent: float,
    reach: int,
    most: float,
    least: float,
) -> Spectrum:
    """See `compiled.weigh`."""
    check_weighing(phases, coherence, bins)
    excess = np.clip((independent * coherence.astype(np.float64) - 1) / (independent - 1), 0.0, 1.0)
    sums = np.concatenate([[0.0], np.cumsum(excess)])
    at = np.arange(bins.start, bins.stop)
    low, high = np.maximum(at - reach, 0), np.minimum(at + reach + 1, excess.size)
    smooth = np.clip((sums[high] - sums[low]) / (high - low), 0.0, 0.9999)
    weighted = np.zeros_like(phases)
    weighted[bins] = phases[bins] * (np.minimum(smooth / (1 - smooth), most) + least).astype(np.float32)
    return weighted


def correlation_at(spectrum: Spectrum, bins: slice, lag: float) -> tuple[float, float, float]:
    """See `compiled.correlation_at`."""
    check_bins(spectrum, bins)
    size, at = 2 * (spectrum.size - 1), np.arange(bins.start, bins.stop)
    omega = TURN * at / max(size, 1)
    turned = spectrum[bins] * turns(at, lag, size)
    return (
        float(turned.real.sum(dtype=np.float64)),
        -float((omega * turned.imag).sum()),
        -float((omega**2 * turned.real).sum()),
    )


def weighted_energy(sound: Samples, sections: Floats, state: Floats, block: int, filled: int, *, settle: int) -> Floats:
    """See `compiled.weighted_energy`."""
    check_sections(sound, sections, state, block, filled, settle)
    blocks = -(-(filled + sound.size) // block)
    if not sound.size:
        return np.zeros(blocks)
    heard, state[:] = scipy.signal.sosfilt(np.insert(sections, 3, 1.0, axis=1), sound.astype(np.float64), zi=state)
    energy = np.pad(heard**2, (filled, blocks * block - filled - sound.size))
    return np.asarray(energy.reshape(-1, block).sum(axis=1))


def extremes(sound: Samples, bin_samples: int) -> Samples:
    """See `compiled.extremes`."""
    check(np.float32, sound)
    bins = sound[: sound.size // bin_samples * bin_samples].reshape(-1, bin_samples)
    return np.stack([bins.min(axis=1), bins.max(axis=1), (bins**2).sum(axis=1)], axis=1).astype(np.float32)


def true_peak(sound: Samples, filters: Samples, *, near: float, before: float) -> float:
    """See `compiled.true_peak`."""
    check_filters(sound, filters)
    taps = filters.shape[1]
    level = np.abs(sound[taps // 2 : sound.size - taps // 2])
    highest = max(before, float(level.max(initial=0.0)))
    at = np.flatnonzero(level > near * highest)
    windows = np.lib.stride_tricks.sliding_window_view(sound, taps)
    for first in range(0, at.size, SAMPLES_AT_ONCE):
        for after in (0, 1):
            between = windows[at[first : first + SAMPLES_AT_ONCE] + after] @ filters.T
            highest = max(highest, float(np.abs(between).max()))
    return highest


def power_of(spectrum: Spectrum) -> npt.NDArray[np.float32]:
    """Squared magnitudes."""
    return np.asarray(spectrum.real**2 + spectrum.imag**2, np.float32)


def turns(bins: npt.NDArray[np.int64], samples: float, size: int) -> npt.NDArray[np.complex64]:
    """Phases of bins for an advance; whole turns are taken off first: they may be many thousands."""
    return np.exp(1j * TURN * np.mod(bins * samples / max(size, 1), 1.0)).astype(np.complex64)
