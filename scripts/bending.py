"""How well performances are matched and bent, on generated pairs with known truth; `--fit` fits the certainties anew.

Voices and instruments that were made from recordings need Debian's flite, fluidsynth and fluid-soundfont-gm.

.venv/bin/python -m scripts.bending [--aside] [--fit] [--pairs N] [--jobs N]
"""

import argparse
from collections import defaultdict
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from functools import partial

import numpy as np
from scipy.optimize import minimize
from scipy.special import expit

from gullywind.core.bending import match
from gullywind.core.bending.bent import bent_alignment
from gullywind.core.features.performance import Performance, hear_performance
from gullywind.core.maps.ties import BendSettings
from gullywind.core.measure.evidence import Status
from gullywind.core.sound.views import Listening
from material.arrays import ArraySound
from material.performances import INSTRUMENTS_ASIDE, Performances, line_pair, music_pair, smooth_pair, speech_pair
from material.sampled import SAMPLED
from material.spoken import RECORDED_VOICES, VOICES, VOICES_ASIDE
from scripts.plain_warping import plain_path

#: Ties nearer to the truth than this are right.
RIGHT_S = 0.02
#: `Followed.features` where two have nothing in common: half a second, all of it uneven.
NOTHING_ALIKE = np.array([np.log(0.5), 1.0, -0.83, np.log(0.5), 0.0, 0.58])
#: Moments further apart say nothing of what lies between them.
KNOWN_BETWEEN_S = 0.35
#: So many ties has a pair, more or less.
TIES_A_PAIR = 300
#: Makes a pair by its number; of tunes the second number is that of a pair whose tempo it has.
Maker = Callable[[int, int | None], Performances]


def kinds(aside: bool) -> dict[str, Maker]:
    """All kinds of pairs."""
    return spoken_kinds(aside) | played_kinds(aside)


def spoken_kinds(aside: bool) -> dict[str, Maker]:
    """Generated voices, and voices that were made from recordings of people."""
    if aside:
        return _spoken_by(VOICES_ASIDE)
    return _spoken_by(VOICES) | {f"recorded: {kind}": make for kind, make in _spoken_by(RECORDED_VOICES).items()}


def _spoken_by(voices: Sequence[str]) -> dict[str, Maker]:
    return {
        "speech": lambda seed, _: speech_pair(seed, voices),
        "speech in a noisy room": lambda seed, _: speech_pair(seed + 1000, voices, noisy=True),
        "a line in its scene": lambda seed, _: line_pair(seed + 7000, voices),
        "words changed": lambda seed, _: speech_pair(seed + 2000, voices, changed=True),
        "smooth difference": lambda seed, _: smooth_pair(seed + 3000, voices),
        "one sentence": lambda seed, _: speech_pair(seed + 9000, voices, sentences=1),
        "minutes": lambda seed, _: speech_pair(seed + 9500, voices, sentences=30),
    }


def played_kinds(aside: bool) -> dict[str, Maker]:
    """Modelled instruments, and instruments that were made from recordings."""
    sharp = [
        ("plucked", "struck"),
        ("struck", "plucked"),
        ("plucked", "drums"),
        ("drums", "drums"),
        ("struck", "struck"),
    ]
    soft = [("bowed", "bowed"), ("bowed", "plucked"), ("pipe", "bowed"), ("pipe", "struck")]
    quick = [("piano", "steel"), ("nylon", "harp"), ("marimba", "piano"), ("banjo", "nylon"), ("vibraphone", "harp")]
    slow = [("violin", "cello"), ("flute", "violin"), ("trumpet", "sax"), ("oboe", "clarinet"), ("violin", "violin")]
    mixed = [("violin", "piano"), ("steel", "flute"), ("sax", "vibraphone"), ("trumpet", "nylon")]
    if aside:
        reed, wood, low = INSTRUMENTS_ASIDE
        sharp, soft = [(wood, reed), (reed, wood), (wood, wood)], [(low, reed), (wood, low), (low, low)]
        quick = [("dulcimer", "koto"), ("electric", "harpsichord"), ("music box", "dulcimer"), ("koto", "koto")]
        slow = [("viola", "horn"), ("bassoon", "panpipe"), ("horn", "horn"), ("panpipe", "viola")]
        mixed = [("viola", "koto"), ("harpsichord", "horn"), ("bassoon", "electric")]

    def played(first: int, pairs: Sequence[tuple[str, str]], *, held: bool = False, of: str = "") -> Maker:
        def make(seed: int, tempo_of: int | None) -> Performances:
            one, other = pairs[seed % len(pairs)]
            like = None if tempo_of is None else tempo_of + first
            return music_pair(seed + first, of + one, of + other, held=held, tempo_of=like)

        return make

    return {
        "plucked, struck, drums": played(4000, sharp),
        "bowed, blown": played(5000, soft),
        "notes held": played(6000, sharp[:2], held=True),
        "recorded: quick": played(8000, quick, of=SAMPLED),
        "recorded: slow": played(8000, slow, of=SAMPLED),
        "recorded: mixed": played(8000, mixed, of=SAMPLED),
    }


@dataclass(frozen=True, eq=False)
class Outcome:
    kind: str
    name: str
    status: Status
    confidence: float
    #: Timing errors at the truth's moments, ms: bent, by the plain method, and with the timing untouched.
    bent_ms: np.ndarray
    mfcc_ms: np.ndarray
    plain_ms: np.ndarray
    tie_features: np.ndarray
    tie_certainty: np.ndarray
    tie_right: np.ndarray
    placing: np.ndarray
    joints: int
    height: float


def performance(sound: np.ndarray) -> Performance:
    return hear_performance(Listening(ArraySound(sound, 48000), (0,)))


def truth_at(case: Performances, t_ref: np.ndarray) -> np.ndarray:
    """Recording times; NaN where nothing is known, infinite where nothing corresponds."""
    order = np.argsort(case.t_ref)
    ref, rec = case.t_ref[order], case.t_rec[order]
    k = np.clip(np.searchsorted(ref, t_ref) - 1, 0, ref.size - 2)
    step, there = ref[k + 1] - ref[k], rec[k + 1] - rec[k]
    known = (
        (t_ref >= ref[0]) & (t_ref <= ref[-1]) & (step < KNOWN_BETWEEN_S) & (there < KNOWN_BETWEEN_S * 2) & (there > 0)
    )
    found = np.where(known, rec[k] + there * (t_ref - ref[k]) / np.maximum(step, 1e-6), np.nan)
    for which, start, end in case.without:
        if which == "ref" and end - start > 0.08:
            found[(t_ref > start + 0.02) & (t_ref < end - 0.02)] = np.inf
    return found


def look(kind: str, seed: int, aside: bool) -> Outcome:
    case = kinds(aside)[kind](seed, None)
    reference, recording = performance(case.reference), performance(case.recording)
    followed = match.follow_performance(reference, recording)
    matched = match.judge_performance(reference, recording, followed)
    assert followed is not None
    found = followed.found
    # As an editor gets it: where the evidence is thin the timing is untouched.
    alignment = bent_alignment(reference, recording, matched, case.recording.size / 48000, BendSettings())
    plain = case.t_rec + np.median(case.t_ref - case.t_rec)
    lands = alignment.time_map.to_reference(case.t_rec) if alignment.time_map else plain
    truth = truth_at(case, found.t_ref)
    known = ~np.isnan(truth)
    return Outcome(
        kind,
        case.name,
        matched.status,
        matched.confidence,
        np.abs(lands - case.t_ref)[~np.isnan(lands)] * 1e3,
        np.abs(plain_path(reference, recording, case.t_rec) - case.t_ref) * 1e3,
        np.abs(plain - case.t_ref) * 1e3,
        found.features[known],
        found.certainty[known],
        np.abs(truth[known] - found.t_rec[known]) <= RIGHT_S,
        followed.features,
        len(alignment.time_map.pieces) - 1 if alignment.time_map else 0,
        followed.passage.height,
    )


def strange(kind: str, seed: int, same_tempo: bool, aside: bool) -> tuple[str, Status, float, np.ndarray]:
    """A reference against another part of the same kind, of a tune perhaps at the same tempo."""
    make = kinds(aside)[kind]
    other = make(seed + 17, seed if same_tempo else None)
    reference, recording = performance(make(seed, None).reference), performance(other.recording)
    followed = match.follow_performance(reference, recording)
    matched = match.judge_performance(reference, recording, followed)
    return kind, matched.status, matched.confidence, followed.features if followed else NOTHING_ALIKE


def logistic(features: np.ndarray, right: np.ndarray, counts: np.ndarray | None = None) -> np.ndarray:
    """Constant and weights, lightly held to 0 (maximum a posteriori); each case counts once, or so many times."""
    x = np.concatenate([np.ones((len(features), 1)), features], axis=1)
    each = np.ones(len(x)) if counts is None else counts

    def loss(w: np.ndarray) -> float:
        z = x @ w
        return float((each * (np.logaddexp(0, z) - right * z)).sum() + 0.05 * (w[1:] ** 2).sum())

    def slope(w: np.ndarray) -> np.ndarray:
        return np.asarray(x.T @ (each * (expit(x @ w) - right)) + 0.1 * np.concatenate([[0], w[1:]]))

    return np.asarray(minimize(loss, np.zeros(x.shape[1]), jac=slope, method="BFGS").x)


def fitted_ties(found: list[Outcome]) -> np.ndarray:
    """Weights of ties' certainty. Each pair counts as much as another: else long parts by voices, which hold nearly all
    ties, would speak for bows as well.
    """
    some = [one for one in found if one.tie_right.size]
    features, right = (np.concatenate([getattr(one, name) for one in some]) for name in ("tie_features", "tie_right"))
    counts = np.concatenate([np.full(one.tie_right.size, TIES_A_PAIR / one.tie_right.size) for one in some])
    return logistic(features, right.astype(float), counts)


def calibration(certainty: np.ndarray, right: np.ndarray) -> tuple[float, list[str]]:
    """Expected calibration error over ten bins, and the bins."""
    total, rows = 0.0, []
    for low in np.arange(0, 1, 0.1):
        inside = (certainty >= low) & (certainty < low + 0.1 + (low > 0.85))
        if inside.any():
            said, was = float(certainty[inside].mean()), float(right[inside].mean())
            total += abs(said - was) * inside.mean()
            rows.append(f"{said:.2f}: {was:.2f} of {inside.sum()}")
    return total, rows


def report(found: list[Outcome]) -> None:
    by = defaultdict(list)
    for one in found:
        by[one.kind].append(one)
    for kind, some in by.items():
        bent, mfcc, plain = (
            np.concatenate([getattr(one, name) for one in some]) for name in ("bent_ms", "mfcc_ms", "plain_ms")
        )
        placed = sum(one.status is Status.PLACED for one in some)
        bends = [one for one in some if one.status is Status.PLACED]
        worse = [one.name for one in bends if np.percentile(one.bent_ms, 95) > np.percentile(one.plain_ms, 95)]
        worse += [f"{one.name} on average" for one in bends if one.bent_ms.mean() > one.plain_ms.mean()]
        said, was = (
            float(np.concatenate([getattr(one, name) for one in some]).mean())
            for name in ("tie_certainty", "tie_right")
        )
        print(
            f"{kind:24} {np.median(bent):6.2f} / {np.percentile(bent, 95):6.1f} ms, plainly {np.median(mfcc):4.1f} / "
            f"{np.percentile(mfcc, 95):5.0f}, untouched {np.median(plain):5.0f} / "
            f"{np.percentile(plain, 95):5.0f}; placed {placed} of {len(some)}; joints {sum(o.joints for o in some)}; "
            f"ties said {said:.2f}, right {was:.2f}; "
            f"worse: {', '.join(worse) or 'none'}"
        )
    certainty, right = (
        np.concatenate([getattr(one, name) for one in found]) for name in ("tie_certainty", "tie_right")
    )
    error, rows = calibration(certainty, right)
    print(
        f"ties: {right.size}, right within 20 ms {right.mean():.3f}, calibration error {error:.3f}; {'; '.join(rows)}"
    )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--aside", action="store_true", help="voices and instruments that nothing was tuned on")
    parser.add_argument("--fit", action="store_true", help="print weights fitted to these pairs")
    parser.add_argument("--pairs", type=int, default=10, help="of each kind")
    parser.add_argument("--jobs", type=int, default=2)
    parser.add_argument("--kinds", nargs="*", help="only these")
    given = parser.parse_args()
    names = given.kinds or list(kinds(given.aside))
    numbers = range(given.pairs)
    asked = [(kind, seed) for kind in names for seed in numbers]
    others = [(*one, False) for one in asked] + [(*one, True) for one in asked if one[0] in played_kinds(given.aside)]
    with ProcessPoolExecutor(given.jobs) as pool:
        found = list(pool.map(partial(_starred, look, given.aside), asked))
        strangers = list(pool.map(partial(_starred, strange, given.aside), others))
    report(found)
    wrong = [(kind, round(sure, 2)) for kind, status, sure, _ in strangers if status is Status.PLACED]
    print(f"strangers: {len(strangers)}, placed {len(wrong)}: {wrong}")
    if given.fit:
        print("ties", _told(fitted_ties(found)))
        placing = np.array([o.placing for o in found] + [one[3] for one in strangers])
        print("placing", _told(logistic(placing, np.repeat([1.0, 0.0], [len(found), len(strangers)]))))


def _told(weights: np.ndarray) -> str:
    return "(" + ", ".join(f"{one:.3f}" for one in weights) + ")"


def _starred(function: Callable, aside: bool, asked: tuple[str | int, ...]):  # type: ignore[no-untyped-def]
    return function(*asked, aside)


if __name__ == "__main__":
    main()
