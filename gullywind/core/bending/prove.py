"""The proof of a bend: what is left over between the reference and the sound as it was bent, measured anew in it."""

import numpy as np

from gullywind.core.bending.course import Course, follow_course
from gullywind.core.bending.likeness import liken
from gullywind.core.bending.passage import PITCH_WEIGHTS, Passage
from gullywind.core.features.performance import FRAME_HOP_S, Performance
from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.evidence import Residual
from gullywind.core.proof import Verdict

#: Where the course is less certain than this, s, it says nothing.
SAYING_S = 0.012
#: One moment of the trace each so many frames.
TRACED_FRAMES = 20
#: What is measured lies this close to the reference, s; sound that was cut or left alone is no residual.
MEASURED_S = 0.15
#: Two performers are together within this, s: a trained ear hears no more.
PERFORMERS_TOGETHER_S = 0.01
#: Quality of a window that is as sure as can be.
SUREST = 40.0


def prove_bend(
    reference: Performance, bent: Performance, *, checkpoint: Checkpoint = no_checkpoint
) -> tuple[Residual | None, tuple[WindowLag, ...]]:
    """Follow the bent sound along the reference, and tell what is left over.

    Parameters
    ----------
    bent : what was heard of the sound in reference time.

    Returns
    -------
    Residual : median and 95th percentile over all moments that sound and can be told; None where there are none.
    Windows : one lag each tenth of a second, positive where the recording is late.
    """
    length_s = min(reference.frames, bent.frames) * FRAME_HOP_S
    if length_s < 1.0 or not (reference.sounding.any() and bent.sounding.any()):
        return None, ()
    straight = np.array([0.0, length_s])
    likeness = liken(reference, bent)
    courses = [
        follow_course(likeness, Passage(straight, straight, 1.0, weight), checkpoint=checkpoint)
        for weight in PITCH_WEIGHTS
    ]
    # By whichever features the two agree more closely.
    course = min(courses, key=lambda one: float(one.spread_s[reference.sounding].mean()))
    late = course.t_rec - course.t_ref
    frames = np.clip(np.rint(course.t_rec / FRAME_HOP_S).astype(np.int64), 0, bent.frames - 1)
    told = reference.sounding & bent.sounding[frames] & (course.spread_s < SAYING_S) & (np.abs(late) < MEASURED_S)
    if told.sum() < TRACED_FRAMES:
        return None, ()
    median_ms, p95_ms = np.percentile(np.abs(late[told]) * 1e3, [50, 95])
    return Residual(float(median_ms), float(p95_ms), int(told.sum())), _trace(course, late, told)


def bend_verdict(lag_s: float, quality: float) -> Verdict:
    """What a moment of a bend's proof says."""
    if quality <= 0:
        return Verdict.NOTHING
    return Verdict.AGREES if abs(lag_s) <= PERFORMERS_TOGETHER_S else Verdict.DIFFERS


def _trace(course: Course, late: np.ndarray, told: np.ndarray) -> tuple[WindowLag, ...]:
    """The median of each tenth of a second that can be told."""
    found = []
    for first in range(0, late.size, TRACED_FRAMES):
        some = np.flatnonzero(told[first : first + TRACED_FRAMES]) + first
        if some.size:
            sure = 1 - float(np.median(course.spread_s[some])) / SAYING_S
            lag_s = float(np.median(late[some]))
            found.append(WindowLag(float(course.t_ref[some].mean()), lag_s, SUREST * sure, sure, 1, (), ()))
    return tuple(found)
