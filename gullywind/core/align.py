"""Places one recording against the reference: search, verify at full rate, fit the clock, judge, prove. Times in s."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from gullywind.core.features.extract import Heard, listen
from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.ground.words import Note
from gullywind.core.judge.along_course import judge_courses, proved_course
from gullywind.core.judge.judge import judge, judge_pieces, unplaced
from gullywind.core.judge.notes import heard_notes, silent_note
from gullywind.core.measure.correlate import WindowLag
from gullywind.core.measure.evidence import Alignment, Curve, Status
from gullywind.core.measure.windows import MapAll
from gullywind.core.places.find import ABOUT_AS_LONG, MUCH_LONGER, STRONG_NATS, broken_instead, find_places
from gullywind.core.places.search import ReferenceIndex, search_offsets
from gullywind.core.places.speeds import best_speeds, speed_note
from gullywind.core.places.verify import LOOKS, Look, Refined
from gullywind.core.places.weigh import Searched
from gullywind.core.proof import proof_window_s, prove
from gullywind.core.sound.views import SampleSource

#: Places that the search gives to be weighed; the right one is nearly always among so many.
PLACES = 24


@dataclass(frozen=True, eq=False)
class PreparedReference:
    """The reference's views with their search indices; made once, shared by all recordings."""

    heard: tuple[Heard, ...]
    indices: tuple[ReferenceIndex, ...]


def prepare_reference(source: SampleSource, *, checkpoint: Checkpoint = no_checkpoint) -> PreparedReference:
    """Listen to the reference once."""
    return index_reference(hear(source, checkpoint=checkpoint))


def index_reference(heard: tuple[Heard, ...]) -> PreparedReference:
    """Make what was heard of the reference ready for searches."""
    return PreparedReference(heard, tuple(ReferenceIndex(one.features) for one in heard))


def hear(source: SampleSource, *, checkpoint: Checkpoint = no_checkpoint) -> tuple[Heard, ...]:
    """Features of each listening view of a source."""
    return listen(source, checkpoint=checkpoint)


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
    notes = heard_notes(recording)
    if all(one.silent for one in recording) or all(one.silent for one in reference.heard):
        return unplaced((*notes, silent_note(reference.heard, recording)))
    searched = [
        Searched(search_offsets(index, one.features, most_places=PLACES), index, ref, one)
        for ref, index in zip(reference.heard, reference.indices, strict=True)
        for one in recording
        if not one.silent and not ref.silent
    ]
    checkpoint(0.4)
    watched = _Watched(map_all, checkpoint)
    map_all, checkpoint = watched.map_all, watched.report
    alignment = _place(searched, notes, map_all, checkpoint)
    # Where the sound agrees as it is, another speed is no question, however many places agree.
    proved = alignment.support is not None and alignment.support.chance_nats >= STRONG_NATS
    if alignment.status is not Status.PLACED:
        alignment = _along_course(searched, notes, alignment, map_all, checkpoint)
    if alignment.status is not Status.PLACED and not proved:
        alignment = _at_other_speeds(reference, recording, notes, map_all, checkpoint) or alignment
    checkpoint(0.95)
    return alignment


class _Watched:
    """Progress that can be stopped between any two windows: long files have many, and each stage few reports."""

    def __init__(self, map_all: MapAll, checkpoint: Checkpoint) -> None:
        self._map_all, self._checkpoint, self._done = map_all, checkpoint, 0.4

    def report(self, fraction_done: float) -> None:
        self._done = max(self._done, fraction_done)
        self._checkpoint(self._done)

    def map_all(
        self, measure: Callable[[float], WindowLag | None], centres_s: Iterable[float]
    ) -> Iterator[WindowLag | None]:
        for lag in self._map_all(measure, centres_s):
            self._checkpoint(self._done)
            yield lag


def _place(
    searched: Sequence[Searched],
    notes: tuple[Note, ...],
    map_all: MapAll,
    checkpoint: Checkpoint,
    looks: Sequence[Look] = LOOKS,
) -> Alignment:
    curve = max((one.curve for one in searched), key=lambda c: float(c.heights.max(initial=0.0)))
    refined, verified = find_places(searched, looks=looks, map_all=map_all, checkpoint=checkpoint)
    shown = Curve(curve.start_s, curve.step_s, curve.heights)
    if not refined:
        return unplaced(notes, shown)
    heard = {(one.reference.view, one.recording.view): (one.reference, one.recording) for one in searched}

    def judged_by(ranked: Sequence[Refined]) -> Alignment:
        """The judgement on the first of them, in pieces where it falls into such."""
        first = ranked[0].verified
        whole = judge(ranked, verified, notes, shown)
        pieces = judge_pieces(whole, ranked, verified, *heard[(first.reference, first.recording)], map_all)
        return replace(pieces, channels=(first.reference.channels, first.recording.channels))

    judged, best = judged_by(refined), refined[0].verified
    checkpoint(0.9)
    times = MUCH_LONGER if judged.status is Status.PLACED else ABOUT_AS_LONG
    for other in broken_instead(refined, times=times):
        pieces = judged_by([other, *(one for one in refined if one is not other)])
        checkpoint(0.91)
        if pieces.status is Status.PLACED and pieces.time_map and len(pieces.time_map.pieces) > 1:
            judged, best = pieces, other.verified
            break
        if judged.status is Status.PLACED and other.support.chance_nats >= STRONG_NATS:
            # As much of the recording agrees elsewhere: a person must choose.
            judged = replace(judged, status=Status.UNSURE, confidence=min(judged.confidence, 0.5))
    if judged.time_map is None:
        return judged
    window_s = proof_window_s(best.support.quality)
    checkpoint(0.93)
    proof = prove(best.reference, best.recording, judged.time_map, window_s=window_s, map_all=map_all)
    return replace(judged, residual=proof.residual, trace=proof.windows, window_s=window_s)


def _along_course(
    searched: Sequence[Searched],
    notes: tuple[Note, ...],
    alignment: Alignment,
    map_all: MapAll,
    checkpoint: Checkpoint,
) -> Alignment:
    """The judgement by a path through all windows, where that is surer than the one by windows on a line."""
    found = judge_courses(searched, notes, checkpoint)
    if found is None:
        return alignment
    judged, followed = found
    assert judged.time_map is not None
    window_s = proof_window_s(0.0)
    proof = prove(followed.reference, followed.recording, judged.time_map, window_s=window_s, map_all=map_all)
    proved = replace(judged, curve=alignment.curve, residual=proof.residual, trace=proof.windows, window_s=window_s)
    return proved_course(proved, followed, proof.windows, alignment)


def _at_other_speeds(
    reference: PreparedReference,
    recording: Sequence[Heard],
    notes: tuple[Note, ...],
    map_all: MapAll,
    checkpoint: Checkpoint,
) -> Alignment | None:
    """The placement at a known other speed, None where none is sure."""
    for ref, index in zip(reference.heard, reference.indices, strict=True):
        for one in recording:
            if one.silent or ref.silent:
                continue
            for speed, heard, curve in best_speeds(index, one, one.view.source.sample_rate_hz):
                checkpoint(0.9)
                # At the right speed a short look is enough; strangers must not be looked at for long at every speed.
                found = _place([Searched(curve, index, ref, heard)], notes, map_all, no_checkpoint, LOOKS[:2])
                if found.status is Status.PLACED:
                    return replace(found, notes=(speed_note(speed), *found.notes))
    return None
