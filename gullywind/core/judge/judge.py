"""The judgement on verified places: which is best, how sure, and what follows for map and rivals. Times in s."""

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from gullywind.core.breaks.find import find_breaks
from gullywind.core.breaks.stray_windows import may_be_broken
from gullywind.core.features.extract import Heard
from gullywind.core.ground.errors import InputError
from gullywind.core.ground.units import Floats
from gullywind.core.ground.words import Note
from gullywind.core.judge.confidence import MOST_NATS, confidence_of, is_repeat, status_of
from gullywind.core.judge.notes import break_notes, drift_notes, part_notes, placed_notes
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.measure.bend import bent_piece
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.evidence import NO_RIVAL, Alignment, Candidate, Curve, Status, Support
from gullywind.core.measure.explained import explained_share
from gullywind.core.measure.unevenness import unevenness
from gullywind.core.measure.windows import Line, MapAll, overlap_s
from gullywind.core.places.accumulate import accumulate, recording_grid, reference_grid
from gullywind.core.places.verify import FINE_TOLERANCE_S, Refined, Verified, chance_nats, window_agrees
from gullywind.core.places.weigh import MOST_WEIGHED_WINDOWS

#: Places with less than this share of the best one's score are no alternatives.
MOST_CANDIDATES, LEAST_CANDIDATE = 5, 0.1
#: Windows of this quality are worth a look for breaks though few of them agree.
HOPE_QUALITY = 7.0
#: A clock this near to the reference's, in standard errors, and an offset this near to a whole sample, are taken as
#: exact: then samples can be copied untouched.
EXACT_ERRORS, EXACT_PPM = 3.0, 0.05
EXACT_SAMPLES = 0.02
#: Where so much is explained nothing is missing; where agreement is no more than so many nats there is no question.
WELL_EXPLAINED, WORTH_NATS = 0.9, 3.0
#: Some windows' mean agreement is below this by chance.
LEAST_AGREEMENT = 0.02
#: Agreements nearer than this are equal, however steady their difference.
LEAST_AGREEMENT_ERROR = 0.002


def judge(
    refined_all: Sequence[Refined], verified: Sequence[Verified], notes: tuple[Note, ...], curve: Curve
) -> Alignment:
    """Judge the best of several refined places.

    Parameters
    ----------
    refined_all : best first, at least one.
    verified : all places that were checked.
    notes : what is known of the recording already.

    The residual is left open: only a proof may fill it.
    """
    refined, best = refined_all[0], refined_all[0].verified
    rivals = _rivals(refined_all, verified)
    equals = [one for one in rivals if not one.support.is_outweighed_by(refined.support)]
    rival = max((one.support for one in equals), key=lambda s: s.score, default=None)
    support = replace(
        refined.support,
        chance_nats=max(refined.support.chance_nats, best.support.chance_nats),
        lead=min((_lead(_agreements(refined), one) for one in equals if isinstance(one, Refined)), default=NO_RIVAL),
    )
    support = _with_height(support, refined, best)
    support = _with_unevenness(support, refined, best, refined.line.to_recording)
    confidence = confidence_of(support)
    status = status_of(confidence, support, rival)
    line = refined.line if refined.bend else _exact(refined, best)
    # Times of a view at another speed are true seconds; the file counts its own.
    speed = best.recording.speed
    duration_s = best.recording.duration_s
    candidates = _candidates(line, support.score, rivals, speed)
    polarity = _polarity([lag for lag in refined.lags if abs(lag.lag_s) <= FINE_TOLERANCE_S] or refined.lags)
    if status is Status.UNPLACED:
        return Alignment(
            status,
            None,
            polarity,
            confidence,
            candidates,
            None,
            notes,
            trace=refined.lags,
            curve=curve,
            support=support,
            rival_support=rival,
        )
    time_map = (
        TimeMap((bent_piece(line, refined.bend, duration_s, speed),))
        if refined.bend
        else TimeMap.placement(line.offset_s, line.rate * speed, duration_s * speed)
    )
    more = placed_notes(time_map, speed, polarity, best, support.overlap_s)
    more += part_notes(status, support)
    if rival and is_repeat(support, rival):
        where = ", ".join(f"{c.offset_s:.3f} s" for c in candidates[1:3])
        more.append(Note("repeats", f"Other places fit nearly as well: {where}."))
    return Alignment(
        status,
        time_map,
        polarity,
        confidence,
        candidates,
        None,
        (*notes, *more),
        trace=refined.lags,
        curve=curve,
        ppm_error=None if refined.bend else refined.fit.ppm_error,
        offset_error_s=None if refined.bend else refined.fit.offset_error_s,
        error_at_s=None if refined.bend else refined.fit.middle_s,
        support=support,
        rival_support=rival,
    )


def judge_pieces(
    judged: Alignment,
    refined_all: Sequence[Refined],
    verified: Sequence[Verified],
    ref: Heard,
    rec: Heard,
    map_all: MapAll,
) -> Alignment:
    """The same judgement in pieces, where part of the windows agree elsewhere."""
    refined = refined_all[0]
    agreeing = [window_agrees(lag) for lag in refined.lags]
    support = judged.support
    # Many pieces leave each with few windows: clear ones are hope enough, the pieces must then prove themselves.
    if support is None or all(agreeing) or sum(agreeing) < 2 or support.quality < HOPE_QUALITY:
        return judged
    views = ref.view, rec.view
    if not may_be_broken(*views, refined.line, refined.lags, window_s=refined.window_s, map_all=map_all):
        return judged
    broken = find_breaks((ref.view, ref.features), (rec.view, rec.features), refined.line, map_all=map_all)
    if broken is None:
        return judged
    speed, rate = rec.view.speed, broken.line.rate
    pieces = []
    for one in broken.stretches:
        offset_s = broken.line.offset_s + one.jump_s
        knots = ((one.start_s / rate + offset_s, one.start_s * speed), (one.end_s / rate + offset_s, one.end_s * speed))
        if not (knots[1][0] > knots[0][0] and knots[1][1] > knots[0][1]):
            return judged
        pieces.append(Piece(knots))
    # Where another piece lies is no rival place.
    own_s = [broken.line.offset_s + one.jump_s for one in broken.stretches]
    rivals = [one for one in _rivals(refined_all, verified) if min(abs(one.line.offset_s - s) for s in own_s) > 0.1]
    rival = max((one.support for one in rivals), key=lambda s: s.score, default=None)
    agreement = np.array([max(lag.agreement, 0.0) for lag in broken.lags])
    leads = [_lead((broken.t_rec, agreement), one, outside=0.0) for one in rivals if isinstance(one, Refined)]
    chance = chance_nats(broken.windows, len(broken.lags), chosen=len(broken.stretches) + 1)
    support = replace(
        support,
        windows=broken.windows,
        agreeing=len(broken.lags),
        chance_nats=max(chance, support.chance_nats),
        score=float(agreement.mean()),
        explained=explained_share(broken.lags),
        lead=min(leads, default=NO_RIVAL),
        unevenness=0.0,
    )
    try:
        time_map = TimeMap(tuple(pieces))
    except InputError:
        # Pieces that do not follow each other are no proof of breaks; the straight line stands.
        return judged
    support = _with_unevenness(support, refined, refined.verified, lambda t: time_map.to_recording(t) / speed)
    confidence = confidence_of(support)
    status = status_of(confidence, support, rival)
    notes = [note for note in judged.notes if note.code not in ("clock-drift", "repeats", "part-alike")]
    notes += drift_notes(time_map, speed) + break_notes(time_map) + part_notes(status, support)
    return replace(
        judged,
        status=status,
        confidence=confidence,
        time_map=time_map,
        candidates=_candidates(broken.line, support.score, rivals, speed),
        rival_support=rival,
        support=support,
        notes=tuple(notes),
    )


def _with_height(support: Support, refined: Refined, best: Verified) -> Support:
    """The sum over the whole overlap, of a place that was plain without it, where its few windows say too little."""
    if best.place.windows > 1 or support.chance_nats >= MOST_NATS:
        return support
    grids = reference_grid(best.reference), recording_grid(best.recording, most_windows=MOST_WEIGHED_WINDOWS)
    (found,) = accumulate(*grids, [refined.line], most_windows=MOST_WEIGHED_WINDOWS)
    return replace(support, height=found.height if found else 0.0)


def _with_unevenness(
    support: Support, refined: Refined, best: Verified, to_recording: Callable[[Floats], Floats]
) -> Support:
    """What is not explained may be covered or missing: it is looked into where that is the question."""
    if support.explained >= WELL_EXPLAINED or support.chance_nats < WORTH_NATS:
        return support
    bend = refined.bend

    def bent(t_ref: Floats) -> Floats:
        return to_recording(t_ref) + (bend.late_s(t_ref) if bend else 0.0)

    overlap = overlap_s(refined.line, best.reference, best.recording)
    return replace(support, unevenness=unevenness(best.reference, best.recording, bent, *overlap))


def unplaced(notes: tuple[Note, ...], curve: Curve | None = None) -> Alignment:
    """The judgement where nothing speaks for any place."""
    return Alignment(Status.UNPLACED, None, 1, 0.0, (), None, notes, curve=curve)


def _rivals(refined_all: Sequence[Refined], verified: Sequence[Verified]) -> list[Refined | Verified]:
    """All other places, best first; refined ones stand for their first check."""
    done = {id(one.verified) for one in refined_all}
    rivals: list[Refined | Verified] = [*refined_all[1:], *(one for one in verified if id(one) not in done)]
    return sorted(rivals, key=lambda one: -one.support.score)


def _polarity(lags: Sequence[WindowLag]) -> int:
    """The sign with which the sound of speech's range agrees; where it says nothing, that of the windows' peaks.

    A microphone turns the phase of what is highest by up to half a turn, and under a crowd only that may agree: then
    the highest peak has the wrong sign, though all windows show it.
    """
    agreement = float(np.mean([lag.polarity * lag.agreement for lag in lags]))
    if abs(agreement) < LEAST_AGREEMENT:
        agreement = sum(lag.polarity * lag.quality for lag in lags)
    return 1 if agreement >= 0 else -1


def _candidates(best: Line, score: float, rivals: Sequence[Refined | Verified], speed: float) -> tuple[Candidate, ...]:
    """The best place and what else may be tried, in stated seconds of the file."""
    others = [(one.line, one.support.score) for one in rivals if one.support.score >= LEAST_CANDIDATE * score]
    chosen = [(best, score), *others][:MOST_CANDIDATES]
    return tuple(Candidate(line.offset_s, line.rate * speed, round(height, 4)) for line, height in chosen)


def _agreements(refined: Refined) -> tuple[Floats, Floats]:
    """Recording times and agreements of a place's windows, each shape (windows,)."""
    t_rec = refined.line.to_recording(np.array([lag.t_ref for lag in refined.lags]))
    return t_rec, np.array([lag.agreement for lag in refined.lags])


def _lead(ours: tuple[Floats, Floats], rival: Refined, *, outside: float | None = None) -> float:
    """How surely windows agree better than a rival's, in standard errors of the paired differences.

    Parameters
    ----------
    ours : recording times and agreements, each shape (windows,).
    outside : what a rival is given where it has no windows; None: what it has nearest to there.
    """
    ahead = ours[1] - np.interp(ours[0], *_agreements(rival), left=outside, right=outside)
    error = float(ahead.std()) / np.sqrt(ahead.size) + LEAST_AGREEMENT_ERROR
    return float(np.clip(ahead.mean() / error, 0.0, NO_RIVAL))


def _exact(refined: Refined, best: Verified) -> Line:
    """The fitted line, or the exact one that it cannot be told from: rate 1, and a whole-sample offset."""
    line, fit = refined.line, refined.fit
    if abs(fit.clock_ppm) > min(EXACT_ERRORS * fit.ppm_error, EXACT_PPM) and abs(fit.clock_ppm) > 2e-4:
        return line
    used = np.abs([lag.lag_s for lag in refined.lags]) <= FINE_TOLERANCE_S
    t_ref = np.array([lag.t_ref for lag in refined.lags])[used]
    # With the rate held at 1 the offset is the line's at the windows' middle.
    middle = float(np.median(t_ref))
    offset_s = middle - float(line.to_recording(np.array([middle]))[0])
    rate_hz = best.reference.sample_rate_hz
    if best.recording.sample_rate_hz == rate_hz:
        whole = round(offset_s * rate_hz)
        if abs(offset_s * rate_hz - whole) <= min(EXACT_SAMPLES, 5 * fit.offset_error_s * rate_hz + 0.002):
            offset_s = whole / rate_hz
    return Line(offset_s, 1.0)
