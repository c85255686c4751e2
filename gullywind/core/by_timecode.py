"""Places by timecode, and what is to be said where it and the sound disagree. Times in s."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.ground.timecode import Counting
from gullywind.core.ground.words import Note, readable
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Alignment, Candidate, Status, Way
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.timecode import CodeSource, Timecode, code_of_label, codes_of_file, offset_by_code

#: Timecode tells a frame; what lies within one and a half agrees.
AGREES_FRAMES = 1.5
#: What no more than this is off a whole number of seconds, or of frames, is meant as one.
WHOLE_S, WHOLE_FRAMES = 0.01, 0.1
#: Two clocks whose code runs this much apart are not told by it: a tape is off by more.
MOST_CODE_CLOCK = 5e-4
#: Timecode, where that of another recording was found right, and where nothing speaks for or against it.
TRUSTED_CONFIDENCE, ALONE_CONFIDENCE = 0.95, 0.6
#: Places of the sound that are told beside it.
MOST_OTHERS = 4


@dataclass(frozen=True, eq=False)
class Coded:
    """A recording with its judgement by other ways, None where there is none, and what it says of its time."""

    duration_s: float
    codes: tuple[Timecode, ...]
    alignment: Alignment | None


def code_of_runs(runs: Iterable[TimecodeRun]) -> Timecode | None:
    """The timecode that is heard, by its longest run."""
    best = max(runs, key=lambda one: one.frames / float(one.rate), default=None)
    if best is None:
        return None
    return code_of_label(CodeSource.SOUND, Counting(best.rate, best.drop_frame), best.start, best.at_s, best.speed)


def codes_of(facts: MediaFacts, runs: Iterable[TimecodeRun], rate: Fraction | None = None) -> tuple[Timecode, ...]:
    """What a recording says of its time, the most trustworthy first; counted at `rate` where it does not say."""
    sounding = code_of_runs(runs)
    return (*([sounding] if sounding else []), *codes_of_file(facts, rate))


def code_agrees(reference: Timecode, offset_s: float, start_s: float) -> bool:
    """Whether an offset by timecode is the same as where a recording starts, as far as timecode can tell, s."""
    return abs(offset_s - start_s) <= AGREES_FRAMES / float(reference.counting.rate)


def place_by_code(
    reference: Sequence[Timecode], reference_s: float, recordings: Sequence[Coded], *, trusted: bool = False
) -> list[Alignment | None]:
    """The judgement on each recording once its timecode is taken into account; what it was where that says nothing.

    Where sound and timecode agree, the sound's place is the sharper one, and one of several that the sound cannot tell
    apart is chosen. Where they disagree the sound stands, and it is said by how much. Where the sound says nothing, the
    timecode gives the place: sure where it is `trusted`, since a person asks for nothing else, or since that of another
    recording was found right by its sound; else a suggestion.
    """
    if not reference:
        return [one.alignment for one in recordings]
    main = reference[0]
    trusted = trusted or any(_agreeing(main, one) for one in recordings)
    return [_placed(main, reference_s, one, trusted=trusted) for one in recordings]


def _agreeing(reference: Timecode, one: Coded) -> bool:
    judged = one.alignment
    if judged is None or judged.status is not Status.PLACED or judged.time_map is None or judged.by is Way.TIMECODE:
        return False
    start_s = judged.time_map.offset_s
    return any(code_agrees(reference, offset_by_code(reference, code), start_s) for code in one.codes)


def _placed(reference: Timecode, reference_s: float, one: Coded, *, trusted: bool) -> Alignment | None:
    if not one.codes:
        return one.alignment
    code = one.codes[0]
    offset_s = offset_by_code(reference, code)
    rate = reference.speed / code.speed if {reference.source, code.source} == {CodeSource.SOUND} else 1.0
    rate = rate if abs(rate - 1) <= MOST_CODE_CLOCK else 1.0
    judged = one.alignment
    if judged is not None and judged.status is Status.PLACED and judged.time_map is not None:
        start_s = judged.time_map.offset_s
        if code_agrees(reference, offset_s, start_s):
            return judged
        return replace(judged, notes=(*judged.notes, _disagreement(offset_s - start_s, reference)))
    if judged is not None and judged.status is Status.UNSURE:
        chosen = next((c for c in judged.candidates if code_agrees(reference, offset_s, c.offset_s)), None)
        if chosen is not None:
            return _chosen(judged, chosen, one.duration_s)
    if not (offset_s < reference_s and offset_s + one.duration_s / rate > 0):
        # Not at the same time: the timecode says that it does not belong here, as the sound does.
        return judged
    return _by_code_alone(judged, TimeMap.placement(offset_s, rate, one.duration_s), code, trusted=trusted)


def _chosen(judged: Alignment, chosen: Candidate, duration_s: float) -> Alignment:
    """The place among several of the sound's that the timecode names."""
    time_map = judged.time_map
    if time_map is None or abs(time_map.offset_s - chosen.offset_s) > 1e-9:
        judged, time_map = _unproved(judged), TimeMap.placement(chosen.offset_s, chosen.rate, duration_s)
    others = tuple(one for one in judged.candidates if one is not chosen)
    note = Note("by-timecode", "Of the places that its sound allows its timecode names this one.")
    return replace(
        judged,
        status=Status.PLACED,
        time_map=time_map,
        confidence=TRUSTED_CONFIDENCE,
        candidates=(chosen, *others),
        notes=(*(n for n in judged.notes if n.code not in ("repeats", "part-alike")), note),
        by=Way.TIMECODE,
    )


def _by_code_alone(judged: Alignment | None, time_map: TimeMap, code: Timecode, *, trusted: bool) -> Alignment:
    placed = Candidate(time_map.offset_s, time_map.rate, 0.0)
    words = "Placed by its timecode, {}."
    if not trusted:
        words = "By its timecode, {}, it would lie here; nothing else says so: listen to it."
    status = Status.PLACED if trusted else Status.UNSURE
    confidence = TRUSTED_CONFIDENCE if trusted else ALONE_CONFIDENCE
    note = Note("by-timecode", words.format(code.start))
    if judged is None:
        return Alignment(status, time_map, 1, confidence, (placed,), None, (note,), by=Way.TIMECODE)
    kept = judged.candidates[:MOST_OTHERS] if judged.status is Status.UNSURE else ()
    return replace(
        _unproved(judged),
        status=status,
        time_map=time_map,
        polarity=1,
        confidence=confidence,
        candidates=(placed, *kept),
        notes=(*judged.notes, note),
        by=Way.TIMECODE,
    )


def _unproved(judged: Alignment) -> Alignment:
    """Without what was measured at the place that it had."""
    return replace(judged, residual=None, trace=(), window_s=None)


def _disagreement(by_s: float, reference: Timecode) -> Note:
    """By how much the timecode differs from the sound, as the whole number that it may be."""
    rate = float(reference.counting.rate)
    later = "later" if by_s > 0 else "earlier"
    much, frames = abs(by_s), abs(by_s) * rate
    if much >= 0.5 and abs(much - round(much)) <= WHOLE_S:
        what = _whole_time(round(much))
    elif abs(frames - round(frames)) <= WHOLE_FRAMES:
        what = f"{round(frames)} frames"
    else:
        what = readable(much)
    return Note("timecode-disagrees", f"Its timecode says {what} {later} than its sound. It was placed by its sound.")


def _whole_time(seconds: int) -> str:
    """A whole number of seconds, minutes or hours, as what it is."""
    for unit, name in ((3600, "hour"), (60, "minute"), (1, "second")):
        if seconds % unit == 0:
            count = seconds // unit
            return f"exactly {count} {name}{'s' if count > 1 else ''}"
    raise AssertionError("every whole number of seconds is one of seconds")
