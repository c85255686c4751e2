"""The twin of `compiled_lines.py` in plain numpy. What each is for stands there."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native.checks import Spectrum, check_lines, check_pooling, check_products, check_whitening
from gullywind.core.native.plain import power_of, turns


def whiten(spectrum: Spectrum, reach: int, steady: npt.NDArray[np.bool_], *, least: float) -> Spectrum:
    """See `compiled_lines.whiten`."""
    check_whitening(spectrum, reach, steady)
    total = np.cumsum(np.pad(np.abs(spectrum), (reach + 1, reach), mode="edge"), dtype=np.float64)
    smooth = (total[2 * reach + 1 :] - total[: -2 * reach - 1]) / (2 * reach + 1)
    white = spectrum / np.maximum(smooth, least * smooth.max() + 1e-20)
    return np.where(steady, 0, white).astype(np.complex64)


def fold_products(
    ours: Sequence[Spectrum],
    theirs: Sequence[Spectrum],
    pairs: npt.NDArray[np.int64],
    first: int,
    lags: Floats,
    size: int,
    taps: Samples,
    every: int,
) -> tuple[Spectrum, Floats]:
    """See `compiled_lines.fold_products`."""
    check_products(ours, theirs, pairs, first, lags, taps, every)
    into = np.zeros((len(pairs), size // 2 // every + 1), np.complex64)
    energies = np.empty(len(pairs))
    centres = np.arange(into.shape[1]) * every - first
    inside = (centres >= 0) & (centres < ours[0].size)
    for row, (one, other) in enumerate(pairs.tolist()):
        product = ours[one] * theirs[other].conj()
        turned = product * turns(first + np.arange(product.size), float(lags[row]), size)
        smooth = np.convolve(turned, taps[::-1], mode="full")[taps.size // 2 :][: product.size]
        into[row, inside] = smooth[centres[inside]]
        energies[row] = power_of(product).sum(dtype=np.float64)
    return into, energies


def best_line(values: Samples, starts: npt.NDArray[np.int32], inner: int) -> tuple[int, int, float]:
    """See `compiled_lines.best_line`."""
    check_lines(values, starts, inner)
    best = (0, 0, -1.0)
    for slope, begins in enumerate(starts.tolist()):
        total = np.zeros(inner, np.float32)
        for row, begin in enumerate(begins):
            total += values[row, begin : begin + inner]
        column = int(np.argmax(np.abs(total)))
        if abs(total[column]) > best[2]:
            best = (slope, column, float(abs(total[column])))
    return best


def pool_lags(curves: Samples, scales: Floats, reach: int, *, full: float) -> Samples:
    """See `compiled_lines.pool_lags`."""
    check_pooling(curves, scales, reach)
    near = np.take(curves, np.arange(-2 * reach, 2 * reach + 2), axis=1, mode="wrap")
    near = near * scales.astype(np.float32)[:, None]
    one, other = near[:, ::2], near[:, 1::2]
    larger = np.where(np.abs(one) >= np.abs(other), one, other)
    high = np.abs(larger) > full
    larger[high] = np.sign(larger[high]) * full * (1 + np.log(np.abs(larger[high]) / full))
    return np.asarray(larger, np.float32)
