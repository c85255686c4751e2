"""Sharp sounds: fits the model that finds them, and judges it on kinds that it was not fitted on.

`python -m scripts.claps fit --cases N` prints the model for `core/features/clap_model.py`;
`python -m scripts.claps judge --cases N [--aside]` says how many were found, and how many are none.
"""

import argparse
from collections import defaultdict
from multiprocessing import Pool

import numpy as np
from scipy.optimize import minimize

from gullywind.core.features.claps import ONE_SOUND_S, ClapFinder
from material.claps import clap_case
from material.devices import RATE_HZ

#: A moment this near to a clap is it, s; what rings after one is neither one nor none.
NEAR_S, RINGING_S = 0.004, 0.5
#: Weights are kept small: numbers of one picture say much the same.
RIDGE = 1.0


def examples(seed: int) -> tuple[np.ndarray, np.ndarray, int]:
    """Described moments of a case, which of them are claps, and how many claps are no moment at all."""
    case = clap_case(seed, aside=False)
    finder = ClapFinder(RATE_HZ)
    finder.push(case.sound.astype(np.float32))
    times_s, described = finder.described()
    away_s = times_s[:, None] - np.array(case.times_s)
    are = (np.abs(away_s) < NEAR_S).any(axis=1)
    neither = ((away_s > -ONE_SOUND_S) & (away_s < RINGING_S)).any(axis=1) & ~are
    return described[~neither], are[~neither], int((~(np.abs(away_s) < NEAR_S).any(axis=0)).sum())


def fit(cases: int, first: int) -> None:
    with Pool() as pool:
        found = pool.map(examples, range(first, first + cases))
    x, y = np.concatenate([one[0] for one in found]), np.concatenate([one[1] for one in found])
    mean, spread = x.mean(axis=0), x.std(axis=0) + 1e-9
    scaled, sign = (x - mean) / spread, np.where(y, 1.0, -1.0)

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        margin = sign * (w[0] + scaled @ w[1:])
        pull = -sign / (1 + np.exp(margin))
        gradient = np.concatenate([[pull.sum()], scaled.T @ pull + RIDGE * w[1:]])
        return float(np.logaddexp(0, -margin).sum() + RIDGE / 2 * (w[1:] ** 2).sum()), gradient

    w = minimize(loss, np.zeros(x.shape[1] + 1), jac=True, method="L-BFGS-B", options={"maxiter": 2000}).x
    weights = w[1:] / spread
    print(
        f"# {cases} minutes from {first} on: {int(y.sum())} sharp sounds, {sum(one[2] for one in found)} missed before"
    )
    print(f"CLAP_BIAS = {w[0] - float(weights @ mean):.4f}")
    print("CLAP_WEIGHTS = (", ", ".join(f"{one:.4f}" for one in weights), ")")


def judged(asked: tuple[int, bool]) -> tuple[str, str, int, int, int, list[float]]:
    """Behind what, of what kind, how many there were, were found, were told falsely, and errors, s."""
    case = clap_case(asked[0], aside=asked[1])
    finder = ClapFinder(RATE_HZ)
    finder.push(case.sound.astype(np.float32))
    sure = np.array([one.t_rec for one in finder.finish() if one.certainty >= 0.5])
    away_s = sure[:, None] - np.array(case.times_s)
    hit = np.abs(away_s) < NEAR_S
    ringing = ((away_s > -ONE_SOUND_S) & (away_s < RINGING_S)).any(axis=1)
    errors_s = [float(np.abs(away_s[:, k]).min()) for k in np.flatnonzero(hit.any(axis=0))]
    return case.behind, case.kind, len(case.times_s), int(hit.any(axis=0).sum()), int((~ringing).sum()), errors_s


def judge(cases: int, first: int, *, aside: bool) -> None:
    with Pool() as pool:
        rows = pool.map(judged, [(seed, aside) for seed in range(first, first + cases)])
    by: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0, 0])
    for behind, kind, there, found, false, _ in rows:
        for name in (behind, kind, "all"):
            by[name] = [a + b for a, b in zip(by[name], (1, there, found, false), strict=True)]
    for name, (minutes, there, found, false) in by.items():
        print(f"{name:14} {found:4} of {there:4} found ({found / there:.1%}), {false / minutes:.2f} false a minute")
    errors = np.array([one for row in rows for one in row[5]]) * 1e3
    print(f"beginnings: {np.median(errors):.2f} ms off in the median, {np.percentile(errors, 95):.2f} ms at 95 %")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["fit", "judge"])
    parser.add_argument("--cases", type=int, default=96)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--aside", action="store_true", help="kinds that nothing was fitted on")
    given = parser.parse_args()
    if given.what == "fit":
        fit(given.cases, given.first)
    else:
        judge(given.cases, given.first, aside=given.aside)


if __name__ == "__main__":
    main()
