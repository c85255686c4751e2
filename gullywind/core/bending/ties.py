"""Moments to hold on to: where something begins, opens or ends in both performances, with a certainty. Times in s."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.ndimage import gaussian_filter1d, maximum_filter1d, uniform_filter1d
from scipy.special import expit

from gullywind.core.bending.attacks import attack_difference_s
from gullywind.core.bending.course import Course
from gullywind.core.features.performance import FRAME_HOP_S, Performance, band_centres_hz
from gullywind.core.ground.units import Floats
from gullywind.core.maps.ties import SYLLABLE_S, Tie, TieKind

#: Changes are smoothed by so many frames, lie at least so many apart, and are at least this share of the strong ones.
SMOOTHED_FRAMES, APART_FRAMES, LEAST_CHANGE, STRONG_PERCENTILE = 1.5, 7, 0.3, 99
#: The course is taken as straight over so many frames on either side of a tie.
STRAIGHT_FRAMES = 3
#: Something begins out of quiet where it was this much quieter just before, dB.
FROM_QUIET_DB = 15.0
#: A vowel opens where its bands rise by this much, dB.
VOWEL_HZ, OPENS_DB = (250.0, 2500.0), 6.0
#: Frames before and after a moment over which levels are compared.
BEFORE_FRAMES, AFTER_FRAMES = slice(-12, -3), slice(1, 9)
#: What stands out within so many frames of a tie, out of so many on either side, is sharp.
NEAR_SHARP_FRAMES, AROUND_FRAMES = 2, 16
#: Certainty of a tie by logistic regression, constant first, fitted by `scripts.bending`: of each alone by the first
#: features, then by all of them. The last is how sure beginnings around it are alone: an end is told sharply in the
#: wrong note as well.
ALONE_WEIGHTS = (-0.169, -1.488, -0.465, -0.850, 0.756, 0.738)
TIE_WEIGHTS = (0.751, -1.149, -0.443, -1.129, 0.778, -0.420, 0.836)
#: Around a tie is within this, s; nothing is surer alone than this, as a logarithm of odds, and where nothing begins
#: around it, it is taken to be so.
COMPANY_S, MOST_ALONE, USUAL_ALONE = 1.0, 4.0, 1.5
#: Wholly certain is only what a person set.
MOST_CERTAIN = 0.999
#: Slopes are told over this, s.
SLOPE_S = 0.15


@dataclass(frozen=True, eq=False)
class FoundTies:
    """Ties as arrays, and what their certainty is judged by: `features`, shape (ties, len(TIE_WEIGHTS) - 1)."""

    t_ref: Floats
    t_rec: Floats
    kinds: tuple[TieKind, ...]
    features: Floats

    @property
    def certainty(self) -> Floats:
        """Shape (ties,), 0..1. That it is right within 20 ms."""
        sure = expit(TIE_WEIGHTS[0] + self.features @ np.array(TIE_WEIGHTS[1:]))
        return np.asarray(np.minimum(sure, MOST_CERTAIN), np.float64)

    def as_ties(self) -> tuple[Tie, ...]:
        """One by one."""
        parts = zip(self.t_ref.tolist(), self.t_rec.tolist(), self.kinds, self.certainty.tolist(), strict=True)
        return tuple(Tie(*part) for part in parts)


def find_ties(reference: Performance, recording: Performance, course: Course, height: float) -> FoundTies:
    """Moments at which both change, in order; rising in both times.

    Parameters
    ----------
    height : of the passage that the two have in common.
    """
    ours, theirs = _changes(reference), _changes(recording)
    rises, falls = (np.sqrt(one * _there(other, course)) for one, other in zip(ours, theirs, strict=True))
    frames = _strong_peaks(np.maximum(rises, falls), reference, course.distance >= 0)
    t_rec = _straightened(course, frames)
    rising = np.concatenate([[True], np.diff(np.maximum.accumulate(t_rec)) > FRAME_HOP_S / 2])[: frames.size]
    frames, t_rec = frames[rising], t_rec[rising]
    kinds = _kinds(reference, frames, rises[frames] >= falls[frames])
    t_ref = np.asarray(frames * FRAME_HOP_S, np.float64)
    begins = np.array([kind is not TieKind.END for kind in kinds], bool)
    t_rec[begins] += attack_difference_s(reference, recording, t_ref[begins], t_rec[begins])
    there = np.clip(np.rint(t_rec / FRAME_HOP_S).astype(np.int64), 0, recording.frames - 1)
    sharp = np.minimum(_sharpness(ours, frames, begins), _sharpness(theirs, there, begins))
    alone = _features(course, frames, sharp, height)
    sure = np.clip(ALONE_WEIGHTS[0] + alone @ np.array(ALONE_WEIGHTS[1:]), -MOST_ALONE, MOST_ALONE)
    return FoundTies(t_ref, t_rec, kinds, np.column_stack([alone, _around(t_ref, sure, begins)]))


def moments_of(performance: Performance) -> Floats:
    """Moments, s, at which something begins, opens or ends in a performance alone: what a tie may be laid on."""
    if not performance.sounding.any():
        return np.zeros(0)
    change = np.maximum(*_changes(performance))
    return np.asarray(_strong_peaks(change, performance, np.ones(change.size, bool)) * FRAME_HOP_S, np.float64)


def _changes(performance: Performance) -> tuple[Floats, Floats]:
    """How much begins, and how much ceases to sound, smoothed, shape (frames,) each."""
    rises, falls = (
        np.maximum(gaussian_filter1d(one.astype(np.float64), SMOOTHED_FRAMES), 0)
        for one in (performance.rises, performance.falls)
    )
    return rises, falls


def _strong_peaks(change: Floats, performance: Performance, inside: npt.NDArray[np.bool_]) -> npt.NDArray[np.int64]:
    """Frames of the highest changes `inside`, against the strong ones of all that sounds."""
    sounding = performance.sounding
    strong = float(np.percentile(change[sounding], STRONG_PERCENTILE)) if sounding.any() else 1.0
    return _peaks(np.where(inside, change / max(strong, 1e-9), 0.0))


def _there(values: Floats, course: Course) -> Floats:
    """The recording's values at the moments of the reference."""
    return np.interp(course.t_rec, np.arange(values.size) * FRAME_HOP_S, values)


def _peaks(change: Floats) -> npt.NDArray[np.int64]:
    """Frames of the highest changes, none near a higher one."""
    found = np.flatnonzero((change[1:-1] >= change[:-2]) & (change[1:-1] > change[2:])) + 1
    found = found[change[found] >= LEAST_CHANGE]
    taken, kept = np.zeros(change.size + APART_FRAMES, bool), []
    for frame in found[np.argsort(-change[found], kind="stable")].tolist():
        if not taken[max(0, frame - APART_FRAMES + 1) : frame + APART_FRAMES].any():
            taken[frame] = True
            kept.append(frame)
    return np.sort(np.array(kept, np.int64))


def _straightened(course: Course, frames: npt.NDArray[np.int64]) -> Floats:
    """Recording times, s, by the frames around each, sure ones before others."""
    around = np.clip(
        frames[:, None] + np.arange(-STRAIGHT_FRAMES, STRAIGHT_FRAMES + 1), 0, max(course.t_ref.size - 1, 0)
    )
    weight = 1 / (course.spread_s[around] + 1e-3)
    late = course.t_rec[around] - course.t_ref[around]
    return np.asarray(course.t_ref[frames] + (late * weight).sum(axis=1) / weight.sum(axis=1))


def _kinds(reference: Performance, frames: npt.NDArray[np.int64], rising: npt.NDArray[np.bool_]) -> tuple[TieKind, ...]:
    centres = band_centres_hz()
    vowel = (centres >= VOWEL_HZ[0]) & (centres <= VOWEL_HZ[1])
    level = reference.bands_db.max(axis=1)
    voice = reference.bands_db[:, vowel].max(axis=1)
    kinds, begun_s = [], -np.inf
    for frame, rises in zip(frames.tolist(), rising.tolist(), strict=True):
        if not rises:
            kinds.append(TieKind.END)
            continue
        from_quiet = _rise_db(level, frame) >= FROM_QUIET_DB
        opens = _rise_db(voice, frame) >= OPENS_DB and frame * FRAME_HOP_S - begun_s <= SYLLABLE_S
        kinds.append(TieKind.START if from_quiet or not opens else TieKind.OPENING)
        begun_s = frame * FRAME_HOP_S if kinds[-1] is TieKind.START else -np.inf
    return tuple(kinds)


def _rise_db(level_db: npt.NDArray, frame: int) -> float:
    """How much louder it is after a frame than before it, dB."""
    before = level_db[max(0, frame + BEFORE_FRAMES.start) : max(1, frame + BEFORE_FRAMES.stop)]
    after = level_db[frame + AFTER_FRAMES.start : frame + AFTER_FRAMES.stop]
    return float(after.mean() - before.mean()) if before.size and after.size else 0.0


def _sharpness(changes: tuple[Floats, Floats], frames: npt.NDArray[np.int64], begins: npt.NDArray[np.bool_]) -> Floats:
    """How much what begins (or ends) at some frames stands out of what does so around them, as a logarithm."""
    found = []
    for change in changes:
        peak = maximum_filter1d(change, 2 * NEAR_SHARP_FRAMES + 1)
        around = uniform_filter1d(change, 2 * AROUND_FRAMES + 1, mode="constant")
        found.append(np.log((peak[frames] + 1e-3) / (around[frames] + 1e-3)))
    return np.asarray(np.where(begins, *found))


def _around(t_ref: Floats, sure: Floats, begins: npt.NDArray[np.bool_]) -> Floats:
    """The mean of what beginnings around each tie are sure of, without its own."""
    first = np.searchsorted(t_ref, t_ref - COMPANY_S, side="left")
    end = np.searchsorted(t_ref, t_ref + COMPANY_S, side="right")
    counted = np.where(begins, 1.0, 0.0)
    sums = (np.concatenate([[0.0], np.cumsum(one)]) for one in (sure * counted, counted))
    total, count = (one[end] - one[first] for one in sums)
    total, count = total - sure * counted, count - counted
    return np.where(count > 0, total / np.maximum(count, 1), USUAL_ALONE)


def _features(course: Course, frames: npt.NDArray[np.int64], sharp: Floats, height: float) -> Floats:
    """What tells right ties from wrong ones, each about -3..3."""
    times = course.t_ref[frames]
    slope = (course.at(times + SLOPE_S) - course.at(times - SLOPE_S)) / (2 * SLOPE_S)
    bent = np.abs(np.log(np.clip(slope, 0.1, 10.0)))
    return np.stack(
        [
            np.log(course.spread_s[frames] + 1e-3) + 5.0,
            course.distance[frames],
            bent,
            sharp,
            np.full(frames.size, np.log(max(height, 1.0))),
        ],
        axis=1,
    )
