"""Judge the pairs of the accuracy gate, and say what is worse than it was; `tests/accuracy` asks for that.

What is asked is what was measured when it was set up, less one case of the hard kinds.
"""

from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass

import numpy as np

from gullywind.core.align import align_recording, hear, prepare_reference
from material.arrays import ArraySound
from material.devices import RATE_HZ
from material.gate import GateCase, gate_case, gate_cases

RIGHT_S, NEAR_S = 0.02, 0.001
#: Right and placed of each kind, at least.
LEAST = {"near": 18, "crowd": 9, "short": 7, "partly": 5, "header": 2}
MOST_CALIBRATION_ERROR = 0.06


@dataclass(frozen=True)
class Judged:
    kind: str
    number: int
    status: str
    confidence: float
    #: The largest error at start, middle and end of the overlap, s; None for strangers and where there is no place.
    error_s: float | None
    polarity_right: bool
    codes: tuple[str, ...]

    @property
    def right(self) -> bool:
        return self.error_s is not None and self.error_s <= RIGHT_S


def judged(case: tuple[str, int]) -> Judged:
    return judge(case, gate_case(*case))


def judge(case: tuple[str, int], made: GateCase) -> Judged:
    reference = prepare_reference(ArraySound(made.reference, RATE_HZ))
    found = align_recording(reference, hear(ArraySound(made.recording, made.rate_hz)))
    error_s = None
    if made.offset_s is not None and found.candidates:
        best, length_s = found.candidates[0], made.recording.size / made.rate_hz / made.rate
        end_s = min(made.offset_s + length_s, made.reference.size / RATE_HZ)
        t_ref = np.linspace(max(made.offset_s, 0.0), end_s, 3)
        t_rec = best.rate * (t_ref - best.offset_s), made.rate * (t_ref - made.offset_s)
        error_s = float(np.abs(t_rec[0] - t_rec[1]).max())
    return Judged(
        *case,
        str(found.status),
        found.confidence,
        error_s,
        found.polarity == made.polarity,
        tuple(note.code for note in found.notes),
    )


def complaints(all_judged: Iterable[Judged]) -> list[str]:
    """What is worse than it was; nothing where the gate is open."""
    rows = list(all_judged)
    found = [f"{one.kind} {one.number} is placed wrongly" for one in rows if one.status == "placed" and not one.right]
    for kind, least in LEAST.items():
        some = [one for one in rows if one.kind == kind]
        right = sum(one.right and one.status == "placed" for one in some)
        if right < least:
            found.append(f"{kind}: {right} of {len(some)} placed and right, {least} asked")
    near = [one for one in rows if one.kind == "near"]
    found += [f"near {o.number}: off by {o.error_s} s" for o in near if o.error_s is None or o.error_s > NEAR_S]
    found += [f"near {one.number}: wrong polarity" for one in near if not one.polarity_right]
    found += [f"header {o.number}: not named" for o in rows if o.kind == "header" and "rate-mislabelled" not in o.codes]
    error = calibration_error(rows)
    if error > MOST_CALIBRATION_ERROR:
        found.append(f"expected calibration error {error:.3f}, {MOST_CALIBRATION_ERROR} allowed")
    return found


def calibration_error(rows: list[Judged], bins: int = 10) -> float:
    """Expected calibration error (Naeini et al., AAAI 2015)."""
    confidence, right = np.array([one.confidence for one in rows]), np.array([one.right for one in rows])
    which = np.minimum((confidence * bins).astype(int), bins - 1)
    used = [which == b for b in range(bins) if (which == b).any()]
    return float(sum(abs(confidence[one].mean() - right[one].mean()) * one.mean() for one in used))


def run_gate() -> list[Judged]:
    with ProcessPoolExecutor() as pool:
        return list(pool.map(judged, gate_cases()))
