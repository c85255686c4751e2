"""Generated alignment cases of many kinds with known truth, for calibration and measurement."""

import functools
import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from material.devices import RATE_HZ, SoundPath, clocked, heard
from material.music import layered, piece, song
from material.speech import talk

EVENT_S = 300.0
CACHE = Path(__file__).resolve().parent.parent / ".local" / "events"
#: kinds of matches, then of hard non-matches
MATCHES = ["near", "room", "noise", "far", "playback", "deep-noise", "short", "partial"]
NON_MATCHES = ["other-passage", "other-text", "other-voice", "other-piece"]


#: Kinds of events, how often each is drawn, and how it is made.
SOURCES = {"speech": 0.4, "music": 0.25, "loops": 0.15, "layers": 0.2}
MAKERS: dict[str, Callable[[int, float], np.ndarray]] = {
    "speech": talk,
    "music": lambda seed, duration_s: piece(seed, duration_s, looped=False),
    "loops": lambda seed, duration_s: piece(seed, duration_s, looped=True),
    "layers": layered,
    # For recordings that reach beyond the reference; drawn by no general case.
    "songs": song,
}


@dataclass(frozen=True, eq=False)
class Case:
    """One reference, one recording; `rate`, `offset_s` None for a non-match."""

    name: str
    reference: np.ndarray
    recording: np.ndarray
    rate_hz: int
    offset_s: float | None
    rate: float | None
    polarity: int = 1
    kind: str = field(default="")


@functools.lru_cache(maxsize=24)
def event(kind: str, seed: int, duration_s: float = EVENT_S) -> np.ndarray:
    """A cached event: `speech`, `music`, `loops` or `layers`; kept on disk: making it takes its time."""
    path = CACHE / f"{kind}-{seed}-{duration_s:g}.npy"
    if not path.exists():
        CACHE.mkdir(parents=True, exist_ok=True)
        sound = MAKERS[kind](seed, duration_s)
        part = path.with_suffix(f".{os.getpid()}.npy")
        np.save(part, sound)
        part.replace(path)
    return np.asarray(np.load(path))


def make_case(seed: int, kind: str | None = None, *, sources: int = 8) -> Case:
    """A case from a seed; the kind is drawn too unless given."""
    rng = np.random.default_rng([seed, 97])
    kinds = MATCHES + NON_MATCHES
    kind = kind or kinds[int(rng.integers(len(kinds)))]
    source = str(rng.choice(list(SOURCES), p=list(SOURCES.values())))
    number = int(rng.integers(sources))
    sound = event(source, number)
    # On a whole sample the reference need not be interpolated.
    ref_start, ref_s = round(rng.uniform(0, 60) * RATE_HZ) / RATE_HZ, rng.uniform(60, 130)
    reference = _taken(
        sound,
        SoundPath(
            microphone=bool(rng.random() < 0.5),
            direct_db=rng.uniform(6, 20),
            snr_db=rng.uniform(25, 50),
            rt60_s=rng.uniform(0.15, 0.5),
        ),
        rng,
        ref_start,
        1.0,
        ref_s,
        RATE_HZ,
    )
    rate_hz = int(rng.choice([48000, 48000, 44100, 32000]))
    rate = 1 + float(rng.normal(0, 40)) * 1e-6
    length = float(rng.uniform(8, 60))
    path = _path(kind, rng)
    start = float(rng.uniform(ref_start, ref_start + max(ref_s - length, 1)))
    offset: float | None = start - ref_start
    if kind == "short":
        length = float(rng.uniform(5, 8))
    if kind == "partial":
        length = float(rng.uniform(20, 60))
        outside = length * rng.uniform(0.3, 0.85)
        start = ref_start - outside if rng.random() < 0.5 else ref_start + ref_s - length + outside
        offset = start - ref_start
    if kind == "other-passage":
        start = ref_start + ref_s + 2 if ref_start + ref_s + 2 + length < EVENT_S else max(0.0, ref_start - length - 2)
        length = min(length, EVENT_S - start - 1) if start > ref_start else min(length, ref_start - start - 1)
        length = max(length, 5.0)
        if source == "loops" or not (start + length <= ref_start or start >= ref_start + ref_s):
            kind, sound = "other-piece", event("music", number + 101)
        offset = None
    elif kind == "other-text":
        sound, offset = talk_same_voice(number), None
    elif kind == "other-voice":
        sound, offset = event("speech", (number + 1) % sources + 50), None
    elif kind == "other-piece":
        sound, offset = event("music" if source == "speech" else source, number + 101), None
    polarity = -1 if rng.random() < 0.2 else 1
    recording = _taken(sound, path, rng, start, rate, length, rate_hz) * polarity
    if offset is None:
        return Case(f"{kind}-{seed}", reference, recording, rate_hz, None, None, polarity, kind)
    return Case(f"{kind}-{seed}", reference, recording, rate_hz, offset, rate, polarity, kind)


def _taken(
    sound: np.ndarray,
    path: SoundPath,
    rng: np.random.Generator,
    start_s: float,
    rate: float,
    length_s: float,
    rate_hz: int,
) -> np.ndarray:
    """What a recorder keeps of an event; only the stretch it hears (and the room's memory before) is computed."""
    first = max(0, int((start_s - 2) * RATE_HZ))
    last = min(sound.size, int((start_s + length_s + 1) * RATE_HZ))
    part = np.concatenate([np.zeros(max(0, int(-start_s * RATE_HZ))), sound[first:last]])
    begin_s = start_s - first / RATE_HZ if start_s >= 0 else start_s + int(-start_s * RATE_HZ) / RATE_HZ
    taken = heard(part, path, rng)
    if rate == 1.0 and rate_hz == RATE_HZ:
        begin = round(begin_s * RATE_HZ)
        return taken[begin : begin + round(length_s * RATE_HZ)]
    return clocked(taken, begin_s, rate, length_s, rate_hz)


@functools.lru_cache(maxsize=12)
def talk_same_voice(number: int) -> np.ndarray:
    """Another text by the voice of `event("speech", number)`: its talk shuffled by long stretches is no other text, so
    a later stretch of a longer talk is used.
    """
    return event("speech", number, EVENT_S * 2)[int(EVENT_S * RATE_HZ) :]


def _path(kind: str, rng: np.random.Generator) -> SoundPath:
    noise = str(rng.choice(["white", "pink", "hum"]))
    rt60 = float(rng.uniform(0.2, 0.6))
    if kind == "far":
        return SoundPath(
            rt60_s=rng.uniform(0.4, 1.0),
            direct_db=rng.uniform(-8, -2),
            snr_db=rng.uniform(10, 30),
            noise=noise,
            microphone=True,
        )
    if kind == "playback":
        return SoundPath(
            rt60_s=rt60,
            direct_db=rng.uniform(-3, 6),
            snr_db=rng.uniform(0, 20),
            noise=noise,
            microphone=True,
            loudspeaker=True,
        )
    if kind == "deep-noise":
        return SoundPath(
            rt60_s=rt60, direct_db=rng.uniform(0, 10), snr_db=rng.uniform(-10, 0), noise=noise, microphone=True
        )
    if kind == "noise":
        return SoundPath(
            rt60_s=rt60, direct_db=rng.uniform(3, 12), snr_db=rng.uniform(0, 10), noise=noise, microphone=True
        )
    if kind == "near":
        return SoundPath(
            microphone=True, direct_db=rng.uniform(10, 20), snr_db=rng.uniform(20, 40), noise=noise, rt60_s=rt60
        )
    clip = float(rng.uniform(0, 9)) if rng.random() < 0.3 else None
    return SoundPath(
        rt60_s=rt60, direct_db=rng.uniform(2, 10), snr_db=rng.uniform(8, 30), noise=noise, microphone=True, clip_db=clip
    )
