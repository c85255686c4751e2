"""Ties, and how a recording is to follow them. Times in s.

A tie says that a moment of the recording is that moment of the reference.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats

#: A vowel opens within this of what its syllable begins with, s.
SYLLABLE_S = 0.25
#: Ties nearer to each other say the same.
LEAST_APART_S = 0.005
#: A tie that a person set is as sure as can be.
BY_HAND = 1.0
#: A pause is this far below the loud moments, dB, for so long.
PAUSE_DB, PAUSE_S = 30.0, 0.04


class TieKind(StrEnum):
    """What a tie holds on to."""

    START = "start"  #: the first energy of a word or note
    OPENING = "opening"  #: where a syllable's vowel opens
    END = "end"


@dataclass(frozen=True, slots=True)
class Tie:
    """One moment of the recording is one of the reference.

    Attributes
    ----------
    t_ref, t_rec : s.
    certainty : 0..1. That it is so within 20 ms.
    closeness : 0..1. How much of its difference is taken away; None: as of all.
    held : it lies where it says, whatever is chosen for all.
    """

    t_ref: float
    t_rec: float
    kind: TieKind
    certainty: float
    closeness: float | None = None
    held: bool = False

    @property
    def by_hand(self) -> bool:
        """Whether a person set it: the program is never wholly sure."""
        return self.certainty >= BY_HAND


@dataclass(frozen=True, slots=True)
class BendSettings:
    """How a recording is bent.

    Attributes
    ----------
    closeness : 0..1. How much of each difference is taken away.
    leave_below_s : 0 or more, s. Smaller differences stay.
    limit : above 0. Nothing is stretched or squeezed by more than this share.
    ends : whether ends of words and notes follow as well as starts.
    least_certainty : 0..1. Ties below it are not followed.
    """

    closeness: float = 1.0
    leave_below_s: float = 0.0
    limit: float = 0.3
    ends: bool = True
    least_certainty: float = 0.5

    def __post_init__(self) -> None:
        if not 0 <= self.closeness <= 1:
            raise InputError(f"closeness must be from 0 to 1, got {self.closeness}")
        if not self.leave_below_s >= 0:
            raise InputError(f"differences to leave alone must be 0 s or more, got {self.leave_below_s}")
        if not self.limit > 0:
            raise InputError(f"the limit must be above 0, got {self.limit}")
        if not 0 <= self.least_certainty <= 1:
            raise InputError(f"a certainty lies between 0 and 1, got {self.least_certainty}")


AS_CLOSE_AS_POSSIBLE = BendSettings()


def other_points(ties: Sequence[Tie]) -> tuple[int | None, ...]:
    """For each tie the other point of its syllable: its beginning, or where its vowel opens; None where there is none.

    Parameters
    ----------
    ties : in order.
    """
    others: list[int | None] = [None] * len(ties)
    for k, (before, after) in enumerate(pairwise(ties)):
        near = after.t_ref - before.t_ref <= SYLLABLE_S
        if near and (before.kind, after.kind) == (TieKind.START, TieKind.OPENING):
            others[k], others[k + 1] = k + 1, k
    return tuple(others)


@dataclass(frozen=True, eq=False)
class Levels:
    """How loud a recording is along its time: `level_db`, shape (frames,), one each `hop_s`."""

    hop_s: float
    level_db: npt.NDArray[np.float32]

    @cached_property
    def _loud_db(self) -> float:
        """What is loud in it: once for all stretches that are asked about."""
        return float(np.percentile(self.level_db, 95))

    def between(self, start_s: float, end_s: float) -> tuple[Floats, npt.NDArray[np.float32]]:
        """Times in s and levels from `start_s` to `end_s`."""
        first, last = (int(np.clip(round(t / self.hop_s), 0, self.level_db.size - 1)) for t in (start_s, end_s))
        # Never empty: a stretch may be shorter than a frame.
        last = max(first, last)
        return np.asarray(np.arange(first, last + 1) * self.hop_s, np.float64), self.level_db[first : last + 1]

    def pauses(self, start_s: float, end_s: float) -> bool:
        """Whether there is a pause in a stretch."""
        _, level = self.between(start_s, end_s)
        quiet = level < self._loud_db - PAUSE_DB
        edges = np.diff(np.concatenate([[0], quiet.astype(np.int8), [0]]))
        runs = np.flatnonzero(edges < 0) - np.flatnonzero(edges > 0)
        return bool(runs.size) and float(runs.max()) * self.hop_s >= PAUSE_S
