"""Two performances of one part with known truth: spoken by two voices, sung otherwise, played on two instruments.

Times in s; sound mono float64 at 48 kHz.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from material.devices import RATE_HZ, SoundPath, followed, heard
from material.instruments import bowed, reed, struck, wood
from material.music import SCALES, drum, pipe, pluck
from material.sampled import SAMPLED, on_blocks, sampled
from material.speech import sentence
from material.spoken import Speaker, common_moments, left_over, spoken


@dataclass(frozen=True, eq=False)
class Performances:
    """A reference and another performance of its part.

    `t_ref`, `t_rec` : moments that belong together, shape (moments,). `without` : stretches of reference and recording
    that have no counterpart, as `(which, start_s, end_s)`, which is `ref` or `rec`.
    """

    name: str
    reference: np.ndarray
    recording: np.ndarray
    t_ref: np.ndarray
    t_rec: np.ndarray
    without: tuple[tuple[str, float, float], ...] = ()


def speech_pair(
    seed: int, speakers: Sequence[str], *, noisy: bool = False, sentences: int = 4, changed: bool = False
) -> Performances:
    """The same words by two of the voices; with `changed` a word is put in or left out here and there."""
    rng = np.random.default_rng([seed, 51])
    a, b = rng.choice(len(speakers), 2, replace=False)
    texts = [sentence(rng) for _ in range(sentences)]
    others = [_changed(text, rng) for text in texts] if changed else texts
    speeds = rng.integers(135, 190, 2)
    pitches = rng.integers(25, 75, 2)
    ours = spoken(" ".join(texts), Speaker(speakers[int(a)], int(speeds[0]), int(pitches[0])))
    theirs = spoken(" ".join(others), Speaker(speakers[int(b)], int(speeds[1]), int(pitches[1])))
    pairs = common_moments(ours.names, theirs.names)
    lead_s = rng.uniform(0.2, 1.5, 2)
    sounds = [
        np.concatenate([np.zeros(round(s * RATE_HZ)), one.sound, np.zeros(round(0.5 * RATE_HZ))])
        for s, one in zip(lead_s, (ours, theirs), strict=True)
    ]
    if noisy:
        sounds = [heard(one, _room(rng), rng) for one in sounds]
    else:
        sounds = [one + rng.standard_normal(one.size) * 1e-4 for one in sounds]
    i, j = np.array(pairs).T
    shift = np.rint(lead_s * RATE_HZ) / RATE_HZ
    times = ours.times_s + shift[0], theirs.times_s + shift[1]
    ends = tuple(one.size / RATE_HZ - 0.5 for one in sounds)
    without = left_over(times[0], ends[0], i.tolist(), "ref") + left_over(times[1], ends[1], j.tolist(), "rec")
    return Performances(f"speech-{seed}", sounds[0], sounds[1], times[0][i], times[1][j], tuple(without))


def line_pair(seed: int, speakers: Sequence[str]) -> Performances:
    """A scene of some lines, and one of them said again, by the same voice or another one, in a quiet room."""
    rng = np.random.default_rng([seed, 54])
    texts = [sentence(rng) for _ in range(int(rng.integers(2, 6)))]
    which = int(rng.integers(len(texts)))
    a, b = rng.choice(len(speakers), 2, replace=False)
    if rng.random() < 0.6:
        b = a
    speed, pitch = int(rng.integers(140, 180)), int(rng.integers(30, 70))
    parts, at_s = [np.zeros(RATE_HZ)], 1.0
    ours, begins_s = spoken(texts[which], Speaker(str(speakers[int(a)]), speed, pitch)), 0.0
    for k, text in enumerate(texts):
        said = ours if k == which else spoken(text, Speaker(str(speakers[int(a)]), speed, pitch))
        begins_s = at_s if k == which else begins_s
        pause = np.zeros(int(rng.uniform(0.5, 1.5) * RATE_HZ))
        parts += [said.sound, pause]
        at_s += (said.sound.size + pause.size) / RATE_HZ
    again = Speaker(str(speakers[int(b)]), speed + int(rng.integers(-15, 16)), pitch + int(rng.integers(-5, 6)))
    theirs, lead_s = spoken(texts[which], again), round(float(rng.uniform(0.1, 0.8)) * RATE_HZ) / RATE_HZ
    line = np.concatenate([np.zeros(round(lead_s * RATE_HZ)), theirs.sound, np.zeros(RATE_HZ // 2)])
    i, j = np.array(common_moments(ours.names, theirs.names)).T
    filmed = SoundPath(
        float(rng.uniform(0.2, 0.5)), float(rng.uniform(4, 10)), float(rng.uniform(12, 25)), "pink", True
    )
    return Performances(
        f"line-{seed}",
        heard(np.concatenate(parts), filmed, rng),
        heard(line, SoundPath(0.2, 14.0, 40.0, "pink", True), rng),
        ours.times_s[i] + begins_s,
        theirs.times_s[j] + lead_s,
    )


def smooth_pair(seed: int, speakers: Sequence[str], *, sentences: int = 5) -> Performances:
    """One voice, and the same again at another pitch, by another microphone, with a smooth difference in time."""
    from python_stretch.Signalsmith import Stretch

    rng = np.random.default_rng([seed, 52])
    said = spoken(
        " ".join(sentence(rng) for _ in range(sentences)),
        Speaker(str(rng.choice(list(speakers))), int(rng.integers(135, 180)), int(rng.integers(30, 70))),
    )
    sound = np.concatenate([np.zeros(RATE_HZ // 2), said.sound, np.zeros(RATE_HZ // 2)])
    stretcher = Stretch()
    stretcher.preset(1, RATE_HZ)
    stretcher.setTransposeSemitones(float(rng.choice([-4, -3, -2, 2, 3, 4])))
    other = np.asarray(stretcher.process(sound.astype(np.float32)[None]), np.float64)[0]
    length_s = sound.size / RATE_HZ
    t = np.arange(0, length_s, 0.01)
    waves = [
        rng.uniform(0.02, 0.08) * np.sin(2 * np.pi * t / rng.uniform(3, 9) + rng.uniform(0, 6.28)) for _ in range(3)
    ]
    late = np.sum(waves, axis=0)
    t_rec = t + late - late[0]
    times = np.interp(np.arange(round(t_rec[-1] * RATE_HZ)) / RATE_HZ, t_rec, t)
    there = heard(followed(other, times), SoundPath(microphone=True, snr_db=35.0, noise="pink"), rng)
    moments = said.times_s + 0.5
    return Performances(
        f"smooth-{seed}",
        heard(sound, SoundPath(microphone=True, snr_db=40.0), rng),
        there,
        moments,
        np.interp(moments, t, t_rec),
    )


INSTRUMENTS = ("plucked", "struck", "drums", "pipe", "bowed")
#: Kept aside: nothing was tuned on them.
INSTRUMENTS_ASIDE = ("reed", "wood", "bowed-low")


def music_pair(
    seed: int,
    first: str,
    second: str,
    *,
    duration_s: float = 30.0,
    held: bool = False,
    tempo_of: int | None = None,
) -> Performances:
    """The same notes on two instruments, each with its own slow wandering and its own jitter from note to note.

    With `held` some notes are held for twice as long in the recording as in the reference, or half as long;
    `tempo_of` is the number of another pair whose tempo this one has.
    """
    rng = np.random.default_rng([seed, 53])
    scale, root, beat_s = _key(rng)
    if tempo_of is not None:
        beat_s = _key(np.random.default_rng([tempo_of, 53]))[2]
    at, step = 0.0, 4
    notes: list[tuple[float, float, float]] = []
    while at < duration_s:
        length = float(rng.choice([0.5, 0.5, 1, 1, 1.5])) * beat_s
        step = int(np.clip(step + rng.integers(-3, 4), 0, 13))
        octave, degree = divmod(step, len(scale))
        notes.append((at, length, float(root * 2 ** (octave + scale[degree] / 12))))
        at += length
    starts = np.array([one[0] for one in notes])
    wander = 0.06 * np.sin(2 * np.pi * starts / rng.uniform(6, 14) + rng.uniform(0, 6.28))
    t_ref = starts + 0.5 + rng.normal(0, 0.006, starts.size)
    t_rec = starts + 0.8 + wander + np.clip(rng.normal(0, 0.02, starts.size), -0.045, 0.045)
    if held:
        factor = np.where(rng.random(starts.size) < 0.08, rng.choice([0.5, 2.0], starts.size), 1.0)
        lengths = np.append(np.diff(t_rec), beat_s)
        t_rec = t_rec[0] + np.concatenate([[0], np.cumsum(lengths * factor)[:-1]])
    t_ref, t_rec = (on_blocks(t) if kind.startswith(SAMPLED) else t for kind, t in ((first, t_ref), (second, t_rec)))
    sounds = [_played(which, times, notes, rng) for which, times in ((first, t_ref), (second, t_rec))]
    paths = [SoundPath(0.3, 9.0, 35.0, "pink", True) for _ in sounds]
    sounds = [heard(one, path, rng) for one, path in zip(sounds, paths, strict=True)]
    return Performances(f"{first}-{second}-{seed}", sounds[0], sounds[1], t_ref, t_rec)


def _key(rng: np.random.Generator) -> tuple[Sequence[int], float, float]:
    """A tune's scale, its lowest note, Hz, and its beat, s."""
    scale, root = SCALES[int(rng.integers(len(SCALES)))], float(rng.uniform(150, 260))
    return scale, root, 60 / float(rng.uniform(80, 130))


def _played(kind: str, starts: np.ndarray, notes: Sequence[tuple[float, float, float]], rng: np.random.Generator):  # type: ignore[no-untyped-def]
    ends = np.append(starts[1:], starts[-1] + notes[-1][1])
    if kind.startswith(SAMPLED):
        keys = [round(69 + 12 * np.log2(hz / 440)) for _, _, hz in notes]
        force = rng.integers(60, 110, starts.size).tolist()
        ends = np.append(np.maximum(starts[1:] - 0.01, starts[:-1] + 0.05), ends[-1])
        sound = sampled(kind.removeprefix(SAMPLED), starts, ends, keys, force)
        return sound / np.abs(sound).max() * 0.7
    sound = np.zeros(int((ends[-1] + 2.0) * RATE_HZ))
    for (_, _, hz), start, end in zip(notes, starts, ends, strict=True):
        length_s = float(end - start)
        if kind == "plucked":
            part = pluck(rng, hz, length_s + 0.4, rng.uniform(0.988, 0.996))
        elif kind == "struck":
            part = struck(hz, length_s + 0.5)
        elif kind == "drums":
            part = drum(rng, hz < 300)
        elif kind == "bowed":
            part = bowed(rng, hz, length_s)
        elif kind == "reed":
            part = reed(hz, length_s)
        elif kind == "wood":
            part = wood(rng, hz)
        elif kind == "bowed-low":
            part = bowed(rng, hz / 2, length_s)
        else:
            part = pipe(rng, hz, length_s)
        at = round(float(start) * RATE_HZ)
        part = part[: sound.size - at] * rng.uniform(0.5, 1.0)
        sound[at : at + part.size] += part
    return sound / np.abs(sound).max() * 0.7


def _changed(text: str, rng: np.random.Generator) -> str:
    """A word left out or put in, in every other sentence."""
    words = text.split()
    where = int(rng.integers(2, max(3, len(words) - 1)))
    chance = rng.random()
    if chance < 0.35:
        words.insert(where, str(rng.choice(["really", "never again", "surely", "today"])))
    elif chance < 0.6 and len(words) > 5:
        del words[where]
    return " ".join(words)


def _room(rng: np.random.Generator) -> SoundPath:
    return SoundPath(
        rt60_s=float(rng.uniform(0.2, 0.5)),
        direct_db=float(rng.uniform(4, 10)),
        snr_db=float(rng.uniform(10, 20)),
        noise="pink",
        microphone=True,
    )
