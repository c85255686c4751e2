"""Judge generated cases, fit the confidence model, and report its calibration.

Run: python -m scripts.calibrate judge --cases 600 --first 0 --out .local/judgements.jsonl
     python -m scripts.calibrate fit .local/judgements.jsonl ...
"""

import argparse
import json
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict
from pathlib import Path

import numpy as np
from scipy.optimize import minimize

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.judge.confidence import WEIGHTS, confidence_of, describe
from gullywind.core.measure.evidence import Support
from material.arrays import ArraySound
from material.cases import Case, make_case
from material.hard import KINDS, STRANGERS, HardCase, hard_case

#: A placement is right within this at both ends of the overlap, s.
RIGHT_S = 0.02


def judge(asked: tuple[int, str | None]) -> dict:
    """What the program says of a case: a general one, or a hard one of a kind, every third of which does not belong."""
    seed, hard = asked
    case: Case | HardCase
    if hard is None:
        case = make_case(seed)
        name, polarity = case.name, case.polarity
    else:
        case = hard_case(hard, seed, family="fitted", stranger=(None, *STRANGERS)[seed % 3])
        name, polarity = f"{hard}-{seed}-{case.sound}", 1
    reference = prepare_reference(ArraySound(case.reference, 48000))
    duration_s = case.recording.size / case.rate_hz
    result = align_recording(reference, hear(ArraySound(case.recording, case.rate_hz)))
    row = {"name": name, "kind": case.kind, "status": str(result.status), "confidence": result.confidence}
    row["support"] = asdict(result.support) if result.support else None
    row["rival"] = asdict(result.rival_support) if result.rival_support else None
    row["match"] = case.offset_s is not None
    errors = None
    if case.offset_s is not None and result.candidates:
        best = result.candidates[0]
        assert case.offset_s is not None and case.rate is not None
        ends = np.clip([0.0, duration_s], None, None)
        truth = np.array([case.offset_s, case.offset_s + ends[1] / case.rate])
        low, high = max(truth[0], 0), min(truth[1], case.reference.size / 48000)
        t = np.array([low, (low + high) / 2, high])
        errors = (best.rate * (t - best.offset_s) - case.rate * (t - case.offset_s)).tolist()
        row["ppm_error"] = (best.rate - case.rate) * 1e6
        row["polarity_right"] = result.polarity == polarity
        row["candidate_right"] = [abs(c.offset_s - case.offset_s) < RIGHT_S for c in result.candidates]
    row["errors_s"] = errors
    row["right"] = errors is not None and max(map(abs, errors)) < RIGHT_S
    return row


def ece(confidence: np.ndarray, right: np.ndarray, bins: int = 10) -> float:
    """Expected calibration error (Naeini et al., AAAI 2015)."""
    which = np.minimum((confidence * bins).astype(int), bins - 1)
    return float(
        sum(
            abs(confidence[which == b].mean() - right[which == b].mean()) * (which == b).mean()
            for b in range(bins)
            if (which == b).any()
        )
    )


def report(rows: list[dict]) -> None:
    kinds = defaultdict(list)
    for row in rows:
        kinds[row["kind"]].append(row)
    print(
        f"{'kind':14s} {'n':>4s} {'right':>6s} {'placed':>6s} {'wrong':>5s} {'<1ms':>6s} {'med µs':>8s} {'ppm med':>8s}"
    )
    for kind, some in sorted(kinds.items()):
        placed = [r for r in some if r["status"] == "placed"]
        wrong = [r for r in placed if not r["right"]]
        errors = [max(map(abs, r["errors_s"])) for r in some if r["errors_s"]]
        mid = [abs(r["errors_s"][1]) for r in placed if r["right"]]
        within = np.mean([e < 1e-3 for e in errors]) if errors else float("nan")
        right = np.mean([r["right"] for r in some])
        ppm = [abs(r["ppm_error"]) for r in placed if r["right"]]
        print(
            f"{kind:14s} {len(some):4d} {right:6.3f} {len(placed) / len(some):6.3f} {len(wrong):5d} {within:6.3f} "
            f"{np.median(mid) * 1e6 if mid else float('nan'):8.2f} {np.median(ppm) if ppm else float('nan'):8.3f}"
        )
        for r in wrong:
            print("   WRONG", r["name"], r["confidence"], r["errors_s"], r["support"], r["rival"])


def fit(rows: list[dict]) -> None:
    used = [r for r in rows if r["support"]]
    names = list(WEIGHTS)
    x = np.array([[describe(Support(**r["support"]))[n] for n in names] for r in used])
    y = np.array([r["right"] for r in used], float)

    def solve(x: np.ndarray, y: np.ndarray) -> np.ndarray:
        def loss(w: np.ndarray) -> float:
            logit = w[0] + x @ w[1:]
            # A light prior (ridge) keeps separable data from running to infinite certainty.
            return float(np.logaddexp(0, np.where(y > 0, -logit, logit)).sum() + 0.02 * (w[1:] ** 2).sum())

        return minimize(
            loss, np.zeros(x.shape[1] + 1), method="L-BFGS-B", bounds=[(None, None)] + [(0, None)] * x.shape[1]
        ).x

    folds = np.arange(len(y)) % 5
    predicted = np.zeros(len(y))
    for fold in range(5):
        w = solve(x[folds != fold], y[folds != fold])
        predicted[folds == fold] = 1 / (1 + np.exp(-(w[0] + x[folds == fold] @ w[1:])))
    w = solve(x, y)
    print("INTERCEPT =", round(float(w[0]), 3))
    print("WEIGHTS =", {n: round(float(v), 3) for n, v in zip(names, w[1:], strict=True)})
    print("cross-validated ECE", round(ece(predicted, y), 4), "Brier", round(float(np.mean((predicted - y) ** 2)), 4))
    now = np.array([confidence_of(Support(**r["support"])) for r in used])
    print("ECE of the model in the program", round(ece(now, y), 4))
    for r, p in sorted(zip(used, predicted, strict=True), key=lambda a: -abs(a[1] - a[0]["right"]))[:12]:
        print(
            f"  {r['name']:20s} right={r['right']} p={p:.3f}",
            {k: round(v, 3) for k, v in r["support"].items()},
            "rival",
            r["rival"] and round(r["rival"]["score"], 3),
        )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True)
    one = commands.add_parser("judge")
    one.add_argument("--cases", type=int, default=600)
    one.add_argument("--first", type=int, default=0)
    one.add_argument("--hard", action="store_true", help="so many of each hard kind (scripts/hard.py) instead")
    one.add_argument("--workers", type=int, default=2)
    one.add_argument("--out", type=Path, required=True)
    two = commands.add_parser("fit")
    two.add_argument("rows", type=Path, nargs="+")
    given = parser.parse_args()
    if given.command == "judge":
        given.out.parent.mkdir(parents=True, exist_ok=True)
        with ProcessPoolExecutor(given.workers) as pool, given.out.open("w") as out:
            numbers = range(given.first, given.first + given.cases)
            asked = [(n, kind) for n in numbers for kind in KINDS] if given.hard else [(n, None) for n in numbers]
            for row in pool.map(judge, asked, chunksize=4):
                out.write(json.dumps(row) + "\n")
                out.flush()
    files = [given.out] if given.command == "judge" else given.rows
    rows = [json.loads(line) for file in files for line in file.open()]
    report(rows)
    fit(rows)


if __name__ == "__main__":
    main()
