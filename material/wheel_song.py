"""The demo's second project: the wheel song, so far its backing, which comes again to the sample, and who heard it.

All of it is invented. What repeats exactly cannot be told apart by anybody who heard nothing else.
"""

from pathlib import Path

import numpy as np
import soundfile

from material.devices import RATE_HZ, SoundPath, clocked, encode, heard
from material.music import piece

#: The backing is so many times the same, each time so many s.
TIMES, ROUND_S = 5, 13.5
SONG_SEED = 911


def write_song(folder: Path) -> list[Path]:
    """Write all files of the project; the first is the guide mix."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = np.random.default_rng(88)
    length_s = TIMES * ROUND_S
    backing = np.tile(np.asarray(piece(SONG_SEED, ROUND_S, looped=True), np.float64), TIMES)
    tune = np.asarray(piece(SONG_SEED + 1, length_s, looped=False), np.float64)[: backing.size]
    guide = backing * 0.6 + tune * 0.35
    soundfile.write(folder / "Guide mix.wav", guide / np.abs(guide).max() * 0.7, RATE_HZ, subtype="PCM_24")
    # One stood in the room where all of it was played, another beside the drummer, who heard nobody else.
    hall = clocked(heard(guide, SoundPath(0.5, 3.0, 20, "pink", True), rng), 6.25, 1 + 22e-6, 60.0)
    encode(folder / "Phone in the hall.m4a", hall, RATE_HZ, "aac", 96000)
    drums = clocked(heard(backing, SoundPath(0.3, 9.0, 26, "pink", True), rng), 3 * ROUND_S + 1.8, 1 - 9e-6, 9.0)
    encode(folder / "Phone by the drum.m4a", drums, RATE_HZ, "aac", 96000)
    return [folder / name for name in ("Guide mix.wav", "Phone in the hall.m4a", "Phone by the drum.m4a")]
