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
from scipy.ndimage import uniform_filter1d

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
#: In noise it is what stands no higher than this over the noise, dB, taken over so long, for so long, s.
OVER_FLOOR_DB, STEADY_S, NOISY_PAUSE_S = 4.0, 0.045, 0.12
#: Noise is what lies this far below the loud moments, dB, and stays within so many dB for such a share of the time.
FLOOR_BELOW_DB, FLOOR_SPREAD_DB, FLOOR_SHARE, FLOOR_PERCENTILE = 9.0, 1.5, 0.1, 6


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

    @cached_property
    def _noise(self) -> npt.NDArray[np.bool_]:
        """Shape (frames,): where nothing stands above the noise that is there throughout."""
        power = uniform_filter1d(10 ** (self.level_db.astype(np.float64) / 10), max(1, round(STEADY_S / self.hop_s)))
        steady_db = 10 * np.log10(power + 1e-12)
        floor_db = float(np.percentile(steady_db, FLOOR_PERCENTILE))
        share = np.mean(np.abs(steady_db - floor_db) < FLOOR_SPREAD_DB)
        is_noise = share >= FLOOR_SHARE and floor_db < self._loud_db - FLOOR_BELOW_DB
        return np.asarray((steady_db < floor_db + OVER_FLOOR_DB) & is_noise)

    def between(self, start_s: float, end_s: float) -> tuple[Floats, npt.NDArray[np.float32]]:
        """Times in s and levels from `start_s` to `end_s`."""
        within = self._within(start_s, end_s)
        return np.asarray(np.arange(within.start, within.stop) * self.hop_s, np.float64), self.level_db[within]

    def _within(self, start_s: float, end_s: float) -> slice:
        first, last = (int(np.clip(round(t / self.hop_s), 0, self.level_db.size - 1)) for t in (start_s, end_s))
        # Never empty: a stretch may be shorter than a frame.
        return slice(first, max(first, last) + 1)

    def pauses(self, start_s: float, end_s: float) -> bool:
        """Whether there is a pause in a stretch."""
        within = self._within(start_s, end_s)
        quiet = self.level_db[within] < self._loud_db - PAUSE_DB
        return self._longest_s(quiet) >= PAUSE_S or self._longest_s(self._noise[within]) >= NOISY_PAUSE_S

    def _longest_s(self, flags: npt.NDArray[np.bool_]) -> float:
        edges = np.diff(np.concatenate([[0], flags.astype(np.int8), [0]]))
        runs = np.flatnonzero(edges < 0) - np.flatnonzero(edges > 0)
        return float(runs.max()) * self.hop_s if runs.size else 0.0
