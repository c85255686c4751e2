"""Places in hard cases: how many are found, placed and right, and how many strangers are placed.

`python -m scripts.hard --cases N [--family aside] [--strangers "other event"] [--kinds "deep voices" ...]`.
"""

import argparse
from collections import defaultdict
from multiprocessing import Pool

import numpy as np

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.measure.evidence import Status
from material.arrays import ArraySound
from material.devices import RATE_HZ
from material.hard import FAMILIES, KINDS, STRANGERS, Family, hard_case

#: A place within this of the truth at the recording's start and end is right, s.
RIGHT_S = 0.02


def judged(asked: tuple[str, int, Family, str | None]) -> tuple[str, int, str, str, float, float, float]:
    """Kind, number, sound, status, confidence, how far the map is off at its worse end, ms, and the sum's height."""
    kind, seed, family, stranger = asked
    case = hard_case(kind, seed, family=family, stranger=stranger)
    reference = prepare_reference(ArraySound(case.reference, RATE_HZ))
    found = align_recording(reference, hear(ArraySound(case.recording, case.rate_hz)))
    off_ms = float("nan")
    if case.offset_s is not None and case.rate is not None:
        ends = np.array([0.02, case.recording.size / case.rate_hz - 0.02])
        best_ms = float("inf")
        if found.time_map is not None:
            off = found.time_map.to_reference(ends) - (ends / case.rate + case.offset_s)
            best_ms = float(np.nanmax(np.abs(off))) * 1e3
        elif found.candidates:
            best_ms = abs(found.candidates[0].offset_s - case.offset_s) * 1e3
        off_ms = best_ms
    height = found.support.height if found.support else 0.0
    return kind, seed, case.sound, str(found.status), found.confidence, off_ms, height


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=10, help="of each kind")
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--family", choices=FAMILIES, default="fitted", help="nothing was tuned on the others")
    parser.add_argument("--strangers", choices=STRANGERS, help="what does not belong, by the same devices")
    parser.add_argument("--kinds", nargs="+", default=list(KINDS), choices=KINDS)
    given = parser.parse_args()
    numbers = range(given.first, given.first + given.cases)
    asked = [(kind, seed, given.family, given.strangers) for kind in given.kinds for seed in numbers]
    groups = defaultdict(list)
    with Pool() as pool:
        for row in pool.imap(judged, asked):
            print(f"{row[0]:12} {row[1]:3} {row[2]:12} {row[3]:9} {row[4]:.3f} {row[5]:10.2f} ms  height {row[6]:.1f}")
            groups[row[0]].append(row)
            groups["all"].append(row)
    for name, some in groups.items():
        placed = [row for row in some if row[3] == Status.PLACED]
        unsure = sum(row[3] == Status.UNSURE for row in some)
        wrong = sum(not row[5] <= RIGHT_S * 1e3 for row in placed)
        best = sum(row[5] <= RIGHT_S * 1e3 for row in some)
        told = "" if given.strangers else f", {wrong} of them wrong; the best place is right in {best}"
        print(f"{name:12} {len(placed)} of {len(some)} placed{told}; {unsure} unsure")


if __name__ == "__main__":
    main()
