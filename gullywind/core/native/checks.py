"""What the loops take, compiled or plain: compiled code would read beyond arrays that do not fit."""

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.errors import InputError

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
