"""Calls into `kernels.c` for paths through two sequences of features; what does not fit is refused here."""

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native.checks import check_band, check_sequences, check_walk, likeness, path_back
from gullywind.core.native.compiled import address, library

#: Rows whose likeness is computed together, as one product of matrices.
ROWS_AT_ONCE = 256


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
    return _common_passage(first, second, base, gap, None)


def common_passage_both_ways(
    first: Samples, second: Samples, base: float, gap: float
) -> tuple[npt.NDArray[np.int64], float, float]:
    """`common_passage`, and the sum along the best path through the second sequence backwards: as high comes chance."""
    back = np.zeros(1)
    path, total = _common_passage(first, second, base, gap, back)
    return path, total, float(back[0])


def _common_passage(
    first: Samples, second: Samples, base: float, gap: float, best_back: Floats | None
) -> tuple[npt.NDArray[np.int64], float]:
    """`best_back`, shape (1,), takes the sum backwards, where it is asked for."""
    check_sequences(first, second)
    n, m = len(first), len(second)
    came, best = np.empty((n, m), np.uint8), np.array([0.0, -1.0, -1.0])
    before, before_back = np.zeros((2, m + 1), np.float32)
    back = (None, None) if best_back is None else (address(before_back), address(best_back))
    for row in range(0, n, ROWS_AT_ONCE):
        like = likeness(first[row : row + ROWS_AT_ONCE], second, base)
        ahead = address(before), address(came[row:]), address(best)
        library.passage_rows(address(like), len(like), m, gap, row, *ahead, *back)
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
    library.likely_course(
        *(address(first), address(second), n, m, dims, address(starts), width, sharpness, gap, reach),
        *(address(forward), address(distances), address(weights), address(rows), address(into)),
    )
    return into


def best_walk(gains: Samples, price: Samples) -> tuple[float, npt.NDArray[np.int64]]:
    """The best path of a walk through rows of gains: what it gains in all, and its column in each row, shape (rows,).

    Parameters
    ----------
    gains : shape (rows, columns), float32.
    price : shape (2 * most + 1,), most up to 127. What a step from row to row costs: first one that comes from `most`
        columns before, last one from `most` columns after.

    References
    ----------
    Viterbi, "Error bounds for convolutional codes and an asymptotically optimum decoding algorithm", IEEE Trans.
    Inf. Theory 13, 1967.
    """
    check_walk(gains, price)
    (count, columns), most = gains.shape, price.size // 2
    rows, came = np.empty(2 * (columns + 2 * most), np.float32), np.empty(gains.shape, np.int8)
    path = np.empty(count, np.int64)
    gain = library.best_walk(
        *(address(gains), count, columns, address(price), most, address(rows), address(came), address(path))
    )
    return float(gain), path
