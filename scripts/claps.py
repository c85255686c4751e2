"""Sharp sounds: fits the model that finds them, and judges it on kinds that it was not fitted on.

`python -m scripts.claps fit --cases N` prints the model for `core/features/clap_model.py`;
`python -m scripts.claps judge --cases N [--aside]` says how many were found, and how many are none;
`python -m scripts.claps pairs --cases N [--aside]` how many pairs with nothing else in common are placed by them.
"""

import argparse
from collections import defaultdict
from multiprocessing import Pool

import numpy as np
from scipy.optimize import minimize

from gullywind.core.align import hear
from gullywind.core.by_claps import align_by_claps
from gullywind.core.features.claps import ONE_SOUND_S, ClapFinder
from material.arrays import ArraySound
from material.claps import clap_case, clap_pair
from material.devices import RATE_HZ

#: A moment this near to a clap is it, s; what rings after one is neither one nor none.
NEAR_S, RINGING_S = 0.004, 0.5
#: A place this near is right, s.
RIGHT_S = 0.001
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


def placed(asked: tuple[int, bool, bool]) -> tuple[bool, str, str | None, float]:
    """Whether the claps are the same, of what kind, what was said, and how far it is off, s."""
    seed, same, aside = asked
    pair = clap_pair(seed, same=same, aside=aside)
    found = align_by_claps(hear(ArraySound(pair.one, RATE_HZ)), hear(ArraySound(pair.other, RATE_HZ)))
    if found is None or found.time_map is None:
        return same, pair.kind, None, float("nan")
    return same, pair.kind, str(found.status), abs(found.time_map.offset_s - pair.offset_s)


def pairs(cases: int, first: int, *, aside: bool) -> None:
    asked = [(seed, same, aside) for same in (True, False) for seed in range(first, first + cases)]
    with Pool() as pool:
        rows = pool.map(placed, asked)
    for same in (True, False):
        some = [row for row in rows if row[0] is same]
        sure = [row for row in some if row[2] == "placed"]
        right = sum(row[3] < RIGHT_S for row in sure) if same else 0
        unsure = sum(row[2] == "unsure" for row in some)
        name = "the same claps" if same else "others at much the same distances"
        print(f"{name}: {len(sure)} of {len(some)} placed, {right} of them right to 1 ms, {unsure} suggested")
        for kind in sorted({row[1] for row in some}):
            of_kind = [row for row in some if row[1] == kind]
            print(f"  {kind}: {sum(row[2] == 'placed' for row in of_kind)} of {len(of_kind)}")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["fit", "judge", "pairs"])
    parser.add_argument("--cases", type=int, default=96)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--aside", action="store_true", help="kinds that nothing was fitted on")
    given = parser.parse_args()
    if given.what == "fit":
        fit(given.cases, given.first)
    elif given.what == "pairs":
        pairs(given.cases, given.first, aside=given.aside)
    else:
        judge(given.cases, given.first, aside=given.aside)


if __name__ == "__main__":
    main()
