"""Synthetic speech (espeak-ng) about an invented mill; mono float32 at 48 kHz."""

import io
import shutil
import subprocess

import numpy as np
import soundfile
import soxr

RATE_HZ = 48000
VOICES = ["en-gb", "en-us", "en-gb-scotland", "en-gb-x-rp", "en-gb-x-gbcwmd", "en-029"]
VARIANTS = ["m1", "m2", "m3", "m4", "m5", "m7", "f1", "f2", "f3", "f4"]
SUBJECTS = [
    "the miller",
    "the old wheel",
    "her grandmother",
    "the water",
    "our lantern",
    "the apprentice",
    "the upper gate",
    "a grey heron",
    "the flour",
    "the whole village",
    "the baker's boy",
    "the second stone",
    "the mill race",
]
VERBS = [
    "turns",
    "waits for",
    "remembers",
    "carries",
    "has never forgotten",
    "grinds",
    "listens to",
    "mends",
    "will follow",
    "was lit by",
    "keeps",
    "wanders past",
    "lifts",
    "sings about",
]
OBJECTS = [
    "the barley of last autumn",
    "eleven sacks before noon",
    "the leaking sluice",
    "a song without an ending",
    "the bell on the weir",
    "every stone in the yard",
    "the thaw in the hills",
    "forty small lamps",
    "the rope and the iron hook",
    "what the river brought",
    "the quiet under the floor",
    "a ladder of oak",
]
LINKS = ["and then", "because", "while", "long before", "just as", "although", "so", "whenever"]


class MissingVoiceError(RuntimeError):
    """espeak-ng is not installed."""


def sentence(rng: np.random.Generator) -> str:
    """One invented sentence."""
    one = f"{rng.choice(SUBJECTS)} {rng.choice(VERBS)} {rng.choice(OBJECTS)}"
    if rng.random() < 0.6:
        one += f", {rng.choice(LINKS)} {rng.choice(SUBJECTS)} {rng.choice(VERBS)} {rng.choice(OBJECTS)}"
    return one[0].upper() + one[1:] + "."


def say(
    text: str, *, voice: str = "en-gb", variant: str = "m1", words_per_minute: int = 165, pitch: int = 45
) -> np.ndarray:
    """Speak a text; shape (samples,), float32 at 48 kHz."""
    program = shutil.which("espeak-ng")
    if program is None:
        raise MissingVoiceError("espeak-ng is not installed; `make setup` installs it")
    command = [program, "-v", f"{voice}+{variant}", "-s", str(words_per_minute), "-p", str(pitch), "--stdout"]
    done = subprocess.run(command, input=text.encode(), capture_output=True, check=True)
    sound, rate_hz = soundfile.read(io.BytesIO(done.stdout), dtype="float32")
    return np.asarray(soxr.resample(sound, rate_hz, RATE_HZ, quality="VHQ"), np.float32)


def talk(seed: int, duration_s: float) -> np.ndarray:
    """One voice talking with pauses; shape (samples,)."""
    rng = np.random.default_rng([seed, 11])
    voice, variant = str(rng.choice(VOICES)), str(rng.choice(VARIANTS))
    speed, pitch = int(rng.integers(135, 190)), int(rng.integers(25, 75))
    total = int(duration_s * RATE_HZ)
    sound = np.zeros(total, np.float32)
    at = int(rng.uniform(0.2, 1.0) * RATE_HZ)
    while at < total:
        text = " ".join(sentence(rng) for _ in range(int(rng.integers(1, 4))))
        said = say(
            text,
            voice=voice,
            variant=variant,
            words_per_minute=speed + int(rng.integers(-8, 9)),
            pitch=int(np.clip(pitch + rng.integers(-6, 7), 0, 99)),
        )
        end = min(total, at + said.size)
        sound[at:end] += said[: end - at] * np.float32(rng.uniform(0.6, 1.0))
        at = end + int(rng.uniform(0.3, 1.8) * RATE_HZ)
    # Breath and cloth: a real mouth is never digitally silent.
    sound += (rng.standard_normal(total) * 2e-4).astype(np.float32)
    return sound / np.float32(max(np.abs(sound).max(), 1e-9) / 0.7)
