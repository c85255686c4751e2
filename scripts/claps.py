"""Sharp sounds: fits the model that finds them, and judges it on kinds that it was not fitted on.

`python -m scripts.claps fit` prints the model for `core/features/clap_model.py`;
`python -m scripts.claps judge --cases N [--family F]` says how many were found, and how many are none;
`python -m scripts.claps pairs --cases N [--family F]` how many pairs with nothing else in common are placed by them.
"""

import argparse
from collections import defaultdict
from multiprocessing import Pool

import numpy as np
from scipy.optimize import minimize
from scipy.special import expit

from gullywind.core.align import hear
from gullywind.core.by_claps import align_by_claps
from gullywind.core.features.claps import ONE_SOUND_S, ClapFinder
from material.arrays import ArraySound
from material.claps import FAMILIES, Family, clap_case, clap_pair
from material.devices import RATE_HZ

#: A moment this near to a clap is it, s; what rings after one is neither one nor none.
NEAR_S, RINGING_S = 0.004, 0.5
#: A place this near is right, s.
RIGHT_S = 0.001
#: What it is fitted on: minutes of each, and what one of their moments counts. Among clicks a clap is one more click.
FITTED: tuple[tuple[Family, int, float], ...] = (
    ("made", 192, 1.0),
    ("people", 240, 1.0),
    ("near", 96, 1.0),
    ("crackle", 72, 0.05),
)
#: A clap that is missed counts so much more than what is taken for one.
MISSED = 1.5
#: Cells of the hidden layer, the steps of its fit, and where these begin by chance.
CELLS, STEPS, CHANCE = 16, 300, 1
#: Weights are kept small: numbers of one picture say much the same.
RIDGE = 16.0


def examples(asked: tuple[int, Family]) -> tuple[np.ndarray, np.ndarray, int]:
    """Described moments of a case, which of them are claps, and how many claps are no moment at all."""
    case = clap_case(asked[0], family=asked[1])
    finder = ClapFinder(RATE_HZ)
    finder.push(case.sound.astype(np.float32))
    times_s, described = finder.described()
    away_s = times_s[:, None] - np.array(case.times_s)
    are = (np.abs(away_s) < NEAR_S).any(axis=1)
    neither = ((away_s > -ONE_SOUND_S) & (away_s < RINGING_S)).any(axis=1) & ~are
    return described[~neither], are[~neither], int((~(np.abs(away_s) < NEAR_S).any(axis=0)).sum())


def fit() -> None:
    asked = [(seed, family) for family, minutes, _ in FITTED for seed in range(minutes)]
    with Pool() as pool:
        found = pool.map(examples, asked, chunksize=4)
    x, y = np.concatenate([one[0] for one in found]).astype(np.float64), np.concatenate([one[1] for one in found])
    counts = {family: count for family, _, count in FITTED}
    each = np.concatenate([np.full(len(one[1]), counts[family]) for one, (_, family) in zip(found, asked, strict=True)])
    each *= np.where(y, MISSED, 1.0)
    mean, spread = x.mean(axis=0), x.std(axis=0) + 1e-9
    scaled, sign, shape = (x - mean) / spread, np.where(y, 1.0, -1.0), (x.shape[1], CELLS)

    def parts(w: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, float]:
        size = shape[0] * CELLS
        return w[:size].reshape(shape), w[size : size + CELLS], w[size + CELLS : -1], float(w[-1])

    def loss(w: np.ndarray) -> tuple[float, np.ndarray]:
        into, biases, out, bias = parts(w)
        hidden = np.tanh(scaled @ into + biases)
        margin = sign * (hidden @ out + bias)
        pull = -sign * each * expit(-margin)
        back = pull[:, None] * out * (1 - hidden**2)
        gradient = [(scaled.T @ back + RIDGE * into).ravel(), back.sum(axis=0), hidden.T @ pull + RIDGE * out]
        kept_small = RIDGE / 2 * float((into**2).sum() + (out**2).sum())
        total = float((each * np.logaddexp(0, -margin)).sum()) + kept_small
        return total, np.concatenate([*gradient, [pull.sum()]])

    rng = np.random.default_rng(CHANCE)
    begin = [(rng.standard_normal(shape) / np.sqrt(shape[0])).ravel(), np.zeros(CELLS), rng.standard_normal(CELLS) / 10]
    w = minimize(loss, np.concatenate([*begin, [-3.0]]), jac=True, method="L-BFGS-B", options={"maxiter": STEPS}).x
    into, biases, out, bias = parts(w)
    into = into / spread[:, None]
    sharp, missed = int(y.sum()), sum(one[2] for one in found)
    print(f"# {len(found)} minutes: {sharp} sharp sounds, {missed} of them no moment at all")
    print(f"# fmt: off\nCLAP_OUT_BIAS = {bias:.3f}")
    print("CLAP_OUT =", _row(out))
    print("CLAP_BIASES =", _row(biases - mean @ into))
    print("CLAP_HIDDEN = (")
    for row in into:
        print(f"    {_row(row)},")
    print(")\n# fmt: on")


def _row(numbers: np.ndarray) -> str:
    """As source, without the noughts before the point, so that a row is a line."""
    return f"({', '.join(('-' if one < 0 else '') + f'{abs(one):.3f}'.lstrip('0') for one in numbers)})"


def judged(asked: tuple[int, Family]) -> tuple[str, str, int, int, int, list[float]]:
    """Behind what, of what kind, how many there were, were found, were told falsely, and errors, s."""
    case = clap_case(asked[0], family=asked[1])
    finder = ClapFinder(RATE_HZ)
    finder.push(case.sound.astype(np.float32))
    sure = np.array([one.t_rec for one in finder.finish() if one.certainty >= 0.5])
    away_s = sure[:, None] - np.array(case.times_s)
    hit = np.abs(away_s) < NEAR_S
    ringing = ((away_s > -ONE_SOUND_S) & (away_s < RINGING_S)).any(axis=1)
    errors_s = [float(np.abs(away_s[:, k]).min()) for k in np.flatnonzero(hit.any(axis=0))]
    return case.behind, case.kind, len(case.times_s), int(hit.any(axis=0).sum()), int((~ringing).sum()), errors_s


def judge(cases: int, first: int, family: Family) -> None:
    with Pool() as pool:
        rows = pool.map(judged, [(seed, family) for seed in range(first, first + cases)])
    by: dict[str, list[int]] = defaultdict(lambda: [0, 0, 0, 0])
    for behind, kind, there, found, false, _ in rows:
        for name in (behind, kind, "all"):
            by[name] = [a + b for a, b in zip(by[name], (1, there, found, false), strict=True)]
    for name, (minutes, there, found, false) in by.items():
        print(f"{name:14} {found:4} of {there:4} found ({found / there:.1%}), {false / minutes:.2f} false a minute")
    errors = np.array([one for row in rows for one in row[5]]) * 1e3
    print(f"beginnings: {np.median(errors):.2f} ms off in the median, {np.percentile(errors, 95):.2f} ms at 95 %")


def placed(asked: tuple[int, bool, Family]) -> tuple[bool, str, str | None, float]:
    """Whether the claps are the same, of what kind, what was said, and how far it is off, s."""
    seed, same, family = asked
    pair = clap_pair(seed, same=same, family=family)
    found = align_by_claps(hear(ArraySound(pair.one, RATE_HZ)), hear(ArraySound(pair.other, RATE_HZ)))
    if found is None or found.time_map is None:
        return same, pair.kind, None, float("nan")
    return same, pair.kind, str(found.status), abs(found.time_map.offset_s - pair.offset_s)


def pairs(cases: int, first: int, family: Family) -> None:
    asked = [(seed, same, family) for same in (True, False) for seed in range(first, first + cases)]
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
    parser.add_argument("--family", choices=FAMILIES, default="made", help="nothing was fitted on the last two")
    given = parser.parse_args()
    if given.what == "fit":
        fit()
    elif given.what == "pairs":
        pairs(given.cases, given.first, given.family)
    else:
        judge(given.cases, given.first, given.family)


if __name__ == "__main__":
    main()
