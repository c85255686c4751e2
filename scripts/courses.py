"""Delays that wander smoothly: how many are placed, and how near their maps follow the true course.

`python -m scripts.courses --cases N [--family recorded]`.
"""

import argparse
from collections import defaultdict
from multiprocessing import Pool

import numpy as np

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.measure.evidence import Status
from material.arrays import ArraySound
from material.courses import course_case
from material.devices import RATE_HZ
from material.hard import FAMILIES, Family

#: A place within this of the true course, in the median, is right.
RIGHT_S = 0.02


def judged(asked: tuple[int, Family]) -> tuple[int, str, str, str, float, float]:
    """Number, kind, sound, status, confidence, and the median distance of the map from the true course, ms."""
    case = course_case(asked[0], family=asked[1])
    reference = prepare_reference(ArraySound(case.reference, RATE_HZ))
    found = align_recording(reference, hear(ArraySound(case.recording, RATE_HZ)))
    off_ms = float("nan")
    if found.time_map is not None:
        there = found.time_map.to_reference(case.t_rec[:: RATE_HZ // 10])
        off_ms = float(np.nanmedian(np.abs(there - case.t_ref[:: RATE_HZ // 10]))) * 1e3
    return asked[0], case.kind, case.sound, str(found.status), found.confidence, off_ms


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=40)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--family", choices=FAMILIES, default="fitted", help="nothing was tuned on the others")
    given = parser.parse_args()
    with Pool() as pool:
        rows = pool.map(judged, [(seed, given.family) for seed in range(given.first, given.first + given.cases)])
    groups = defaultdict(list)
    for row in rows:
        print(*row[:4], f"{row[4]:.3f}", f"{row[5]:.2f} ms")
        groups[row[1]].append(row)
        groups[row[2]].append(row)
        groups["all"].append(row)
    for name, some in groups.items():
        placed = [row for row in some if row[3] == Status.PLACED]
        off = np.array([row[5] for row in placed])
        wrong = int((off > RIGHT_S * 1e3).sum())
        told = f"median {np.median(off):.2f} ms off, {np.mean(off < 1):.0%} within 1 ms" if off.size else ""
        print(f"{name:12} {len(placed)} of {len(some)} placed, {wrong} wrong; {told}")


if __name__ == "__main__":
    main()
