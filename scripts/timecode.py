"""Linear timecode in all its forms: how many frames are read right, and how many are read where there is none.

`python -m scripts.timecode --minutes N`: N minutes of other sound of each kind.
"""

import argparse
import itertools
from fractions import Fraction
from multiprocessing import Pool

import numpy as np

from gullywind.core.features.linear_timecode import read_timecode, timecode_channels
from gullywind.core.ground.timecode import Counting
from material.arrays import ArraySound
from material.cases import MAKERS
from material.gate import other_music, other_talk
from material.timecode_sound import CodeSound, code_sound

NTSC = Fraction(30000, 1001)
RATES = [(Fraction(24000, 1001), False), (Fraction(24), False), (Fraction(25), False), (NTSC, False), (NTSC, True)]
RATES.append((Fraction(30), False))
SECONDS = 40


def read(asked: tuple[int, tuple[Fraction, bool], int, float]) -> tuple[int, int, int, float, bool]:
    """Frames there, frames right, frames wrong, the largest error of a start, s, and whether the rate was told."""
    seed, (rate, drop), sample_rate_hz, speed = asked
    rng = np.random.default_rng(seed)
    counting = Counting(rate, drop)
    first = int(rng.integers(counting.day_frames))
    frames = int(SECONDS * rate)
    begin_s = -float(rng.uniform(0.1, 0.9)) / float(rate)
    form = CodeSound(rate, drop, sample_rate_hz, speed, -40.0, 20.0, 8000.0, int(rng.choice([-1, 1])))
    sound = code_sound([counting.label(first + k) for k in range(frames)], form, rng, begin_s=begin_s)
    source = ArraySound(sound, sample_rate_hz)
    runs = read_timecode(source, 0) if timecode_channels(source) == (0,) else ()
    length_s = 1 / (float(rate) * speed)
    right, wrong, off_s = 0, 0, 0.0
    for run in runs:
        number = round((run.at_s - begin_s) / length_s)
        hit = run.start == counting.label(first + number) and run.drop_frame == drop
        right, wrong = right + run.frames * hit, wrong + run.frames * (not hit)
        off_s = max(off_s, abs(run.at_s - begin_s - number * length_s))
    return frames - 1, right, wrong, off_s, all(run.rate == rate for run in runs)


def false_frames(asked: tuple[str, int]) -> tuple[str, int]:
    """Frames that are read in a minute of other sound."""
    kind, seed = asked
    if kind in MAKERS:
        sound = MAKERS[kind](seed, 60.0)
    else:
        sound = (other_talk if kind == "other talk" else other_music)(seed, 1, 60.0)
    return kind, sum(run.frames for run in read_timecode(ArraySound(np.asarray(sound), 48000), 0))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=int, default=5)
    given = parser.parse_args()
    forms = itertools.product(RATES, (44100, 48000, 88200, 96000), (1.0, 0.99, 1.01))
    with Pool() as pool:
        rows = pool.map(read, [(seed, *form) for seed, form in enumerate(forms)])
        kinds = [*MAKERS, "other talk", "other music"]
        others = pool.map(false_frames, [(kind, 500 + k) for kind in kinds for k in range(given.minutes)])
    there, right, wrong = (sum(row[k] for row in rows) for k in range(3))
    print(f"{len(rows)} forms, -40 dBFS, 20 dB, up to 8 kHz: {right} of {there} frames right, {wrong} wrong")
    print(f"starts off by at most {max(row[3] for row in rows) * 1e6:.1f} us")
    print(f"rate told in {sum(row[4] for row in rows)} of {len(rows)}")
    print(f"{sum(count for _, count in others)} frames read in {len(others)} minutes of other sound")


if __name__ == "__main__":
    main()
