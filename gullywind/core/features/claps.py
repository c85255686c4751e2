"""Sharp sounds that can serve as marks: a clap, a slate, a dropped cup. Times in s.

Such a sound rises in all bands within a few milliseconds and is gone again within a tenth of a second; a plosive does
so in some, a drum stays in the low ones, hiss does not rise at all. Moments that rise and fall are picked from the
energy of differences; around each a coarse picture of power in bands and time is compared with what is usual there, and
a small network of one hidden layer (Rumelhart, Hinton and Williams, "Learning representations by back-propagating
errors", Nature 323, 1986) says how surely it is one. It was fitted on invented hands, slates, sticks and cups, 0 to 45
dB above talk, babble, hum, noise, crackle, people's recorded announcements and bands (`scripts/claps.py`).
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt
import scipy.fft
from scipy.ndimage import maximum_filter1d
from scipy.special import expit

from gullywind.core.features.clap_model import CLAP_BIASES, CLAP_HIDDEN, CLAP_OUT, CLAP_OUT_BIAS
from gullywind.core.ground.units import Floats, Samples
from gullywind.core.native import kernels

#: About this rate is listened at: what lies above it many files do not hold.
CLAP_RATE_HZ = 16000
#: Nothing below this holds a sharp sound.
LEAST_CLAP_RATE_HZ = 12000
#: Energies are taken in steps of this.
CLAP_STEP_S = 0.00075
#: Steps after, before and well after a moment whose mean energies are compared.
AFTER, BEFORE, GONE = (0, 4), (-14, -2), (93, 173)
#: A moment counts from this rise and fall on, dB, if none within APART_S rises more.
LEAST_RISE_DB, APART_S = 3.0, 0.02
CLAP_EDGES_HZ = (400, 700, 1000, 1400, 2000, 2800, 3900, 5400, 7600)
PICTURE_WINDOW_S, PICTURE_SIZE = 0.003, 64
#: Moments of the picture, ms after the sound begins, and how far apart the windows lie that each is the mean of.
MOMENTS_MS: tuple[tuple[float, ...], ...] = (
    (-36, -31, -26),
    (-20, -16, -12),
    (-9, -7),
    (-5, -3),
    (-1, 0.5),
    (1, 2.5),
    (4, 6),
    (8, 10),
    (13, 15),
    (18, 24),
    (28, 34, 40),
    (44, 51, 58, 65),
    (64, 74, 84, 94),
    (88, 102, 116, 130),
    (120, 138, 156, 174),
)
#: What the picture is told against: the median of windows so many ms away.
ABOUT_MS = np.concatenate([np.arange(-600, -40, 45), np.arange(190, 600, 45)]).astype(np.float64)
#: Others that are compared with a moment: so many on either side, no further away than this.
OTHERS, OTHERS_S = 48, 8.0
#: Sound that is kept around what is looked at.
CLAP_MARGIN_S = 0.7
#: So many margins are looked at together: with fewer more sound is looked at twice, with more it leaves the cache.
LOOKED_AT_ONCE = 24
#: Where a file begins in the midst of sound, that is no clap.
FIRST_CLAP_S = 0.01
#: Less sure ones are not told.
LEAST_CERTAINTY = 0.1
#: A sound that rings, bounces or echoes is one; its later parts are not told.
ONE_SOUND_S = 0.05
#: More than so many within this, s, on either side are a crowd, and none of them is surer than that.
CROWD, CROWD_S, CROWD_CERTAINTY = 8, 1.5, 0.3


@dataclass(frozen=True, slots=True)
class Clap:
    """A sharp sound: when it begins in the recording, s, and how surely it is one, 0..1."""

    t_rec: float
    certainty: float


class ClapFinder:
    """Streams mono sound in blocks of any size; `finish` gives the sharp sounds in it."""

    def __init__(self, sample_rate_hz: float) -> None:
        self._thin = max(1, int(sample_rate_hz // CLAP_RATE_HZ))
        self._rate_hz = sample_rate_hz / self._thin
        self._step = max(1, round(CLAP_STEP_S * self._rate_hz))
        self._margin = int(CLAP_MARGIN_S * self._rate_hz) // self._step * self._step
        self._carry: Samples = np.zeros(0, np.float32)
        # Silence before the beginning: a clap may be the first thing that is heard.
        self._held: Samples = np.zeros(self._margin, np.float32)
        self._start = -self._margin
        self._times_s: list[Floats] = []
        self._numbers: list[npt.NDArray[np.float32]] = []

    def push(self, mono: Samples) -> None:
        """Add samples, shape (samples,)."""
        if self._rate_hz < LEAST_CLAP_RATE_HZ:
            return
        if self._carry.size:
            mono = np.concatenate([self._carry, mono])
        whole = mono.size - mono.size % self._thin
        self._carry = mono[whole:].copy()
        self._held = np.concatenate([self._held, kernels.thin(mono[:whole], self._thin)])
        if self._held.size > LOOKED_AT_ONCE * self._margin:
            self._look()

    def finish(self) -> tuple[Clap, ...]:
        """All that were found, in order."""
        times_s, described = self.described()
        found = zip(times_s.tolist(), _certainty(described).tolist(), strict=True)
        return _no_crowd(
            apart([Clap(t, round(sure, 4)) for t, sure in found if sure >= LEAST_CERTAINTY and t >= FIRST_CLAP_S])
        )

    def described(self) -> tuple[Floats, npt.NDArray[np.float32]]:
        """What may be one, after the last block: times, s, and numbers, shape (moments, len(CLAP_HIDDEN))."""
        if self._rate_hz >= LEAST_CLAP_RATE_HZ:
            # Beyond the end it goes on as it came: a word that is cut off there would die away as a clap does.
            self._held = np.pad(self._held, (0, self._margin + self._step), mode="reflect")
            self._look()
        if not self._times_s:
            return np.zeros(0), np.zeros((0, len(CLAP_HIDDEN)), np.float32)
        times_s, numbers = np.concatenate(self._times_s), np.concatenate(self._numbers)
        against = _against_others(times_s, numbers[:, 0].astype(np.float64))
        return times_s, np.concatenate([numbers, against], axis=1, dtype=np.float32)

    def _look(self) -> None:
        """Take what lies a margin inside of what is held."""
        held, margin = self._held, self._margin
        last = (held.size - margin) // self._step * self._step
        if last <= margin:
            return
        at = _rising(held, self._step, self._rate_hz, margin, last)
        if at.size:
            begins = _beginnings(held, at, self._rate_hz)
            picture = _picture(held, at, self._rate_hz)
            self._times_s.append((begins + self._start) / self._rate_hz)
            self._numbers.append(_described(picture))
        self._held = held[last - margin :].copy()
        self._start += last - margin


def _rising(sound: Samples, step: int, rate_hz: float, first: int, last: int) -> npt.NDArray[np.int64]:
    """Samples at which the energy of differences rises and soon falls, those that rise most.

    Looked for from `first` to before `last`, whole steps; the sound goes on for a margin on either side.
    """
    reach = round(APART_S * rate_hz / step)
    before, after = reach - BEFORE[0], reach + GONE[1]
    part = sound[first - before * step - 1 : last + after * step]
    differences = np.diff(part).reshape(-1, step)
    energy = np.einsum("ij,ij->i", differences, differences).astype(np.float64) + 1e-12
    total = np.concatenate([[0.0], np.cumsum(energy)])
    steps = (last - first) // step + 2 * reach

    def mean(span: tuple[int, int]) -> Floats:
        low, high = (before - reach + end for end in span)
        return np.asarray((total[high : high + steps] - total[low : low + steps]) / (high - low) + 1e-12)

    rise = mean(AFTER) / np.maximum(mean(BEFORE), mean(GONE))
    highest = maximum_filter1d(rise, 2 * reach + 1)
    risen = (rise == highest) & (rise > 10 ** (LEAST_RISE_DB / 10))
    return first + np.flatnonzero(risen[reach : steps - reach]) * step


def _beginnings(sound: Samples, at: npt.NDArray[np.int64], rate_hz: float) -> Floats:
    """Where each sound begins, in samples: a fifth of the highest energy of differences within some ms."""
    reach = np.arange(int(-0.002 * rate_hz), int(0.005 * rate_hz))
    around = (
        sound[np.clip(at[:, None] + reach, 1, sound.size - 1)]
        - sound[np.clip(at[:, None] + reach, 1, sound.size - 1) - 1]
    )
    energy = np.square(around)
    first = np.argmax(energy >= 0.2 * energy.max(axis=1, keepdims=True), axis=1)
    return np.asarray(at + reach[first], np.float64)


def _powers(sound: Samples, starts: npt.NDArray[np.int64], size: int, rate_hz: float) -> npt.NDArray[np.float32]:
    """Band powers of short windows, shape (*starts.shape, bands)."""
    window = np.hanning(size + 2)[1:-1].astype(np.float32)
    cut = kernels.cut(sound, np.clip(starts, 0, sound.size - size).ravel().astype(np.int64), window)
    edges = np.round(np.array(CLAP_EDGES_HZ) * PICTURE_SIZE / rate_hz).astype(np.int64)
    bands = np.array([(low, max(high, low + 1)) for low, high in pairwise(edges.tolist())], np.int64)
    power = kernels.band_powers(scipy.fft.rfft(cut, PICTURE_SIZE), bands)
    return np.asarray(power.reshape(*starts.shape, -1) + np.float32(1e-12))


def _picture(sound: Samples, at: npt.NDArray[np.int64], rate_hz: float) -> npt.NDArray[np.float32]:
    """Power around moments against what is usual there, dB, shape (moments found, MOMENTS_MS, bands)."""
    size = min(int(PICTURE_WINDOW_S * rate_hz), PICTURE_SIZE)

    def starts(offsets_ms: npt.NDArray[np.float64]) -> npt.NDArray[np.int64]:
        return at[:, None] - size // 2 + np.rint(offsets_ms * 1e-3 * rate_hz).astype(np.int64)

    usual = np.median(np.log(_powers(sound, starts(ABOUT_MS), size, rate_hz)), axis=1)
    moments = np.concatenate(MOMENTS_MS)
    counts = np.array([len(one) for one in MOMENTS_MS])
    powers = _powers(sound, starts(moments), size, rate_hz)
    picture = np.add.reduceat(powers, np.cumsum(counts) - counts, axis=1) / counts[:, None].astype(np.float32)
    return np.asarray(np.clip(10 / np.log(10) * (np.log(picture) - usual[:, None]), -12, 30), np.float32)


def _described(picture: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    """The picture of each moment, and before it what it says in a few numbers, dB, the first the one that sharp sounds
    are ranked by.
    """
    before, peak = picture[:, 1:4].mean(axis=1), picture[:, 4:7].max(axis=1)
    later, soon = picture[:, 11:].mean(axis=1), picture[:, 9:11].mean(axis=1)
    rise, fall = np.clip(peak - before, -5, 25), np.clip(peak - later, -5, 25)
    least = np.minimum(rise, fall)
    ranked, bands = np.sort(least, axis=1), np.sort(picture, axis=2)
    return np.column_stack(
        [
            least.mean(axis=1),
            ranked[:, :2].mean(axis=1),
            ranked[:, 2:4].mean(axis=1),
            rise.mean(axis=1),
            fall.mean(axis=1),
            np.clip(peak - soon, -5, 25).mean(axis=1),
            peak.mean(axis=1),
            np.sort(peak, axis=1)[:, :2].mean(axis=1),
            picture.mean(axis=2)[:, 2:],
            bands[:, 3:8, 1:3].mean(axis=2),
            picture.reshape(len(picture), -1),
        ]
    ).astype(np.float32)


def _against_others(times_s: Floats, heights: Floats) -> Floats:
    """How a moment stands among those about it: above their middle, above their best sixth, and how many are sharp."""
    index = np.arange(times_s.size)[:, None] + np.concatenate([np.arange(-OTHERS, 0), np.arange(1, OTHERS + 1)])
    there = (index >= 0) & (index < times_s.size)
    index = np.clip(index, 0, times_s.size - 1)
    away_s = np.abs(times_s[index] - times_s[:, None])
    there &= (away_s < OTHERS_S) & (away_s > ONE_SOUND_S)
    values = np.where(there, heights[index], np.inf)
    values.sort(axis=1)
    count = there.sum(axis=1)
    rows = np.arange(times_s.size)
    few = count < 4
    middle = np.where(few, 2.0, values[rows, np.maximum(count // 2, 0).clip(0, 2 * OTHERS - 1)])
    best = np.where(few, 2.0, values[rows, (count * 5 // 6).clip(0, 2 * OTHERS - 1)])
    sharp = np.log1p(((values > 6) & np.isfinite(values)).sum(axis=1))
    return np.column_stack([heights - middle, heights - best, sharp])


def _certainty(described: npt.NDArray[np.float32]) -> Floats:
    hidden = np.tanh(described @ np.array(CLAP_HIDDEN) + np.array(CLAP_BIASES))
    return np.asarray(expit(hidden @ np.array(CLAP_OUT) + CLAP_OUT_BIAS), np.float64)


def _no_crowd(claps: Sequence[Clap]) -> tuple[Clap, ...]:
    """The same, those of applause and of drums less sure: what many do at once marks no moment."""
    times_s = np.array([one.t_rec for one in claps])
    sure_s = np.array([one.t_rec for one in claps if one.certainty >= 0.5])
    near = np.searchsorted(sure_s, times_s + CROWD_S) - np.searchsorted(sure_s, times_s - CROWD_S)
    return tuple(
        replace(one, certainty=min(one.certainty, CROWD_CERTAINTY)) if count > CROWD else one
        for one, count in zip(claps, near, strict=True)
    )


def apart(claps: Sequence[Clap]) -> tuple[Clap, ...]:
    """Sharp sounds in order, without the echoes and bounces of a surer one just before."""
    kept: list[Clap] = []
    for one in sorted(claps, key=lambda one: one.t_rec):
        if kept and one.t_rec - kept[-1].t_rec < ONE_SOUND_S:
            if one.certainty > 2 * kept[-1].certainty:
                kept[-1] = one
            continue
        kept.append(one)
    return tuple(kept)
