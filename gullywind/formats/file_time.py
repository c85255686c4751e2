"""Where decoded sound lies on its file's own clock: late starts, holes and damage, from the time stamps of its frames.

Times are s on the file's clock, positions are samples. Sample 0 of a recording is time 0 of its file, so that its sound
and its picture stay together; what the file does not hold there is silence.
"""

from __future__ import annotations

import json
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from gullywind.core.ground.units import Floats
from gullywind.core.sound.facts import Gap, GapKind

#: Frames on either side that must agree before a jump of the time stamps counts: Vorbis stamps its frames alternately
#: early and late when blocks change their size.
STEADY_FRAMES = 8
#: A jump smaller than this is rounding or the jitter of a live recorder: 10 ms where stamps are whole ms.
LEAST_JUMP_S, LEAST_COARSE_JUMP_S, COARSE_TICK_S = 0.002, 0.01, 1e-4
#: A jump of more hours is nonsense, as from stamps that say the time of day halfway; the sound is kept, unmoved.
MOST_JUMP_S = 4 * 3600.0


@dataclass(frozen=True, slots=True)
class Stretch:
    """Unbroken sound: `samples` that stand at `stored` in the spool belong at `at` in the recording."""

    at: int
    stored: int
    samples: int


@dataclass(frozen=True, slots=True)
class FileTime:
    """All stretches of a recording in order, what is missing between and before them, and its whole length in samples.

    `broken_off`: decoding ended before the file did.
    """

    stretches: tuple[Stretch, ...]
    gaps: tuple[Gap, ...] = ()
    broken_off: bool = False

    @property
    def samples(self) -> int:
        """Length of the recording in samples, from time 0 of the file."""
        return self.stretches[-1].at + self.stretches[-1].samples if self.stretches else 0

    def save(self, path: Path) -> None:
        """Write as JSON."""
        path.write_text(json.dumps(asdict(self)))

    @classmethod
    def load(cls, path: Path) -> FileTime:
        """Read what `save` wrote; raises OSError and ValueError."""
        stored = json.loads(path.read_text())
        gaps = (Gap(one["start_s"], one["duration_s"], GapKind(one["kind"])) for one in stored["gaps"])
        return cls(tuple(Stretch(**one) for one in stored["stretches"]), tuple(gaps), stored["broken_off"])


def unbroken(samples: int, *, broken_off: bool = False) -> FileTime:
    """Sound from time 0 to its end."""
    return FileTime((Stretch(0, 0, samples),) if samples else (), broken_off=broken_off)


def place_in_file(
    frame_samples: np.ndarray,
    stamps_s: Floats,
    after_damage: np.ndarray,
    *,
    sample_rate_hz: int,
    tick_s: float,
    broken_off: bool = False,
) -> FileTime:
    """Lay decoded frames on the file's clock.

    Parameters
    ----------
    frame_samples : shape (frames,), int. Samples of each frame, as they stand one after the other in the spool.
    stamps_s : shape (frames,), s. When each begins by the file's clock; NaN where the file does not say.
    after_damage : shape (frames,), bool. Whether something could not be decoded just before it.
    tick_s : > 0. What the stamps are whole multiples of.

    Returns
    -------
    FileTime : jumps back in time are ignored: sound is never thrown away for them.
    """
    stored = np.concatenate([[0], np.cumsum(frame_samples)]).astype(np.int64)
    if frame_samples.size == 0:
        return unbroken(0, broken_off=broken_off)
    late_s = stamps_s - stored[:-1] / sample_rate_hz
    known = np.flatnonzero(np.isfinite(late_s))
    if known.size == 0:
        return unbroken(int(stored[-1]), broken_off=broken_off)
    late_s = np.interp(np.arange(late_s.size), known, late_s[known])

    shift = round(float(late_s[0]) * sample_rate_hz) if abs(late_s[0]) < MOST_JUMP_S else 0
    synced_s = float(late_s[0])
    # Sound before time 0 is what a player drops: the priming of a codec.
    first = min(max(-shift, 0), int(stored[-1]))
    gaps = [Gap(0.0, shift / sample_rate_hz, GapKind.LATE)] if shift > 0 else []
    stretches: list[Stretch] = []
    for i in _jumps(late_s, tick_s):
        before_s = synced_s if abs(late_s[i - 1] - synced_s) <= 2 * tick_s + 1e-9 else float(late_s[i - 1])
        synced_s = float(late_s[i])
        missing = round((synced_s - before_s) * sample_rate_hz)
        if missing <= 0 or missing > MOST_JUMP_S * sample_rate_hz or stored[i] <= first:
            continue
        stretches.append(Stretch(first + shift, first, int(stored[i]) - first))
        kind = GapKind.DAMAGE if after_damage[max(i - 1, 0) : i + 1].any() else GapKind.HOLE
        gaps.append(Gap((int(stored[i]) + shift) / sample_rate_hz, missing / sample_rate_hz, kind))
        first = int(stored[i])
        shift += missing
    if stored[-1] > first:
        stretches.append(Stretch(first + shift, first, int(stored[-1]) - first))
    return FileTime(tuple(stretches), tuple(gaps), broken_off)


def _jumps(late_s: Floats, tick_s: float) -> list[int]:
    """Frames before which the stamps jump and stay there."""
    least_s = max(LEAST_COARSE_JUMP_S, tick_s) if tick_s > COARSE_TICK_S else LEAST_JUMP_S
    found = []
    for i in np.flatnonzero(np.abs(np.diff(late_s)) > least_s) + 1:
        before = np.median(late_s[max(0, i - STEADY_FRAMES) : i])
        after = np.median(late_s[i : i + STEADY_FRAMES])
        if abs(after - before) > least_s:
            found.append(int(i))
    return found
