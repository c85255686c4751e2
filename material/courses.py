"""Recordings whose delay wanders smoothly: a camera that is carried about, a worn tape; with known courses."""

from dataclasses import dataclass

import numpy as np

from material.cases import MAKERS
from material.devices import RATE_HZ, SoundPath, followed, heard
from material.gate import other_music, other_talk, rain
from material.hard import Family
from material.recorded import PEOPLE, announcements, band

LENGTHS_S = (20.0, 70.0)
#: How far the delay wanders either way, s: of what moves through air, and of a tape.
CARRIED_S, TAPE_S = 0.005, 0.010
SNR_DB = (8.0, 25.0)


@dataclass(frozen=True, eq=False)
class CourseCase:
    """A pair with its truth: at reference times `t_ref` the recording stands at `t_rec`, s."""

    kind: str
    sound: str
    reference: np.ndarray
    recording: np.ndarray
    t_ref: np.ndarray
    t_rec: np.ndarray


def course_case(seed: int, *, family: Family) -> CourseCase:
    """One by its number. Only on the fitted family thresholds were tuned; of the recorded one some were looked at."""
    rng = np.random.default_rng([seed, 515])
    kind, aside = ("carried", "tape")[seed % 2], family == "aside"
    names = {"fitted": tuple(MAKERS), "aside": ("other talk", "other music"), "recorded": ("people", "band")}[family]
    name = names[seed // 2 % len(names)]
    length_s = float(rng.uniform(*LENGTHS_S))
    event_s = length_s + 60
    event = np.asarray(_event(name, seed, event_s), np.float64)[: int(event_s * RATE_HZ)]
    reference = heard(event, SoundPath(rt60_s=0.3, direct_db=9, snr_db=30), rng)
    path = SoundPath(
        rt60_s=float(rng.uniform(0.25, 0.6)),
        direct_db=float(rng.uniform(0, 8)),
        snr_db=None if aside else float(rng.uniform(*SNR_DB)),
        noise="pink",
        microphone=True,
    )
    sound = heard(event, path, rng)
    if aside:
        hiss = rain(rng, sound.size)
        sound = sound + hiss * sound.std() / hiss.std() * 10 ** (-rng.uniform(*SNR_DB) / 20)
    offset_s = float(rng.uniform(5, event_s - length_s - 5))
    t_rec = np.arange(int(length_s * RATE_HZ)) / RATE_HZ
    t_ref = offset_s + t_rec + wander(rng, t_rec, CARRIED_S if kind == "carried" else TAPE_S)
    recording = followed(sound, t_ref)
    return CourseCase(kind, name, reference, recording / np.abs(recording).max() * 0.7, t_ref, t_rec)


def _event(name: str, seed: int, event_s: float) -> np.ndarray:
    if name == "people":
        return announcements(sorted(PEOPLE)[seed % len(PEOPLE)], seed, event_s)
    if name == "band":
        return band(seed, event_s)
    if name.startswith("other"):
        return (other_talk if name == "other talk" else other_music)(seed, 1, event_s)
    return MAKERS[name](seed, event_s)


def wander(rng: np.random.Generator, t: np.ndarray, most_s: float) -> np.ndarray:
    """A smooth course that reaches `most_s` either way, of waves of 9 to 40 s: nobody walks faster than 2 m/s."""
    course = np.zeros(t.size)
    for _ in range(4):
        course += rng.uniform(0.3, 1) * np.sin(2 * np.pi * t / rng.uniform(9, 40) + rng.uniform(0, 6.3))
    course -= course.mean()
    return np.asarray(course / np.abs(course).max() * most_s)
