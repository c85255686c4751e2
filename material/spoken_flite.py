"""Speech (flite) of which is known when each of its sounds begins: voices that were made from people's recordings.

Times in s; mono float64 at 48 kHz, of which the voices fill the lower 8 kHz.
"""

import shutil
import subprocess
import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile
import soxr

from material.devices import RATE_HZ
from material.speech import MissingVoiceError

#: Words a minute that the voices speak by themselves, roughly.
OWN_WORDS_PER_MINUTE = 160
PAUSE = "pau"


@lru_cache(maxsize=256)
def flite_spoken(
    text: str, voice: str, words_per_minute: int, pitch: int
) -> tuple[np.ndarray, tuple[tuple[str, float], ...]]:
    """The sound, and each phone with the moment at which it begins; `pitch` 0 to 99, 50 is the voice's own."""
    if shutil.which("flite") is None:
        raise MissingVoiceError("flite is not installed: it is Debian's package of that name")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "said.wav"
        wishes = {
            "duration_stretch": OWN_WORDS_PER_MINUTE / words_per_minute,
            "int_f0_target_mean": _own_pitch_hz(voice) * 2 ** ((pitch - 50) / 150),
        }
        settings = [part for name, value in wishes.items() for part in ("--setf", f"{name}={value:.4f}")]
        command = ["flite", "-voice", voice, *settings, "-psdur", "-t", text, "-o", str(path)]
        told = subprocess.run(command, check=True, capture_output=True, text=True).stdout
        sound, rate_hz = soundfile.read(path)
    ends = [one.rsplit(":", 1) for one in told.split()]
    begins = [0.0, *(float(end) for _, end in ends[:-1])]
    phones = [(name, at) for (name, _), at in zip(ends, begins, strict=True)]
    return soxr.resample(np.asarray(sound, np.float64), rate_hz, RATE_HZ, quality="VHQ"), tuple(phones)


def _own_pitch_hz(voice: str) -> float:
    return 170.0 if voice == "slt" else 100.0
