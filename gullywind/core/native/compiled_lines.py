"""Calls into `kernels.c`: spectra of windows compared along lines. Arrays that do not fit are refused here."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native.checks import Spectrum, check_lines, check_pooling, check_products, check_whitening
from gullywind.core.native.compiled import address, library

#: As in `kernels.c`.
ABREAST = 16


def whiten(spectrum: Spectrum, reach: int, steady: npt.NDArray[np.bool_], *, least: float) -> Spectrum:
    """A spectrum divided by the mean of its own magnitude over `reach` bins to either side; 0 where `steady`.

    Parameters
    ----------
    spectrum, steady : shape (bins,).
    least : no magnitude is divided by less than this share of the largest mean.
    """
    check_whitening(spectrum, reach, steady)
    bins = spectrum.size
    magnitude, smooth, into = (
        np.empty(bins + 2 * reach, np.float32),
        np.empty(bins, np.float32),
        np.empty_like(spectrum),
    )
    library.whiten(
        *(address(spectrum), bins, reach, least, address(steady)),
        *(address(magnitude), address(smooth), address(into)),
    )
    return into


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
    """Spectra of correlations near one lag each, with as many bins as that needs: `ours` by the conjugate of `theirs`.

    Shape (pairs, size // 2 // every + 1); and the energy of all products of each pair, shape (pairs,).

    Parameters
    ----------
    ours, theirs : at least one each, shape (bins,), bins from `first` on of spectra of `size` real samples.
    pairs : shape (pairs, 2). Which of `ours` is multiplied by which of `theirs`.
    lags : shape (pairs,), samples of `size`; each comes to 0.
    taps : shape (2 * reach + 1,). Smoothing of the bins, a window over lags; one bin of `every` is kept.
    """
    check_products(ours, theirs, pairs, first, lags, taps, every)
    one, other = (
        np.array([address(row) for row in rows], np.uintp)[which]
        for rows, which in ((ours, pairs[:, 0]), (theirs, pairs[:, 1]))
    )
    bins, reach = ours[0].size, taps.size // 2
    product = np.empty(bins + 2 * reach + ABREAST, np.complex64)
    twice = np.pad(np.repeat(taps, 2), (0, -2 * taps.size % ABREAST))
    into, energies = np.empty((len(pairs), size // 2 // every + 1), np.complex64), np.empty(len(pairs))
    library.fold_products(
        *(address(one), address(other), address(lags), len(pairs), bins, first, size),
        *(address(twice), twice.size, reach, every),
        *(address(product), address(into), into.shape[1], address(energies)),
    )
    return into, energies


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
    library.best_line(address(values), rows, width, address(starts), len(starts), inner, address(total), address(found))
    return int(found[0]), int(found[1]), float(found[2])


def pool_lags(curves: Samples, scales: Floats, reach: int, *, full: float) -> Samples:
    """The larger in magnitude of every two lags, 2 * `reach` before 0 and as many after, times the row's scale.

    Shape (rows, 2 * reach + 1). What is above `full` grows with its logarithm only.

    Parameters
    ----------
    curves : shape (rows, size), `size` even. Correlations over lags in a circle, lag 0 first.
    scales : shape (rows,).
    """
    check_pooling(curves, scales, reach)
    into = np.empty((len(curves), 2 * reach + 1), np.float32)
    library.pool_lags(address(curves), *curves.shape, address(scales), reach, full, address(into))
    return into
