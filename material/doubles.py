"""The demo's performances that are to follow others: voices and a dulcimer of the wheel song, and lines said again.

All of it is invented.
"""

from pathlib import Path

import numpy as np
import soundfile

from material.devices import RATE_HZ, SoundPath, heard
from material.performances import music_pair
from material.spoken import Speaker, spoken

#: Sung on one tone each, as near to song as the synthesiser comes.
VERSE = [
    "Turn, wheel, turn, the river is wide.",
    "Grind us the barley, grind us the rye.",
    "One for the winter, and one for the thaw,",
    "and one for the heron that stood at the door.",
]
LINES = [
    "You never told me that the gate was open.",
    "I told you twice, and both times you were asleep.",
    "Then who has lit the lantern on the weir?",
]


def write_voices(folder: Path) -> list[Path]:
    """A guide voice, two doubles and a harmony; the first is the guide."""
    from python_stretch.Signalsmith import Stretch

    rng = np.random.default_rng(71)
    parts = {
        "Guide voice": (Speaker("en-gb+f4", 140, 48), 0.4),
        "Double, Tilda": (Speaker("en-us+f2", 152, 52), 0.9),
        "Double, Osric": (Speaker("en-gb+m7", 131, 36), 1.3),
        "Harmony": (Speaker("en-gb+f2", 146, 50), 0.7),
    }
    paths = []
    for name, (speaker, lead_s) in parts.items():
        lines = [spoken(line, speaker).sound for line in VERSE]
        pauses = [np.zeros(int(rng.uniform(0.15, 0.6) * RATE_HZ)) for _ in lines]
        sound = np.concatenate(
            [np.zeros(int(lead_s * RATE_HZ)), *(x for pair in zip(lines, pauses, strict=True) for x in pair)]
        )
        if name == "Harmony":
            stretcher = Stretch()
            stretcher.preset(1, RATE_HZ)
            stretcher.setTransposeSemitones(4)
            sound = np.asarray(stretcher.process(sound.astype(np.float32)[None]), np.float64)[0]
        paths.append(_write(folder / f"{name}.wav", heard(sound, SoundPath(0.25, 12.0, 34, "pink", True), rng)))
    return paths


def write_dulcimer(folder: Path) -> list[Path]:
    """Two takes on a hammered dulcimer; the first is the one that is kept."""
    takes = music_pair(7, "struck", "struck", duration_s=24.0)
    names = ("Dulcimer, first take", "Dulcimer, second take")
    return [
        _write(folder / f"{name}.wav", sound)
        for name, sound in zip(names, (takes.reference, takes.recording), strict=True)
    ]


def write_lines(folder: Path) -> list[Path]:
    """A short scene, and its three lines said again in a quiet room; the first is the scene as it was filmed."""
    rng = np.random.default_rng(72)
    people = [Speaker("en-gb+f4", 148, 46), Speaker("en-gb-x-rp+m3", 156, 38), Speaker("en-gb+f4", 139, 50)]
    scene = [np.zeros(RATE_HZ)]
    paths = []
    for number, (line, person) in enumerate(zip(LINES, people, strict=True), 1):
        scene += [spoken(line, person).sound, np.zeros(int(rng.uniform(0.8, 1.4) * RATE_HZ))]
        again = Speaker(person.voice, person.words_per_minute + int(rng.integers(-14, 15)), person.pitch + 3)
        sound = np.concatenate([np.zeros(RATE_HZ // 2), spoken(line, again).sound, np.zeros(RATE_HZ // 2)])
        quiet = heard(sound, SoundPath(0.2, 14.0, 42, "pink", True), rng)
        paths.append(_write(folder / f"Line {number} again.wav", quiet))
    filmed = heard(np.concatenate(scene), SoundPath(0.4, 6.0, 18, "pink", True), rng)
    return [_write(folder / "The scene as filmed.wav", filmed), *paths]


def _write(path: Path, sound: np.ndarray) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    soundfile.write(path, sound / np.abs(sound).max() * 0.6, RATE_HZ, subtype="PCM_24")
    return path
