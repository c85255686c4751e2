"""What matching and bending another performance costs, as ratios within one run."""

import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import scipy.fft
import soundfile

from gullywind.core.bending.bent import bent_alignment
from gullywind.core.bending.match import match_performances
from gullywind.core.features.performance import hear_performance
from gullywind.core.maps.ties import BendSettings
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.render.warp import render
from gullywind.core.sound.views import Listening
from gullywind.formats.media import open_media
from material.performances import speech_pair
from material.spoken import VOICES
from scripts.figures import line

PROGRAM = Path(__file__).resolve().parent.parent / ".venv" / "bin" / "gullywind"
PEAK = """
import resource, subprocess, sys
subprocess.run(sys.argv[1:], check=True, capture_output=True)
print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""
RATE_HZ = 48000
MINUTES = 4


def bench_bending(folder: Path) -> None:
    """Four minutes against four minutes, from the files; then the sound, and one tie that is moved."""
    pairs = [speech_pair(300 + k, VOICES) for k in range(14)]
    paths = []
    for name in ("reference", "recording"):
        sound = np.concatenate([getattr(pair, name) for pair in pairs])[: MINUTES * 60 * RATE_HZ]
        paths.append(folder / f"{name}.wav")
        soundfile.write(paths[-1], sound * 0.5, RATE_HZ, subtype="PCM_16")
    del pairs
    start = time.perf_counter()
    for path in paths:
        scipy.fft.rfft(soundfile.read(path, dtype="float32")[0])
    once_s = time.perf_counter() - start
    start = time.perf_counter()
    sounds = [open_media(path, path.with_suffix(".spool"))[0] for path in paths]
    ours, theirs = (hear_performance(Listening(sound, (0,))) for sound in sounds)
    matched = match_performances(ours, theirs)
    alignment = bent_alignment(ours, theirs, matched, sounds[1].samples / RATE_HZ, BendSettings())
    took_s = time.perf_counter() - start
    line("matching 4 min against 4 min, against reading, spectrum", f"{took_s / once_s:.1f} times", "3")
    # Asked from a small process: what a large one starts counts with its own size.
    asked = [sys.executable, "-c", PEAK, str(PROGRAM), "align", *map(str, paths), "--match", "performance"]
    peak = int(subprocess.run(asked, check=True, capture_output=True, text=True).stdout)
    line("matching 4 min against 4 min: the command's peak memory", f"{peak / 1e3:.0f} MB", "500 MB")
    assert alignment.time_map is not None
    start = time.perf_counter()
    render(sounds[1], alignment.time_map, sample_rate_hz=RATE_HZ, samples=60 * RATE_HZ, first=30 * RATE_HZ)
    each = (time.perf_counter() - start) / 60
    line("rendering bent sound, mono, one thread", f"{each:.3f} of real time", "0.2 on each of 2 cores")
    pieces = list(alignment.time_map.pieces)
    index = int(np.argmax([piece.t_ref.size for piece in pieces]))
    knots = np.stack([pieces[index].t_ref, pieces[index].t_rec], axis=1)
    middle = len(knots) // 2
    knots[middle, 0] += 0.003
    pieces[index] = Piece(knots)
    moved = TimeMap(tuple(pieces))
    first = int((knots[middle, 0] - 0.2) * RATE_HZ)
    start = time.perf_counter()
    render(sounds[1], moved, sample_rate_hz=RATE_HZ, samples=RATE_HZ // 2, first=first)
    line(
        "half a second around a tie that was moved",
        f"{(time.perf_counter() - start) * 1e3:.0f} ms",
        "500 ms, with the edit",
    )
