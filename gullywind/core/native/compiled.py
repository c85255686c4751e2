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
    check_band,
    check_bands,
    check_bins,
    check_lines,
    check_positions,
    check_powers,
    check_product,
    check_rows,
    check_sections,
    check_sequences,
    check_weighing,
    likeness,
    path_back,
)

#: As in `kernels.c`.
ABREAST = 16
#: Rows whose likeness is computed together, as one product of matrices.
ROWS_AT_ONCE = 256
_LIBRARY = f"{native.__path__[0]}/libkernels.so"

try:
    _kernels = ctypes.CDLL(_LIBRARY)
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
    "fold_product": (_P, _P, _N, _N, _D, _N, _P, _N, _N, _N, _P, _P, _N),
    "best_line": (_P, _N, _N, _P, _N, _N, _P, _P),
    "passage_rows": (_P, _N, _N, _F, _N, _P, _P, _P),
    "likely_course": (_P, _P, _N, _N, _N, _P, _N, _D, _D, _N, _P, _P, _P, _P, _P),
}.items():
    getattr(_kernels, _name).argtypes = _takes
    getattr(_kernels, _name).restype = _D if _name == "fold_product" else None


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
    _kernels.interpolate(
        *(_at(sound), channels, sound.strides[0] // 4, start, step, _at(table), phases - 1, taps),
        *(_at(into), into.strides[0] // 4, length),
    )


def thin(sound: Samples, factor: int) -> Samples:
    """Sums of `factor` samples each, shape (samples // factor,); what does not fill the last is left out."""
    check(np.float32, sound)
    into = np.empty(sound.size // factor, np.float32)
    _kernels.thin(_at(sound), factor, _at(into), into.size)
    return into


def cut(sound: Samples, starts: npt.NDArray[np.int64], window: Samples) -> Samples:
    """Windowed segments, shape (starts, window), float32; zeros outside the sound."""
    check(np.float32, sound, window)
    check(np.int64, starts)
    into = np.empty((starts.size, window.size), np.float32)
    _kernels.cut(_at(sound), sound.size, _at(starts), starts.size, _at(window), window.size, _at(into))
    return into


def band_powers(spectra: Spectrum, edges: npt.NDArray[np.int64]) -> npt.NDArray[np.float32]:
    """Mean power in bands of bins, shape (rows, bands); `edges`, shape (bands, 2), are half-open ranges of bins."""
    check(np.complex64, spectra)
    check(np.int64, edges)
    rows, bins = spectra.shape
    check_bands(edges, bins)
    into = np.empty((rows, edges.shape[0]), np.float32)
    _kernels.band_powers(_at(spectra), rows, bins, _at(edges), edges.shape[0], _at(into))
    return into


def advance(spectrum: Spectrum, samples: float) -> None:
    """Turn the phases of a real signal's spectrum, shape (size // 2 + 1,), so that it comes `samples` earlier."""
    check(np.complex64, spectrum)
    _kernels.advance(_at(spectrum), spectrum.size, samples, 2 * (spectrum.size - 1))


def sum_spectra(
    x_rows: Sequence[Spectrum], y_rows: Sequence[Spectrum]
) -> tuple[Spectrum, npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """Cross spectrum `conj(x) * y`, and both power spectra, summed over rows; each shape (bins,)."""
    check_rows(x_rows, y_rows)
    bins = x_rows[0].size
    at = np.array([[_at(row) for row in rows] for rows in (x_rows, y_rows)], np.uintp)
    cross, powers = np.empty(bins, np.complex64), np.empty((2, bins), np.float32)
    _kernels.sum_spectra(_at(at[0]), _at(at[1]), len(x_rows), bins, _at(cross), _at(powers[0]), _at(powers[1]))
    return cross, powers[0], powers[1]


def compare(
    cross: Spectrum, x_power: npt.NDArray[np.float32], y_power: npt.NDArray[np.float32]
) -> tuple[Spectrum, npt.NDArray[np.float32]]:
    """The cross spectrum with every magnitude 1, and the magnitude-squared coherence 0..1; each shape (bins,)."""
    check_powers(cross, x_power, y_power)
    phases, coherence = np.empty_like(cross), np.empty_like(x_power)
    _kernels.compare(_at(cross), _at(x_power), _at(y_power), cross.size, _at(phases), _at(coherence))
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
    _kernels.band_coherence(_at(coherence), _at(power), _at(edges), edges.shape[0], _at(into))
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
    _kernels.weigh(
        *(_at(phases), _at(coherence), phases.size, bins.start, bins.stop),
        *(independent, reach, most, least, _at(weighted)),
    )
    return weighted


def correlation_at(spectrum: Spectrum, bins: slice, lag: float) -> tuple[float, float, float]:
    """Value, slope and curvature of a correlation at a lag in samples, whole or not.

    It is the sum of `Re(spectrum * exp(i omega lag))` over the bins `bins.start` to `bins.stop - 1`, with omega in
    radians a sample; `spectrum` is that of a real signal, shape (size // 2 + 1,).
    """
    check_bins(spectrum, bins)
    three = (ctypes.c_double * 3)()
    _kernels.correlation_at(_at(spectrum), bins.start, bins.stop, 2 * (spectrum.size - 1), lag, three)
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
    _kernels.weighted_energy(_at(sound), sound.size, _at(sections), _at(state), block, filled, settle, _at(into))
    return into


def extremes(sound: Samples, bin_samples: int) -> Samples:
    """Minimum, maximum and energy of each bin, shape (samples // bin_samples, 3); what fills no bin is left out."""
    check(np.float32, sound)
    into = np.empty((sound.size // bin_samples, 3), np.float32)
    _kernels.extremes(_at(sound), len(into), bin_samples, _at(into))
    return into


def fold_product(
    ours: Spectrum, theirs: Spectrum, first: int, lag: float, size: int, taps: Samples, every: int, into: Spectrum
) -> float:
    """Spectrum of a correlation near one lag, with as many bins as that needs: `ours` times the conjugate of `theirs`.

    Parameters
    ----------
    ours, theirs : shape (bins,), bins from `first` on of spectra of `size` real samples.
    lag : samples of `size`; comes to 0.
    taps : shape (2 * reach + 1,). Smoothing of the bins, whose transform is a window over lags.
    every : one bin of so many is kept.
    into : shape (size // 2 // every + 1,); is overwritten.

    Returns
    -------
    Energy : of all products, whatever is kept of them.
    """
    check_product(ours, theirs, first, taps, every, into)
    reach = taps.size // 2
    product = np.empty(ours.size + 2 * reach + ABREAST, np.complex64)
    twice = np.zeros(-(-2 * taps.size // ABREAST) * ABREAST, np.float32)
    twice[: 2 * taps.size] = np.repeat(taps, 2)
    return float(
        _kernels.fold_product(
            *(_at(ours), _at(theirs), ours.size, first, lag, size, _at(twice), twice.size, reach, every),
            *(_at(product), _at(into), into.size),
        )
    )


def best_line(values: Samples, starts: npt.NDArray[np.int32], inner: int) -> tuple[int, int, float]:
    """The line whose sum has the largest magnitude: which of the slopes, which column, and how large.

    Parameters
    ----------
    values : shape (rows, width).
    starts : shape (slopes, rows), from 0. Where in each row the columns of a slope begin.
    inner : how many columns there are; `starts` + `inner` lies within the width.
    """
    check_lines(values, starts, inner)
    rows, width = values.shape
    found, total = np.empty(3), np.empty(inner, np.float32)
    _kernels.best_line(_at(values), rows, width, _at(starts), len(starts), inner, _at(total), _at(found))
    return int(found[0]), int(found[1]), float(found[2])


def common_passage(first: Samples, second: Samples, base: float, gap: float) -> tuple[npt.NDArray[np.int64], float]:
    """The path of highest likeness through the passage that two sequences of features have in common.

    Parameters
    ----------
    first, second : shapes (n, dims) and (m, dims).
    base : > 0. Likeness is this less the squared distance.
    gap : what a step along one sequence alone costs.

    Returns
    -------
    Path : shape (steps, 2), elements of both, rising; empty where nothing is alike.
    Sum : of all likeness along it.

    References
    ----------
    Smith and Waterman, "Identification of common molecular subsequences", J. Mol. Biol. 147, 1981; steps of Sakoe and
    Chiba, IEEE Trans. ASSP 26, 1978.
    """
    check_sequences(first, second)
    n, m = len(first), len(second)
    came, best, before = np.empty((n, m), np.uint8), np.array([0.0, -1.0, -1.0]), np.zeros(m + 1, np.float32)
    for row in range(0, n, ROWS_AT_ONCE):
        like = likeness(first[row : row + ROWS_AT_ONCE], second, base)
        _kernels.passage_rows(_at(like), len(like), m, gap, row, _at(before), _at(came[row:]), _at(best))
    return path_back(came, int(best[1]), int(best[2])), float(best[0])


def likely_course(
    first: Samples,
    second: Samples,
    starts: npt.NDArray[np.int64],
    width: int,
    *,
    sharpness: float,
    gap: float,
    reach: int,
) -> Floats:
    """Where each element of a sequence belongs in another, over all paths within a band at once.

    Parameters
    ----------
    first, second : shapes (n, dims) and (m, dims).
    starts : shape (n,), never falling. First column of the band at each element of `first`.
    width : columns of the band.
    sharpness : > 0. Likelihood is exp(-sharpness * squared distance).
    gap : 0 to 1. Weight of a step along one sequence alone.
    reach : columns around the likeliest one over which the mean is taken.

    Returns
    -------
    shape (n, 3) : mean column, its standard deviation in columns, mean squared distance there (-1: outside).

    References
    ----------
    Rabiner, "A tutorial on hidden Markov models", Proc. IEEE 77, 1989 (forward and backward sums).
    """
    check_band(first, second, starts, width, reach)
    (n, dims), m = first.shape, len(second)
    forward, rows, into = np.empty((n, width)), np.empty(3 * width), np.empty((n, 3))
    distances, weights = np.empty((2, n, width), np.float32)
    _kernels.likely_course(
        *(_at(first), _at(second), n, m, dims, _at(starts), width, sharpness, gap, reach),
        *(_at(forward), _at(distances), _at(weights), _at(rows), _at(into)),
    )
    return into


def _at(array: npt.NDArray) -> int:
    # A third of the time of `array.ctypes`, which cannot be had of what is read-only, empty or strided.
    if array.flags.writeable and array.flags.c_contiguous and array.size:
        return ctypes.addressof(ctypes.c_char.from_buffer(array.data))
    return int(array.ctypes.data)
