"""Measure clocks, speeds, bends and breaks on generated recordings with known truth. Prints one line a kind.

Run: python -m scripts.timing clocks speeds bends breaks overhangs whole [--cases 40] [--first 0]
"""

import argparse
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.measure.evidence import Alignment
from material.arrays import ArraySound
from material.cases import event
from material.devices import RATE_HZ, clocked
from material.timing import TimingCase, bent_case, broken_case, clock_case, overhang_case

#: A break is found where one was within this time, with a jump right to this much.
NEAR_S, JUMP_S = 3.0, 0.005
#: What lies this near to a cut may belong to either side, s.
CUT_S = 0.6
MINUTES = (5, 10, 20, 40)


@dataclass(frozen=True)
class Break:
    """Recording time of a cut, and by how much the offset jumps there, s."""

    t_rec: float
    jump_s: float


@dataclass(frozen=True)
class Row:
    """What came of one case; errors in s along the overlap, None where it was not placed."""

    name: str
    status: str
    errors_s: tuple[float, ...]
    ppm_error: float
    true: tuple[Break, ...] = ()
    found: tuple[Break, ...] = ()
    residual_p95_ms: float | None = None
    codes: tuple[str, ...] = ()


def judge(case: TimingCase, rate_hz: int = RATE_HZ) -> tuple[Alignment, Row]:
    reference = prepare_reference(ArraySound(case.reference, RATE_HZ))
    result = align_recording(reference, hear(ArraySound(case.recording, rate_hz)))
    truth = TimeMap(tuple(Piece(knots) for knots in case.pieces))
    placed = result.status == "placed" and result.time_map is not None
    errors: tuple[float, ...] = ()
    ppm_error = np.nan
    if placed and result.time_map is not None:
        # Where both maps have sound, and no cut is near: cuts are judged by themselves.
        t_ref = np.linspace(truth.start_ref_s, truth.end_ref_s_exclusive, 401)
        there, ours = truth.to_recording(t_ref), result.time_map.to_recording(t_ref)
        edges = np.array([knot[0] for piece in truth.pieces for knot in (piece.start, piece.end_exclusive)])
        inner = np.abs(t_ref[:, None] - edges[None, :]).min(axis=1) > CUT_S
        both = np.isfinite(there) & np.isfinite(ours) & inner
        errors = tuple((ours - there)[both])
        ppm_error = (result.time_map.rate - truth.rate) * 1e6
    found = breaks_of(result.time_map) if placed and result.time_map else ()
    residual = result.residual.p95_ms if result.residual else None
    codes = tuple(note.code for note in result.notes)
    row = Row(case.name, str(result.status), errors, ppm_error, breaks_of(truth), found, residual, codes)
    return result, row


def breaks_of(time_map: TimeMap) -> tuple[Break, ...]:
    offsets = [p.start[0] - p.start[1] / time_map.rate for p in time_map.pieces]
    cuts = [p.end_exclusive[1] for p in time_map.pieces]
    return tuple(Break(cut, after - before) for cut, (before, after) in zip(cuts, pairwise(offsets), strict=False))


def clocks(seed: int) -> tuple[str, Row]:
    noisy, minutes = bool(seed % 2), MINUTES[seed // 2 % len(MINUTES)]
    return ("noisy" if noisy else "clean"), judge(clock_case(seed, minutes=minutes, noisy=noisy))[1]


def bends(seed: int) -> tuple[str, Row]:
    return "bent", judge(bent_case(seed, noisy=bool(seed % 2)))[1]


def breaks(seed: int) -> tuple[str, Row]:
    return "broken", judge(broken_case(seed))[1]


def overhangs(seed: int) -> tuple[str, Row]:
    return "overhang", judge(overhang_case(seed))[1]


def whole(seed: int) -> tuple[str, Row]:
    if seed % 2:
        return "whole", judge(broken_case(seed, breaks=0))[1]
    return "whole", judge(clock_case(seed, minutes=5, noisy=True))[1]


SPEEDS = (44100 / 48000, 48000 / 44100, 1000 / 1001, 1001 / 1000, 24 / 25, 25 / 24)


def speeds(seed: int) -> tuple[str, Row]:
    """A recording whose file plays `speed` times too slow: true rate over stated rate."""
    rng = np.random.default_rng([seed, 34])
    speed = SPEEDS[seed % len(SPEEDS)]
    stated_hz = 44100 if speed == 48000 / 44100 else 48000
    sound = event("speech" if seed % 3 else "music", int(rng.integers(4)), 300.0)
    start, length_s, rate = float(rng.uniform(5, 60)), float(rng.uniform(60, 200)), 1 + rng.uniform(-40, 40) * 1e-6
    noise = rng.standard_normal(sound.size) * 0.01 * np.std(sound)
    # Samples as the device took them, at its true rate; the file then states another.
    recording = clocked(sound + noise, start, rate * speed, length_s * speed, stated_hz)
    knots = ((start, 0.0), (start + recording.size / stated_hz / rate / speed, recording.size / stated_hz))
    return f"{speed:.4f}", judge(TimingCase(f"speed-{seed}", sound, recording, (knots,)), stated_hz)[1]


KINDS: dict[str, Callable[[int], tuple[str, Row]]] = {
    "clocks": clocks,
    "speeds": speeds,
    "bends": bends,
    "breaks": breaks,
    "overhangs": overhangs,
    "whole": whole,
}


def report(name: str, rows: Sequence[Row]) -> None:
    placed = [r for r in rows if r.errors_s]
    worst = np.array([max(map(abs, r.errors_s)) for r in placed])
    p95 = [r.residual_p95_ms for r in placed if r.residual_p95_ms is not None]
    print(
        f"{name:8s} n {len(rows):3d}  placed {len(placed):3d}  worst error along it: median "
        f"{np.median(worst) * 1e6:.1f} µs, "
        f"within 1 ms {np.mean(worst < 1e-3):.3f}, within 0.5 ms {np.mean(worst < 5e-4):.3f}; clock error median "
        f"{np.median([abs(r.ppm_error) for r in placed]):.4f} ppm; residual p95 median {np.median(p95) * 1e3:.1f} µs, "
        f"worst {np.max(p95) * 1e3:.1f} µs",
        flush=True,
    )
    for row in rows:
        if not row.errors_s or max(map(abs, row.errors_s)) > 5e-4:
            most = max(map(abs, row.errors_s), default=np.nan)
            print(f"    {row.name}: {row.status}, {most * 1e3:.3f} ms, {row.codes} {row.true} {row.found}")


def report_breaks(rows: Sequence[Row]) -> None:
    true = found = right = 0
    jumps, cuts = [], []
    for row in rows:
        true += len(row.true)
        found += len(row.found)
        left = list(row.found)
        for one in row.true:
            near = [b for b in left if abs(b.t_rec - one.t_rec) < NEAR_S and abs(b.jump_s - one.jump_s) < JUMP_S]
            if near:
                best = min(near, key=lambda b: abs(b.t_rec - one.t_rec))
                left.remove(best)
                right += 1
                jumps.append(abs(best.jump_s - one.jump_s))
                cuts.append(abs(best.t_rec - one.t_rec))
            else:
                print(f"    {row.name} ({row.status}): missed {one}")
        for one in left:
            print(f"    {row.name}: false {one}")
    if true:
        print(
            f"breaks: recall {right}/{true} = {right / true:.3f}, precision {right}/{found} = "
            f"{right / max(found, 1):.3f}, jump median {np.median(jumps) * 1e6:.1f} µs, cut median "
            f"{np.median(cuts):.3f} s, p90 {np.quantile(cuts, 0.9):.3f} s"
        )
    else:
        print(f"breaks: {found} false in {len(rows)} recordings without any")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("kinds", nargs="+", choices=KINDS)
    parser.add_argument("--cases", type=int, default=40)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--workers", type=int, default=2)
    given = parser.parse_args()
    for kind in given.kinds:
        with ProcessPoolExecutor(given.workers) as pool:
            rows = list(pool.map(KINDS[kind], range(given.first, given.first + given.cases)))
        for name in sorted({name for name, _ in rows}):
            report(name, [row for label, row in rows if label == name])
        if kind in ("breaks", "overhangs", "whole"):
            report_breaks([row for _, row in rows])


if __name__ == "__main__":
    main()
