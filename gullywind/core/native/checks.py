"""What the loops take, compiled or plain: compiled code would read beyond arrays that do not fit."""

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats, Samples

Spectrum = npt.NDArray[np.complex64]


def check_bands(edges: npt.NDArray[np.int64], bins: int) -> None:
    """Refuse bands that are no ranges of bins."""
    if edges.min() < 0 or edges.max() > bins or np.any(edges[:, 0] >= edges[:, 1]):
        raise InputError(f"bands must be ranges of {bins} bins, got {edges.tolist()}")


def check(dtype: type, *arrays: npt.NDArray) -> None:
    """Refuse arrays of another type, or with gaps."""
    for array in arrays:
        if array.dtype != dtype or not array.flags.c_contiguous:
            raise InputError(f"need contiguous {np.dtype(dtype)}, got {array.dtype} with strides {array.strides}")


def check_positions(sound: Samples, start: float, step: float, table: Samples, into: Samples) -> None:
    """Refuse positions without half a kernel of sound on either side."""
    (channels, samples), length, taps = sound.shape, into.shape[1], table.shape[1]
    first, last = np.floor([start, start + (length - 1) * step])
    if into.shape[0] != channels or not (first >= taps / 2 - 1 and last + taps / 2 < samples):
        raise InputError(f"positions {start} to {start + (length - 1) * step} lie outside {samples} samples")
    check(np.float32, table)
    for rows in (sound, into):
        if rows.dtype != np.float32 or (length > 1 and rows.strides[1] != 4):
            raise InputError(f"need rows of float32, got {rows.dtype} with strides {rows.strides}")


def check_rows(x_rows: Sequence[Spectrum], y_rows: Sequence[Spectrum]) -> None:
    """Refuse rows that do not belong together."""
    bins = x_rows[0].size
    if len(x_rows) != len(y_rows) or any(row.size != bins for row in (*x_rows, *y_rows)):
        raise InputError("need equally many rows of equally many bins")
    check(np.complex64, *x_rows, *y_rows)


def check_powers(cross: Spectrum, x_power: Samples, y_power: Samples) -> None:
    """Refuse powers of other bins than the cross spectrum's."""
    check(np.complex64, cross)
    check(np.float32, x_power, y_power)
    if not cross.size == x_power.size == y_power.size:
        raise InputError(f"need equally many bins, got {cross.size}, {x_power.size} and {y_power.size}")


def check_weighing(phases: Spectrum, coherence: Samples, bins: slice) -> None:
    """Refuse bins outside, or not of both."""
    check(np.complex64, phases)
    check(np.float32, coherence)
    if phases.size != coherence.size or not 0 <= bins.start <= bins.stop <= phases.size:
        raise InputError(f"need equally many bins, {bins} among them, got {phases.size} and {coherence.size}")


def check_bins(spectrum: Spectrum, bins: slice) -> None:
    """Refuse bins outside a spectrum."""
    check(np.complex64, spectrum)
    if not 0 <= bins.start <= bins.stop <= spectrum.size:
        raise InputError(f"need bins within {spectrum.size}, got {bins}")


def check_walk(gains: Samples, price: Samples) -> None:
    """Refuse no rows, and prices of other than an odd number of steps that fit a byte."""
    check(np.float32, gains, price)
    if gains.ndim != 2 or not gains.size or price.size % 2 == 0 or price.size > 255:
        raise InputError(f"need rows, and prices of 2 * most + 1 steps up to 255, got {gains.shape}, {price.size}")


def check_filters(sound: Samples, filters: Samples) -> None:
    """Refuse filters of an odd length, and sound that is shorter than they are."""
    check(np.float32, sound, filters)
    if filters.ndim != 2 or filters.shape[1] % 2 or sound.size <= filters.shape[1]:
        raise InputError(f"need filters of even length and more sound than that, got {filters.shape}, {sound.size}")


def check_sections(sound: Samples, sections: Floats, state: Floats, block: int, filled: int, settle: int) -> None:
    """Refuse other than two second-order sections, and a first block that is full."""
    check(np.float32, sound)
    check(np.float64, sections, state)
    if sections.shape != (2, 5) or state.shape != (2, 2) or not 0 <= filled < block or settle < 0:
        raise InputError(f"need two sections and a block, got {sections.shape}, {state.shape}, {filled} of {block}")


def check_products(
    ours: Sequence[Spectrum],
    theirs: Sequence[Spectrum],
    pairs: npt.NDArray[np.int64],
    first: int,
    lags: Floats,
    taps: Samples,
    every: int,
) -> None:
    """Refuse spectra of different bins, pairs of others, other than one lag a pair, and taps without a middle."""
    check(np.complex64, *ours, *theirs)
    check(np.float64, lags)
    check(np.float32, taps)
    if len({row.size for row in (*ours, *theirs)}) != 1:
        raise InputError("need rows of equally many bins")
    if pairs.ndim != 2 or not pairs.size or pairs.min() < 0 or np.any(pairs.max(axis=0) >= (len(ours), len(theirs))):
        raise InputError(f"need pairs of {len(ours)} and {len(theirs)} rows, got {pairs.tolist()}")
    if lags.shape != (len(pairs),) or taps.size % 2 == 0 or first < 0 or every < 1:
        raise InputError(f"need a lag a pair and taps around one, got {lags.shape} for {len(pairs)}, {taps.size} taps")


def check_whitening(spectrum: Spectrum, reach: int, steady: npt.NDArray[np.bool_]) -> None:
    """Refuse other than a spectrum with one sign a bin."""
    check(np.complex64, spectrum)
    check(np.bool_, steady)
    if spectrum.ndim != 1 or not spectrum.size or steady.shape != spectrum.shape or reach < 0:
        raise InputError(f"need bins and a sign for each, got {spectrum.shape}, {steady.shape}, {reach}")


def check_pooling(curves: Samples, scales: Floats, reach: int) -> None:
    """Refuse an odd number of lags, and other than one scale a row."""
    check(np.float32, curves)
    check(np.float64, scales)
    if curves.ndim != 2 or scales.shape != curves.shape[:1] or curves.shape[1] % 2 or reach < 0:
        raise InputError(f"need rows of pairs with a scale each, got {curves.shape}, {scales.shape}, {reach}")


def check_lines(values: Samples, starts: npt.NDArray[np.int32], inner: int) -> None:
    """Refuse lines that leave the rows."""
    check(np.float32, values)
    check(np.int32, starts)
    rows, width = values.shape
    if starts.shape[1] != rows or starts.min() < 0 or starts.max() + inner > width or inner < 1:
        raise InputError(f"lines of {inner} columns from {starts.min()} to {starts.max()} leave {width}")


def check_sequences(first: Samples, second: Samples) -> None:
    """Refuse sequences of different features, and empty ones."""
    check(np.float32, first, second)
    if first.ndim != 2 or second.ndim != 2 or first.shape[1] != second.shape[1] or not first.size or not second.size:
        raise InputError(f"need two sequences of equal features, got {first.shape} and {second.shape}")


def check_band(first: Samples, second: Samples, starts: npt.NDArray[np.int64], width: int, reach: int) -> None:
    """Refuse a band that is not one row for each element, or runs back."""
    check_sequences(first, second)
    check(np.int64, starts)
    if starts.shape != (len(first),) or width < 1 or reach < 0 or np.any(np.diff(starts) < 0):
        raise InputError(f"need a rising band of {len(first)} rows, got {starts.shape}, {width} wide")


def likeness(first: Samples, second: Samples, base: float) -> Samples:
    """`base` less the squared distance of all pairs, shape (n, m)."""
    squares = (first**2).sum(axis=1)[:, None] + (second**2).sum(axis=1)
    return np.asarray(np.float32(base) - squares + np.float32(2) * (first @ second.T), np.float32)


def path_back(came: npt.NDArray[np.uint8], row: int, column: int) -> npt.NDArray[np.int64]:
    """The path that ends at a cell, by where cells were reached from: 0 it begins, 1 both, 2 the row, 3 the column."""
    path = []
    while row >= 0 and column >= 0 and came[row, column]:
        path.append((row, column))
        step = came[row, column]
        row, column = row - (step != 3), column - (step != 2)
    return np.array(path[::-1], np.int64).reshape(-1, 2)
