"""The twin of `compiled_paths.py` in plain numpy. What each is for stands there."""

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native.checks import check_band, check_sequences, check_walk, likeness, path_back


def common_passage(first: Samples, second: Samples, base: float, gap: float) -> tuple[npt.NDArray[np.int64], float]:
    """See `compiled_paths.common_passage`."""
    check_sequences(first, second)
    n, m = len(first), len(second)
    came, best, end = np.zeros((n, m), np.uint8), 0.0, (-1, -1)
    before = np.zeros(m + 1)
    for i in range(n):
        like = likeness(first[i : i + 1], second, base)[0].astype(np.float64)
        both, alone = before[:-1] + 2 * like, before[1:] + like - gap
        reached = np.maximum(np.maximum(both, alone), 0.0)
        # Along the second alone: the highest of all that went before in the row, less what lies between.
        along = np.cumsum(like - gap)
        here = np.maximum.accumulate(reached - along) + along
        came[i] = np.where(here > reached, 3, np.where(reached <= 0, 0, np.where(alone > both, 2, 1)))
        before = np.concatenate([[0.0], here])
        if here.max() > best:
            best, end = float(here.max()), (i, int(here.argmax()))
    return path_back(came, *end), best


def common_passage_both_ways(
    first: Samples, second: Samples, base: float, gap: float
) -> tuple[npt.NDArray[np.int64], float, float]:
    """See `compiled_paths.common_passage_both_ways`."""
    path, total = common_passage(first, second, base, gap)
    return path, total, common_passage(first, np.ascontiguousarray(second[::-1]), base, gap)[1]


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
    """See `compiled_paths.likely_course`."""
    check_band(first, second, starts, width, reach)
    n, m = len(first), len(second)
    columns = starts[:, None] + np.arange(width)
    there = (columns >= 0) & (columns < m)
    distances = np.where(there, 0.0, -1.0)
    for i in range(n):
        near = second[columns[i, there[i]]]
        distances[i, there[i]] = ((first[i] - near) ** 2).sum(axis=1, dtype=np.float64)
    weights = np.where(there, np.exp(-sharpness * distances), 0.0)
    forward, into = np.empty((n, width)), np.empty((n, 3))
    for i in range(n):
        sums = np.ones(width)
        if i:
            old, moved = np.pad(forward[i - 1], (1, width + 1)), min(int(starts[i] - starts[i - 1]), width + 1)
            sums = old[moved : moved + width] * weights[i] + gap * old[moved + 1 : moved + 1 + width]
        forward[i] = _in_row(sums * weights[i], gap * weights[i] if i else np.zeros(width))
        forward[i] = _shared(forward[i])
    follows = np.zeros(width)
    for i in range(n - 1, -1, -1):
        sums = np.ones(width)
        last = i == n - 1
        if not last:
            moved = min(int(starts[i + 1] - starts[i]), width + 1)
            below = np.pad(follows, (width + 1, 1))
            squared = np.pad(follows * weights[i + 1], (width + 1, 1))
            first_at = width + 1 - moved
            sums = squared[first_at + 1 : first_at + 1 + width] + gap * below[first_at : first_at + width]
        ahead = np.zeros(width) if last else gap * np.append(weights[i][1:], 0.0)
        backward = _shared(_in_row(sums[::-1], ahead[::-1])[::-1])
        follows = backward * weights[i]
        share = _shared(forward[i] * backward)
        mode, k = int(share.argmax()), np.arange(width)
        near = share * (np.abs(k - mode) <= reach)
        mean = float((near * k).sum() / near.sum())
        inside = float(share[there[i]].sum())
        into[i] = (
            starts[i] + mean,
            np.sqrt((share * (k - mean) ** 2).sum()),
            float((share * distances[i])[there[i]].sum()) / inside if inside > 0 else -1.0,
        )
    return into


def best_walk(gains: Samples, price: Samples) -> tuple[float, npt.NDArray[np.int64]]:
    """See `compiled_paths.best_walk`."""
    check_walk(gains, price)
    (count, lags), most = gains.shape, price.size // 2
    came_from = np.zeros((count, lags), np.int8)
    padded = np.full(lags + 2 * most, -np.inf, np.float32)
    steps = np.lib.stride_tricks.sliding_window_view(padded, 2 * most + 1)
    total, columns = gains[0].copy(), np.arange(lags)
    for i in range(1, count):
        padded[most : most + lags] = total
        reached = steps - price
        best = reached.argmax(axis=1)
        came_from[i] = best - most
        total = reached[columns, best] + gains[i]
    path = np.zeros(count, np.int64)
    path[-1] = int(total.argmax())
    for i in range(count - 1, 0, -1):
        path[i - 1] = path[i] + came_from[i, path[i]]
    return float(total.max()), path


def _in_row(begun: Floats, passed: Floats) -> Floats:
    """`x[k] = begun[k] + passed[k] * x[k - 1]`."""
    found, before = np.empty(begun.size), 0.0
    for k, (one, share) in enumerate(zip(begun.tolist(), passed.tolist(), strict=True)):
        found[k] = before = one + share * before
    return found


def _shared(weights: Floats) -> Floats:
    """As shares of their sum; all alike where there is none."""
    total = weights.sum()
    return weights / total if total > 0 else np.full(weights.size, 1 / weights.size)
