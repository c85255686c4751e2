"""The same sound in both: its ties are put right to the sample, so that a copy is not bent at all. Times in s."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from gullywind.core.bending.ties import MOST_CERTAIN
from gullywind.core.features.performance import HEARD_RATE_HZ, Performance
from gullywind.core.ground.units import Samples
from gullywind.core.maps.ties import Tie
from gullywind.core.measure.drift import fit_drift

#: Sound around a tie that is compared, and how far from where the course has it.
COMPARED_S, LOOKED_AROUND_S = 0.04, 0.012
#: Normalised correlation from which sound is the same, and the share of looks that must be so.
SAME_SOUND, MOSTLY = 0.9, 0.6
#: Ties that are looked at before all are.
LOOKED_AT = 24
#: One event's moments lie this near to a line, s, half of them: whoever plays once more is further off.
MOST_WANDERING_S = 0.002
#: So many tell the line.
MOST_ON_LINE = 200
#: Differences this near to their median are one difference, s, and a place this near to a whole sample is one.
ONE_DIFFERENCE_S, WHOLE_SAMPLES = 50e-6, 0.1


def exactly(reference: Performance, recording: Performance, ties: tuple[Tie, ...]) -> tuple[tuple[Tie, ...], bool]:
    """Ties as they are; or, where both hold the same sound, put right by correlation of the waveform.

    Returns
    -------
    ties : of the same event those that hold the same sound; of another performance by the same sounds (a drum that is
        played from a recording) all of them.
    same_event : both heard one event.
    """
    if not ties:
        return ties, False
    some = [ties[k] for k in np.unique(np.linspace(0, len(ties) - 1, LOOKED_AT).astype(int))]
    if _share(reference, recording, some) < MOSTLY:
        return ties, False
    found = [(tie, _moment(reference.sound, recording.sound, tie)) for tie in ties]
    moved = [_put_right(tie, t_rec) for tie, t_rec in found if t_rec is not None]
    if not _on_one_line(moved):
        return _rising([tie if t_rec is None else _put_right(tie, t_rec) for tie, t_rec in found]), False
    differences = np.array([tie.t_ref - tie.t_rec for tie in moved])
    middle = float(np.median(differences))
    if np.abs(differences - middle).max() < ONE_DIFFERENCE_S:
        # A copy: one difference for all, and no fraction of a sample that only the measurement made.
        samples = middle * HEARD_RATE_HZ
        if abs(samples - round(samples)) < WHOLE_SAMPLES:
            middle = round(samples) / HEARD_RATE_HZ
        moved = [replace(tie, t_rec=tie.t_ref - middle) for tie in moved]
    return tuple(moved), True


def _on_one_line(ties: Sequence[Tie]) -> bool:
    """Whether their moments lie as two clocks have them, but for what a carried microphone or a tape wanders."""
    if len(ties) < 3:
        return True
    some = [ties[k] for k in np.unique(np.linspace(0, len(ties) - 1, MOST_ON_LINE).astype(int))]
    t_ref, t_rec = (np.array([getattr(tie, name) for tie in some], np.float64) for name in ("t_ref", "t_rec"))
    fit = fit_drift(t_ref, t_rec, np.ones(t_ref.size), tolerance_s=MOST_WANDERING_S)
    return float(np.median(np.abs(fit.residual_s))) < MOST_WANDERING_S


def _put_right(tie: Tie, t_rec: float) -> Tie:
    return replace(tie, t_rec=t_rec, certainty=MOST_CERTAIN)


def _rising(ties: Sequence[Tie]) -> tuple[Tie, ...]:
    """Those that rise in both times; of two that cross the surer one."""
    kept: list[Tie] = []
    for one in ties:
        while kept and kept[-1].t_rec >= one.t_rec and kept[-1].certainty < one.certainty:
            kept.pop()
        if not kept or kept[-1].t_rec < one.t_rec:
            kept.append(one)
    return tuple(kept)


def _share(reference: Performance, recording: Performance, ties: Sequence[Tie]) -> float:
    return float(np.mean([_moment(reference.sound, recording.sound, tie) is not None for tie in ties]))


def _moment(ours: Samples, theirs: Samples, tie: Tie) -> float | None:
    """Recording time of the reference's sound around a tie; None where it is another sound."""
    half, reach = round(COMPARED_S * HEARD_RATE_HZ), round(LOOKED_AROUND_S * HEARD_RATE_HZ)
    at, there = round(tie.t_ref * HEARD_RATE_HZ), round(tie.t_rec * HEARD_RATE_HZ)
    if at < half or at + half > ours.size or there < half + reach or there + half + reach > theirs.size:
        return None
    sample = ours[at - half : at + half].astype(np.float64)
    near = theirs[there - half - reach : there + half + reach].astype(np.float64)
    energies = np.convolve(near**2, np.ones(2 * half), mode="valid")
    likeness = np.correlate(near, sample, mode="valid") / np.sqrt(np.maximum(energies * (sample**2).sum(), 1e-20))
    k = int(likeness.argmax())
    if likeness[k] < SAME_SOUND or not 0 < k < likeness.size - 1:
        return None
    low, peak, high = likeness[k - 1 : k + 2]
    part = 0.5 * (low - high) / min(low - 2 * peak + high, -1e-12)
    return (there - reach + k + float(part)) / HEARD_RATE_HZ + (tie.t_ref - at / HEARD_RATE_HZ)
