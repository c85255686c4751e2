"""Sharp sounds made on purpose or by mishap: hands, slates, dropped cups, sticks, fingers. Mono float64 at 48 kHz."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from scipy.signal import butter, sosfilt

from material.devices import RATE_HZ, SoundPath, heard, noise_of
from material.gate import other_talk, rain
from material.recorded import announcements, band
from material.speech import talk


def hands(rng: np.random.Generator) -> np.ndarray:
    """A clap: a few bursts within two milliseconds, and the hollow of the palms."""
    n = int(0.08 * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    sound = np.zeros(n)
    for k in range(int(rng.integers(1, 4))):
        at = 0 if k == 0 else int(rng.uniform(0.0003, 0.002) * RATE_HZ)
        burst = rng.standard_normal(n - at) * np.exp(-t[: n - at] / rng.uniform(0.002, 0.005))
        sound[at:] += burst * rng.uniform(0.4, 1.0)
    low, high = rng.uniform(500, 900), rng.uniform(5000, 12000)
    sound = sosfilt(butter(1, [low, high], "bandpass", fs=RATE_HZ, output="sos"), sound)
    hollow_hz = rng.uniform(900, 2200)
    hollow = sosfilt(butter(1, [hollow_hz * 0.8, hollow_hz * 1.25], "bandpass", fs=RATE_HZ, output="sos"), sound)
    return _level(sound + 1.5 * hollow)


def slate(rng: np.random.Generator) -> np.ndarray:
    """Wood on wood, with a smaller second contact."""
    n = int(0.15 * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    one = rng.standard_normal(n) * np.exp(-t / 0.0008)
    for hz in rng.uniform(900, 7000, 5):
        one += np.sin(2 * np.pi * hz * t + rng.uniform(0, 6)) * np.exp(-t / rng.uniform(0.006, 0.02)) * 0.4
    sound, again = one.copy(), int(rng.uniform(0.012, 0.04) * RATE_HZ)
    sound[again:] += one[: n - again] * rng.uniform(0.1, 0.35)
    return _level(sound)


def cup(rng: np.random.Generator) -> np.ndarray:
    """A cup that falls: it rings, and bounces once or twice."""
    n = int(0.7 * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    one = rng.standard_normal(n) * np.exp(-t / 0.001) * 2
    for hz in rng.uniform(1500, 9000, 6):
        one += np.sin(2 * np.pi * hz * t + rng.uniform(0, 6)) * np.exp(-t / rng.uniform(0.02, 0.09)) * 0.5
    sound, at, strength = one.copy(), 0, 1.0
    for _ in range(int(rng.integers(1, 3))):
        at += int(rng.uniform(0.1, 0.2) * RATE_HZ)
        strength *= rng.uniform(0.15, 0.4)
        sound[at:] += strength * one[: n - at]
    return _level(sound)


def rim(rng: np.random.Generator) -> np.ndarray:
    """A stick on a rim: a bare click with one deep and one high ring."""
    n = int(0.12 * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    sound = rng.standard_normal(n) * np.exp(-t / 0.0005) * 1.5
    for hz, tail_s in ((rng.uniform(350, 500), 0.03), (rng.uniform(1500, 2000), 0.015)):
        sound += np.sin(2 * np.pi * hz * t) * np.exp(-t / tail_s)
    return _level(sound)


def snap(rng: np.random.Generator) -> np.ndarray:
    """Fingers on the ball of the thumb: a short slap with its small hollow."""
    t = np.arange(int(0.06 * RATE_HZ)) / RATE_HZ
    sound = rng.standard_normal(t.size) * np.exp(-t / rng.uniform(0.001, 0.003))
    sound += 3 * np.sin(2 * np.pi * rng.uniform(1500, 3000) * t) * np.exp(-t / rng.uniform(0.002, 0.005))
    return _level(sosfilt(butter(1, [800, 12000], "bandpass", fs=RATE_HZ, output="sos"), sound))


SOUNDS: dict[str, Callable[[np.random.Generator], np.ndarray]] = {
    "hands": hands,
    "slate": slate,
    "cup": cup,
    "rim": rim,
    "snap": snap,
}


def clapped(
    times_s: list[float], kind: str, duration_s: float, rng: np.random.Generator, *, spread: float = 0.2
) -> np.ndarray:
    """Claps of one kind at so many moments, each a little different: shape (samples,), each of power 1 over 30 ms."""
    sound = np.zeros(int(duration_s * RATE_HZ))
    for time_s in times_s:
        one = SOUNDS[kind](rng) * rng.uniform(1 - spread, 1 + spread)
        at = round(time_s * RATE_HZ)
        end = min(at + one.size, sound.size)
        sound[at:end] += one[: end - at]
    return sound


def _level(sound: np.ndarray) -> np.ndarray:
    first = sound[: int(0.03 * RATE_HZ)]
    return np.asarray(sound / np.sqrt(np.mean(first**2)))


@dataclass(frozen=True, eq=False)
class ClapCase:
    """A minute with claps at known times, as a microphone hears it."""

    sound: np.ndarray
    times_s: list[float]
    kind: str
    behind: str


Family = Literal["made", "people", "crackle", "near", "aside", "other people"]
FAMILIES: tuple[Family, ...] = get_args(Family)
#: What claps are made of and what goes on behind them: made sounds and recorded ones for fitting, and of each kind some
#: that nothing was fitted on.
KINDS: dict[Family, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "made": (("hands", "slate", "rim"), ("talk", "white", "talk", "pink", "babble", "hum")),
    "people": (("hands", "slate", "rim", "cup"), ("people", "band")),
    "crackle": (("hands", "slate", "rim", "cup"), ("crackle",)),
    "near": (("hands", "slate", "rim", "cup"), ("talk", "pink")),
    "aside": (("snap", "hands"), ("other talk", "white", "other babble", "rain")),
    "other people": (("snap", "hands", "cup"), ("other people", "other band")),
}
#: Whose announcements, and how many of the bands, of eight.
RECORDED = {"people": ("fr_CA_f_June", "it_IT_m_Carlo"), "other people": ("en_US_f_Allison", "it_IT_f_Menardi")}
BANDS = {"band": (0, 1, 2, 3), "other band": (4, 5, 6, 7)}
LEVELS_DB = (0.0, 10.0)
#: Those that are near stand far above all else, and half of them have no room.
NEAR_LEVELS_DB = (10.0, 45.0)


def clap_case(seed: int, *, family: Family, claps: int = 8, duration_s: float = 60.0) -> ClapCase:
    """One minute by its number; claps of LEVELS_DB, near ones of NEAR_LEVELS_DB, against what goes on, of talk its
    active half.
    """
    rng = np.random.default_rng([seed, 77])
    kinds, behinds = KINDS[family]
    behind, kind = behinds[seed % len(behinds)], kinds[seed // len(behinds) % len(kinds)]
    drawn = sorted(float(one) for one in rng.uniform(2, duration_s - 2, claps))
    times_s = [one for k, one in enumerate(drawn) if k == 0 or one - drawn[k - 1] > 0.3]
    level_db = float(rng.uniform(*(NEAR_LEVELS_DB if family == "near" else LEVELS_DB)))
    sound = clapped(times_s, kind, duration_s, rng) * 10 ** (level_db / 20)
    path = SoundPath(rt60_s=rng.uniform(0.2, 0.6), direct_db=rng.uniform(-3, 9), microphone=True)
    both = sound + going_on(behind, seed, duration_s)[: sound.size]
    dry = family == "near" and seed // 8 % 2 == 0
    return ClapCase(both if dry else heard(both, path, rng), times_s, kind, behind)


def going_on(behind: str, seed: int, duration_s: float) -> np.ndarray:
    """What is heard beside claps, of power 1; talk has that in the half of the time that is louder."""
    samples = int(duration_s * RATE_HZ)
    rng = np.random.default_rng([seed, 5])
    if behind in ("talk", "other talk", *RECORDED):
        spoken = np.asarray(_talk(behind, seed, duration_s), np.float64)[:samples]
        powers = np.sort(spoken[::10] ** 2)
        return np.asarray(spoken / np.sqrt(powers[powers.size // 2 :].mean()))
    if behind == "babble":
        sound = np.asarray(sum(talk(10 * seed + k, duration_s) for k in range(4)), np.float64)
    elif behind == "other babble":
        sound = np.asarray(sum(other_talk(seed + 9 * k, 2 + k, duration_s)[:samples] for k in range(3)), np.float64)
    elif behind == "rain":
        sound = rain(rng, samples)
    elif behind == "crackle":
        sound = crackle(rng, samples)
    elif behind in BANDS:
        of = BANDS[behind]
        sound = band(8 * seed + of[seed // 2 % len(of)], duration_s)
    else:
        sound = noise_of(rng, behind, samples)
    return np.asarray(sound / sound.std())


def crackle(rng: np.random.Generator, samples: int) -> np.ndarray:
    """Clicks of all sizes that come by chance, some a second to some dozen: fire, foil, a bad lead."""
    sound = noise_of(rng, "pink", samples) * 0.01
    rate_hz = float(np.exp(rng.uniform(*np.log([3.0, 60.0]))))
    for at in rng.integers(0, samples, rng.poisson(rate_hz * samples / RATE_HZ)).tolist():
        t = np.arange(min(int(0.03 * RATE_HZ), samples - at)) / RATE_HZ
        burst = rng.standard_normal(t.size) * np.exp(-t / rng.uniform(0.0002, 0.004))
        low_hz = rng.uniform(200, 4000)
        band_hz = [low_hz, min(low_hz * rng.uniform(1.5, 6), 15000)]
        sound[at : at + t.size] += np.exp(rng.normal(0, 1)) * sosfilt(
            butter(1, band_hz, "bandpass", fs=RATE_HZ, output="sos"), burst
        )
    return np.asarray(sound)


def _talk(behind: str, seed: int, duration_s: float) -> np.ndarray:
    if behind in RECORDED:
        people = RECORDED[behind]
        return announcements(people[seed // 2 % len(people)], seed, duration_s)
    return talk(seed, duration_s) if behind == "talk" else other_talk(seed, 1, duration_s)


@dataclass(frozen=True, eq=False)
class ClapPair:
    """Two recordings with nothing in common but claps, if those: the second begins `offset_s` later."""

    one: np.ndarray
    other: np.ndarray
    offset_s: float
    kind: str


def clap_pair(seed: int, *, same: bool, family: Family, duration_s: float = 30.0) -> ClapPair:
    """Two or three claps beside different sounds; where they are not the `same`, at much the same distances."""
    rng = np.random.default_rng([seed, 991])
    kinds, behinds = KINDS[family]
    kind, behind = kinds[seed % len(kinds)], behinds[seed // len(kinds) % len(behinds)]
    times_s = [float(rng.uniform(5, 20))]
    for _ in range(1 + seed % 2):
        times_s.append(times_s[-1] + float(rng.uniform(0.25, 0.8)))
    claps = clapped(times_s, kind, duration_s, rng)
    others = claps if same else clapped([t + float(rng.normal(0, 0.02)) for t in times_s], kind, duration_s, rng)
    sounds = []
    for k, some in enumerate((claps, others)):
        path = SoundPath(rt60_s=rng.uniform(0.2, 0.6), direct_db=rng.uniform(-3, 9), microphone=True)
        beside = going_on(behind, 2 * seed + k, duration_s)
        sounds.append(heard(some[: beside.size] * 10 ** (rng.uniform(*LEVELS_DB) / 20) + beside, path, rng))
    cut = int(rng.uniform(0, 4) * RATE_HZ)
    return ClapPair(sounds[0], sounds[1][cut:], cut / RATE_HZ, kind)
