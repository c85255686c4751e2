"""Edits of a time map by hand; each gives a new map and a sentence that says what was done."""

from dataclasses import dataclass

import numpy as np

from gullywind.core.errors import InputError
from gullywind.core.time_map import TimeMap

#: Nobody means a day: such a number is a slip of the keyboard.
MOST_OFFSET_S = 86400.0


@dataclass(frozen=True, slots=True)
class Edited:
    """The new map and the sentence for the history."""

    time_map: TimeMap
    sentence: str


def nudge(time_map: TimeMap, by_s: float) -> Edited:
    """The whole recording later (positive) or earlier by `by_s`, s."""
    if not np.isfinite(by_s) or by_s == 0 or abs(by_s) > MOST_OFFSET_S:
        raise InputError(f"A nudge must be a time other than 0 within a day, got {by_s} s.")
    way = "later" if by_s > 0 else "earlier"
    return Edited(time_map.shifted(by_s), f"moved {readable(abs(by_s))} {way}")


def move_to(time_map: TimeMap, offset_s: float) -> Edited:
    """The whole recording so that it starts at `offset_s`, s of reference time."""
    if not np.isfinite(offset_s) or abs(offset_s) > MOST_OFFSET_S:
        raise InputError(f"An offset must be a time within a day, got {offset_s} s.")
    return Edited(time_map.moved_to(offset_s), f"start set to {offset_s:.6f} s")


def readable(time_s: float) -> str:
    """A short time in the unit that reads best."""
    if time_s >= 1:
        return f"{time_s:.3f} s"
    if time_s >= 0.001:
        return f"{time_s * 1e3:.4g} ms"
    return f"{time_s * 1e6:.3g} µs"
