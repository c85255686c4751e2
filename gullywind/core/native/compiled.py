"""Calls into `kernels.c`. Arrays that do not fit are refused here: compiled code would read beyond them.

In C, for numpy makes ten passes over memory where one is enough (a window took 4.3 ms, of which 0.9 were its
transforms), and a compiler at run time takes over a second in each process before its first result.
"""

import ctypes
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from gullywind.core import native
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

_LIBRARY = f"{native.__path__[0]}/libkernels.so"

try:
    library = ctypes.CDLL(_LIBRARY)
except OSError as error:
    raise ImportError(f"{_LIBRARY} is missing or was built on another machine: please run `make setup`") from error

_P, _N, _D, _F = ctypes.c_void_p, ctypes.c_int64, ctypes.c_double, ctypes.c_float
for _name, _takes in {
    "interpolate": (_P, _N, _N, _D, _D, _P, _N, _N, _P, _N, _N),
    "thin": (_P, _N, _P, _N),
    "cut": (_P, _N, _P, _N, _P, _N, _P),
    "band_powers": (_P, _N, _N, _P, _N, _P),
    "advance": (_P, _N, _D, _N),
    "sum_spectra": (_P, _P, _N, _N, _P, _P, _P),
    "compare": (_P, _P, _P, _N, _P, _P),
    "band_coherence": (_P, _P, _P, _N, _P),
    "weigh": (_P, _P, _N, _N, _N, _D, _N, _D, _D, _P),
    "correlation_at": (_P, _N, _N, _N, _D, _P),
    "weighted_energy": (_P, _N, _P, _P, _N, _N, _N, _P),
    "extremes": (_P, _N, _N, _P),
    "true_peak": (_P, _N, _P, _N, _N, _D, _D),
    "fold_products": (_P, _P, _P, _N, _N, _N, _N, _P, _N, _N, _N, _P, _P, _N, _P),
    "best_line": (_P, _N, _N, _P, _N, _N, _P, _P),
    "whiten": (_P, _N, _N, _D, _P, _P, _P, _P),
    "pool_lags": (_P, _N, _N, _P, _N, _D, _P),
    "best_walk": (_P, _N, _N, _P, _N, _P, _P, _P),
    "passage_rows": (_P, _N, _N, _F, _N, _P, _P, _P, _P, _P),
    "likely_course": (_P, _P, _N, _N, _N, _P, _N, _D, _D, _N, _P, _P, _P, _P, _P),
}.items():
    getattr(library, _name).argtypes = _takes
    getattr(library, _name).restype = _D if _name in ("true_peak", "best_walk") else None


def interpolate(sound: Samples, start: float, step: float, table: Samples, into: Samples) -> None:
    """Write `sound` at positions `start`, `start + step` and so on, in samples, into `into`, all channels alike.

    Parameters
    ----------
    sound : shape (channels, samples).
    start, step : samples; `step` > 0. Every position needs half a kernel of sound on either side.
    table : shape (phases + 1, taps). The kernel at every fraction of a sample, linear between.
    into : shape (channels, n).

    Raises
    ------
    InputError : the sound ends before the positions do, or shapes differ.
    """
    check_positions(sound, start, step, table, into)
    channels, length, (phases, taps) = sound.shape[0], into.shape[1], table.shape
    library.interpolate(
        *(address(sound), channels, sound.strides[0] // 4, start, step, address(table), phases - 1, taps),
        *(address(into), into.strides[0] // 4, length),
    )


def thin(sound: Samples, factor: int) -> Samples:
    """Sums of `factor` samples each, shape (samples // factor,); what does not fill the last is left out."""
    check(np.float32, sound)
    into = np.empty(sound.size // factor, np.float32)
    library.thin(address(sound), factor, address(into), into.size)
    return into


def cut(sound: Samples, starts: npt.NDArray[np.int64], window: Samples) -> Samples:
    """Windowed segments, shape (starts, window), float32; zeros outside the sound."""
    check(np.float32, sound, window)
    check(np.int64, starts)
    into = np.empty((starts.size, window.size), np.float32)
    library.cut(address(sound), sound.size, address(starts), starts.size, address(window), window.size, address(into))
    return into


def band_powers(spectra: Spectrum, edges: npt.NDArray[np.int64]) -> npt.NDArray[np.float32]:
    """Mean power in bands of bins, shape (rows, bands); `edges`, shape (bands, 2), are half-open ranges of bins."""
    check(np.complex64, spectra)
    check(np.int64, edges)
    rows, bins = spectra.shape
    check_bands(edges, bins)
    into = np.empty((rows, edges.shape[0]), np.float32)
    library.band_powers(address(spectra), rows, bins, address(edges), edges.shape[0], address(into))
    return into


def advance(spectrum: Spectrum, samples: float) -> None:
    """Turn the phases of a real signal's spectrum, shape (size // 2 + 1,), so that it comes `samples` earlier."""
    check(np.complex64, spectrum)
    library.advance(address(spectrum), spectrum.size, samples, 2 * (spectrum.size - 1))


def sum_spectra(
    x_rows: Sequence[Spectrum], y_rows: Sequence[Spectrum]
) -> tuple[Spectrum, npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """Cross spectrum `conj(x) * y`, and both power spectra, summed over rows; each shape (bins,)."""
    check_rows(x_rows, y_rows)
    bins = x_rows[0].size
    at = np.array([[address(row) for row in rows] for rows in (x_rows, y_rows)], np.uintp)
    cross, powers = np.empty(bins, np.complex64), np.empty((2, bins), np.float32)
    library.sum_spectra(
        address(at[0]), address(at[1]), len(x_rows), bins, address(cross), address(powers[0]), address(powers[1])
    )
    return cross, powers[0], powers[1]


def compare(
    cross: Spectrum, x_power: npt.NDArray[np.float32], y_power: npt.NDArray[np.float32]
) -> tuple[Spectrum, npt.NDArray[np.float32]]:
    """The cross spectrum with every magnitude 1, and the magnitude-squared coherence 0..1; each shape (bins,)."""
    check_powers(cross, x_power, y_power)
    phases, coherence = np.empty_like(cross), np.empty_like(x_power)
    library.compare(address(cross), address(x_power), address(y_power), cross.size, address(phases), address(coherence))
    return phases, coherence


def band_coherence(
    coherence: npt.NDArray[np.float32], power: npt.NDArray[np.float32], edges: npt.NDArray[np.int64]
) -> npt.NDArray[np.float64]:
    """Power in bands of bins, and what of it is coherent, shape (bands, 2).

    `coherence` and `power` have shape (bins,); `edges`, shape (bands, 2), are half-open ranges of bins.
    """
    check(np.float32, coherence, power)
    check(np.int64, edges)
    check_bands(edges, min(coherence.size, power.size))
    into = np.empty((edges.shape[0], 2))
    library.band_coherence(address(coherence), address(power), address(edges), edges.shape[0], address(into))
    return into


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
    """Phases times the maximum-likelihood weight of their coherence (Hannan and Thomson, Biometrika 58, 1971).

    Parameters
    ----------
    phases, coherence : shape (bins,); the coherence is used up.
    bins : others get no weight.
    independent : > 1. As many independent rows made the coherence: what is mere chance in so few is taken off.
    reach : >= 0. Coherence is the mean over this many bins on either side.
    most, least : bounds of the weight.
    """
    check_weighing(phases, coherence, bins)
    weighted = np.empty_like(phases)
    library.weigh(
        *(address(phases), address(coherence), phases.size, bins.start, bins.stop),
        *(independent, reach, most, least, address(weighted)),
    )
    return weighted


def correlation_at(spectrum: Spectrum, bins: slice, lag: float) -> tuple[float, float, float]:
    """Value, slope and curvature of a correlation at a lag in samples, whole or not.

    It is the sum of `Re(spectrum * exp(i omega lag))` over the bins `bins.start` to `bins.stop - 1`, with omega in
    radians a sample; `spectrum` is that of a real signal, shape (size // 2 + 1,).
    """
    check_bins(spectrum, bins)
    three = (ctypes.c_double * 3)()
    library.correlation_at(address(spectrum), bins.start, bins.stop, 2 * (spectrum.size - 1), lag, three)
    return three[0], three[1], three[2]


def weighted_energy(sound: Samples, sections: Floats, state: Floats, block: int, filled: int, *, settle: int) -> Floats:
    """Energy in blocks of `block` samples of sound that went through two second-order sections.

    Parameters
    ----------
    sound : shape (samples,).
    sections : shape (2, 5): b0, b1, b2, a1, a2 of each, a0 = 1.
    state : shape (2, 2), zeros at first; carried on to the next call.
    filled : 0 to block - 1. So many samples of the first block came before.
    settle : samples after which nothing is left in the filters of what came before.

    Returns
    -------
    Energies : shape ((filled + samples + block - 1) // block,), the last of an unfinished block.
    """
    check_sections(sound, sections, state, block, filled, settle)
    into = np.zeros(-(-(filled + sound.size) // block), np.float64)
    if not sound.size:
        return into
    library.weighted_energy(
        address(sound), sound.size, address(sections), address(state), block, filled, settle, address(into)
    )
    return into


def extremes(sound: Samples, bin_samples: int) -> Samples:
    """Minimum, maximum and energy of each bin, shape (samples // bin_samples, 3); what fills no bin is left out."""
    check(np.float32, sound)
    into = np.empty((sound.size // bin_samples, 3), np.float32)
    library.extremes(address(sound), len(into), bin_samples, address(into))
    return into


def true_peak(sound: Samples, filters: Samples, *, near: float, before: float) -> float:
    """The highest level of some sound, between its samples too; `before` where nothing is higher.

    Parameters
    ----------
    sound : shape (samples,). The first and last `taps // 2` samples are not looked at.
    filters : shape (phases, taps), taps even. Each gives the sound at another fraction of a sample, from the oldest on.
    near : 0..1. Between samples it is looked beside those above so much of the highest.
    """
    check_filters(sound, filters)
    return float(library.true_peak(address(sound), sound.size, address(filters), *filters.shape, near, before))


def address(array: npt.NDArray) -> int:
    """Where an array begins in memory."""
    # A third of the time of `array.ctypes`, which cannot be had of what is read-only, empty or strided.
    if array.flags.writeable and array.flags.c_contiguous and array.size:
        return ctypes.addressof(ctypes.c_char.from_buffer(array.data))
    return int(array.ctypes.data)
