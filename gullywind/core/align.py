"""Places one recording against the reference: search, verify at full rate, fit the clock, judge. Times in s."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from gullywind.core.breaks import Broken, find_breaks
from gullywind.core.confidence import confidence_of, is_repeat, status_of
from gullywind.core.correlate import WindowLag
from gullywind.core.evidence import NO_RIVAL, Alignment, Candidate, Curve, Note, Residual, Status
from gullywind.core.features.extract import Heard, listen
from gullywind.core.search import MatchCurve, ReferenceIndex, search_offsets
from gullywind.core.sound import SampleSource, listening_views
from gullywind.core.speed import best_speeds, speed_note
from gullywind.core.time_map import Piece, TimeMap
from gullywind.core.units import Checkpoint, clock_time, no_checkpoint
from gullywind.core.verify import (
    FINE_TOLERANCE_S,
    LONGEST,
    LOOKS,
    Refined,
    Verified,
    chance_nats,
    fine_window_s,
    refine_line,
    verify_place,
    window_agrees,
)
from gullywind.core.windows import Line, MapAll

MOST_CANDIDATES = 5
#: A place this well supported needs no second, longer look.
STRONG_NATS, STRONG_QUALITY = 12.0, 8.0
#: Coarse rivals below this share of the best are not checked once the best has proved strong.
RIVAL_SHARE = 0.6
MOST_LONG_LOOKS = 5
#: Rivals that agree with themselves this well, and have this share of the best one's score, are refined too.
RIVAL_NATS, RIVAL_SCORE = 5.0, 0.5
#: So are those that the search found nearly as good: in noise the first check may have missed them.
EQUAL_PLACE = 0.85
#: Windows of this quality are worth a look for breaks though few of them agree.
HOPE_QUALITY = 7.0
#: A clock this near to the reference's, in standard errors, and an offset this near to a whole sample, are taken as
#: exact: then samples can be copied untouched.
EXACT_ERRORS, EXACT_PPM = 3.0, 0.05
EXACT_SAMPLES = 0.02
SHORT_OVERLAP_S = 3.0
#: Agreements nearer than this are equal, however steady their difference.
LEAST_AGREEMENT_ERROR = 0.002


#: A search's result with the two views it was made of.
Searched = tuple[MatchCurve, Heard, Heard]


@dataclass(frozen=True, eq=False)
class PreparedReference:
    """The reference's views with their search indices; made once, shared by all recordings."""

    heard: tuple[Heard, ...]
    indices: tuple[ReferenceIndex, ...]


def prepare_reference(source: SampleSource, *, checkpoint: Checkpoint = no_checkpoint) -> PreparedReference:
    """Listen to the reference once."""
    heard = hear(source, checkpoint=checkpoint)
    return PreparedReference(heard, tuple(ReferenceIndex(one.features) for one in heard))


def hear(source: SampleSource, *, checkpoint: Checkpoint = no_checkpoint) -> tuple[Heard, ...]:
    """Features of each listening view of a source."""
    views = listening_views(source)
    share = 1 / len(views)
    return tuple(
        listen(view, checkpoint=lambda done, i=i: checkpoint((i + done) * share))  # type: ignore[misc]
        for i, view in enumerate(views)
    )


def align_recording(
    reference: PreparedReference,
    recording: Sequence[Heard],
    *,
    map_all: MapAll = map,
    checkpoint: Checkpoint = no_checkpoint,
) -> Alignment:
    """Find the place and clock of a recording of the same event.

    Parameters
    ----------
    reference, recording : what was heard of both, all views.
    map_all : runs windows, perhaps in parallel.

    Returns
    -------
    Alignment : `placed`, `unsure` or `unplaced`, with its evidence.
    """
    notes = _heard_notes(recording)
    if all(one.silent for one in recording) or all(one.silent for one in reference.heard):
        whose = "The recording" if all(one.silent for one in recording) else "The reference"
        return _nothing((*notes, Note("silent", f"{whose} is silent: there is nothing to line up by.")))
    searched = [
        (search_offsets(index, one.features), ref, one)
        for ref, index in zip(reference.heard, reference.indices, strict=True)
        for one in recording
        if not one.silent and not ref.silent
    ]
    checkpoint(0.4)
    alignment = _place(searched, notes, map_all, checkpoint)
    # Where the sound agrees as it is, another speed is no question, however many places agree.
    proved = alignment.support is not None and alignment.support.chance_nats >= STRONG_NATS
    if alignment.status is not Status.PLACED and not proved:
        alignment = _at_other_speeds(reference, recording, notes, map_all) or alignment
    checkpoint(0.95)
    return alignment


def _place(searched: Sequence[Searched], notes: tuple[Note, ...], map_all: MapAll, checkpoint: Checkpoint) -> Alignment:
    curve = max((curve for curve, _, _ in searched), key=lambda c: float(c.heights.max(initial=0.0)))
    verified = _verify(searched, map_all, checkpoint)
    shown = Curve(curve.start_s, curve.step_s, curve.heights)
    if not verified:
        return _nothing(notes, shown)
    refined = _refine(verified, map_all)
    judged = _judge(refined, verified, notes, shown)
    heard = {(ref.view, rec.view): (ref, rec) for _, ref, rec in searched}
    best = refined[0].verified
    return _with_breaks(judged, refined, verified, *heard[(best.reference, best.recording)], map_all)


def _with_breaks(
    judged: Alignment,
    refined_all: Sequence[Refined],
    verified: Sequence[Verified],
    ref: Heard,
    rec: Heard,
    map_all: MapAll,
) -> Alignment:
    """The same judgement in pieces, where part of the windows agree elsewhere."""
    refined = refined_all[0]
    agreeing = [window_agrees(lag.lag_s * 1e3, lag.quality) for lag in refined.lags]
    support = judged.support
    # Many pieces leave each with few windows: clear ones are hope enough, the pieces must then prove themselves.
    if support is None or all(agreeing) or sum(agreeing) < 2 or support.quality < HOPE_QUALITY:
        return judged
    broken = find_breaks((ref.view, ref.features), (rec.view, rec.features), refined.line, map_all=map_all)
    if broken is None:
        return judged
    speed, rate = rec.view.speed, broken.line.rate
    pieces = []
    for one in broken.stretches:
        offset_s = broken.line.offset_s + one.jump_s
        knots = ((one.start_s / rate + offset_s, one.start_s * speed), (one.end_s / rate + offset_s, one.end_s * speed))
        pieces.append(Piece(knots))
    # Where another piece lies is no rival place.
    own_s = [broken.line.offset_s + one.jump_s for one in broken.stretches]
    rivals = [one for one in _rivals(refined_all, verified) if min(abs(one.line.offset_s - s) for s in own_s) > 0.1]
    rival = max((one.support for one in rivals), key=lambda s: s.score, default=None)
    leads = [_lead(refined, one) for one in rivals if isinstance(one, Refined)]
    chance = chance_nats(broken.windows, len(broken.lags), chosen=len(broken.stretches) + 1)
    support = replace(
        support,
        windows=broken.windows,
        agreeing=len(broken.lags),
        chance_nats=max(chance, support.chance_nats),
        score=float(np.mean([max(lag.agreement, 0.0) for lag in broken.lags])),
        lead=min(leads, default=NO_RIVAL),
    )
    confidence = confidence_of(support, rival)
    notes = [note for note in judged.notes if note.code not in ("clock-drift", "repeats")]
    notes += _drift_note(rate, rec.view.duration_s) + _break_notes(broken, speed)
    first = Candidate(broken.line.offset_s, rate * speed, round(support.score, 4))
    others = [Candidate(one.line.offset_s, one.line.rate * speed, round(one.support.score, 4)) for one in rivals]
    return replace(
        judged,
        status=status_of(confidence, support, rival),
        confidence=confidence,
        time_map=TimeMap(tuple(pieces)),
        candidates=(first, *others)[:MOST_CANDIDATES],
        rival_support=rival,
        residual=_residual(broken.lags),
        trace=broken.lags,
        support=support,
        notes=tuple(notes),
    )


def _break_notes(broken: Broken, speed: float) -> list[Note]:
    notes = []
    for before, after in pairwise(broken.stretches):
        jump_s = after.jump_s - before.jump_s
        at = clock_time(before.end_s * speed)
        words = f"Paused for {jump_s:.2f} s" if jump_s > 0 else f"{-jump_s:.2f} s too much were recorded"
        notes.append(Note("break", f"{words} at {at} of its own time."))
    return notes


def _at_other_speeds(
    reference: PreparedReference, recording: Sequence[Heard], notes: tuple[Note, ...], map_all: MapAll
) -> Alignment | None:
    """The placement at a known other speed, None where none is sure."""
    ref, index = reference.heard[0], reference.indices[0]
    for one in recording:
        for speed, heard, curve in best_speeds(index, one, one.view.source.sample_rate_hz):
            found = _place([(curve, ref, heard)], notes, map_all, no_checkpoint)
            if found.status is Status.PLACED:
                return replace(found, notes=(speed_note(speed), *found.notes))
    return None


def _verify(searched: Sequence[Searched], map_all: MapAll, checkpoint: Checkpoint) -> list[Verified]:
    """Places after the full-rate check, best first; several views' places are pooled."""
    places = sorted(
        ((place, ref, rec) for curve, ref, rec in searched for place in curve.places), key=lambda p: -p[0].z
    )
    places = places[:12]
    verified: list[Verified] = []
    for round_, look in enumerate(LOOKS):
        if look is LONGEST:
            # Longer looks are dear: only where the short ones or the envelope gave most hope.
            hope = {id(one.place): _strength(one) for one in verified}
            places = sorted(places, key=lambda p: -hope.get(id(p[0]), 0.0))[:MOST_LONG_LOOKS]
        for i, (place, ref, rec) in enumerate(places):
            strongest = max(verified, key=_strength, default=None)
            if strongest and _is_strong(strongest) and place.z < RIVAL_SHARE * strongest.place.z:
                continue
            one = verify_place(ref.view, rec.view, place, look=look, map_all=map_all)
            if one:
                verified.append(one)
            checkpoint(0.4 + 0.5 * (round_ + i / len(places)) / len(LOOKS))
        if verified and _is_strong(max(verified, key=_strength)):
            break
    verified.sort(key=_strength, reverse=True)
    kept: list[Verified] = []
    for one in verified:
        if all(abs(one.line.offset_s - other.line.offset_s) > 0.05 for other in kept):
            kept.append(one)
    return kept


def _strength(verified: Verified) -> float:
    support = verified.support
    return support.chance_nats * (0.02 + support.score) + 1e-3 * support.envelope_z


def _is_strong(verified: Verified) -> bool:
    return verified.support.chance_nats >= STRONG_NATS and verified.support.quality >= STRONG_QUALITY


def _refine(verified: Sequence[Verified], map_all: MapAll) -> list[Refined]:
    """The best place and all that come near it, refined alike, best first.

    In repeating music several places agree with themselves; only the whole overlap, measured in the same windows, tells
    which one agrees most.
    """
    best = verified[0]
    near = [
        one
        for one in verified[1:]
        if (one.support.chance_nats >= RIVAL_NATS and one.support.score >= RIVAL_SCORE * best.support.score)
        or one.place.z >= EQUAL_PLACE * best.place.z
    ]
    window_s = fine_window_s(best.support.quality)
    refined = [refine_line(one, window_s=window_s, map_all=map_all) for one in [best, *near[: MOST_CANDIDATES - 1]]]
    return sorted(refined, key=lambda r: -r.support.score * (0.02 + r.support.chance_nats))


def _judge(
    refined_all: Sequence[Refined], verified: Sequence[Verified], notes: tuple[Note, ...], curve: Curve
) -> Alignment:
    refined, best = refined_all[0], refined_all[0].verified
    rivals = _rivals(refined_all, verified)
    rival = max((one.support for one in rivals), key=lambda s: s.score, default=None)
    support = replace(
        refined.support,
        chance_nats=max(refined.support.chance_nats, best.support.chance_nats),
        lead=min((_lead(refined, other) for other in refined_all[1:]), default=NO_RIVAL),
    )
    confidence = confidence_of(support, rival)
    status = status_of(confidence, support, rival)
    line = _exact(refined, best)
    # Times of a view at another speed are true seconds; the file counts its own.
    speed = best.recording.speed
    duration_s = best.recording.duration_s
    candidates = [Candidate(line.offset_s, line.rate * speed, round(support.score, 4))]
    candidates += [Candidate(one.line.offset_s, one.line.rate * speed, round(one.support.score, 4)) for one in rivals]
    agreeing = [lag for lag in refined.lags if abs(lag.lag_s) <= FINE_TOLERANCE_S] or list(refined.lags)
    polarity = 1 if sum(lag.polarity * lag.quality for lag in agreeing) >= 0 else -1
    residual = _residual(refined.lags)
    if status is Status.UNPLACED:
        return Alignment(
            status,
            None,
            polarity,
            confidence,
            tuple(candidates[:MOST_CANDIDATES]),
            None,
            notes,
            trace=refined.lags,
            curve=curve,
            support=support,
            rival_support=rival,
        )
    more = _placed_notes(line, duration_s, polarity, best, support.overlap_s)
    if rival and is_repeat(support, rival):
        where = ", ".join(f"{c.offset_s:.3f} s" for c in candidates[1:3])
        more.append(Note("repeats", f"Other places fit nearly as well: {where}."))
    return Alignment(
        status,
        TimeMap.placement(line.offset_s, line.rate * speed, duration_s * speed),
        polarity,
        confidence,
        tuple(candidates[:MOST_CANDIDATES]),
        residual,
        (*notes, *more),
        trace=refined.lags,
        curve=curve,
        ppm_error=refined.fit.ppm_error,
        support=support,
        rival_support=rival,
    )


def _rivals(refined_all: Sequence[Refined], verified: Sequence[Verified]) -> list[Refined | Verified]:
    """All other places, best first; refined ones stand for their first check."""
    done = {id(one.verified) for one in refined_all}
    rivals: list[Refined | Verified] = [*refined_all[1:], *(one for one in verified if id(one) not in done)]
    return sorted(rivals, key=lambda one: -one.support.score)


def _lead(best: Refined, rival: Refined) -> float:
    """How surely the best place's windows agree better than a rival's, in standard errors of the paired differences."""
    ours, theirs = (
        (
            one.line.to_recording(np.array([lag.t_ref for lag in one.lags])),
            np.array([lag.agreement for lag in one.lags]),
        )
        for one in (best, rival)
    )
    ahead = ours[1] - np.interp(ours[0], *theirs)
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


def _residual(lags: Sequence[WindowLag]) -> Residual:
    late_ms = np.abs([lag.lag_s for lag in lags]) * 1e3
    used = late_ms[late_ms <= FINE_TOLERANCE_S * 1e3]
    if not used.size:
        used = late_ms
    return Residual(float(np.median(used)), float(np.percentile(used, 95)), int(used.size))


def _heard_notes(recording: Sequence[Heard]) -> tuple[Note, ...]:
    notes = []
    clipped = max(one.clipped_samples for one in recording)
    if clipped:
        notes.append(Note("clipped", f"Clips: {clipped} samples stand at full scale."))
    return tuple(notes)


def _placed_notes(line: Line, duration_s: float, polarity: int, best: Verified, overlap: float) -> list[Note]:
    notes = _drift_note(line.rate, duration_s)
    if polarity < 0:
        notes.append(Note("inverted", "Inverted against the reference."))
    used, there = best.recording.channels, best.recording.source.channels
    if there > 1 and len(used) == 1:
        notes.append(Note("one-channel", f"Lined up by channel {used[0] + 1} of {there} alone."))
    if overlap < SHORT_OVERLAP_S:
        notes.append(Note("short-overlap", f"Only {overlap:.1f} s lie within the reference."))
    return notes


def _drift_note(rate: float, duration_s: float) -> list[Note]:
    ppm = (rate - 1) * 1e6
    slid_ms = abs(ppm) * 1e-3 * duration_s
    if slid_ms < 0.1 or abs(ppm) < 0.05:
        return []
    way = "fast" if ppm > 0 else "slow"
    return [Note("clock-drift", f"Runs {abs(ppm):.1f} ppm {way}: {_ms(slid_ms)} over its length.")]


def _ms(value_ms: float) -> str:
    return f"{value_ms:.0f} ms" if value_ms >= 10 else f"{value_ms:.1f} ms"


def _nothing(notes: tuple[Note, ...], curve: Curve | None = None) -> Alignment:
    return Alignment(Status.UNPLACED, None, 1, 0.0, (), None, notes, curve=curve)
