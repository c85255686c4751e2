"""Places one recording against the reference: search, verify at full rate, fit the clock, judge, prove. Times in s."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from gullywind.core.correlate import WindowLag
from gullywind.core.evidence import Alignment, Curve, Note, Status
from gullywind.core.features.extract import Heard, listen
from gullywind.core.judge import judge, judge_pieces, unplaced
from gullywind.core.notes import heard_notes
from gullywind.core.proof import proof_window_s, prove
from gullywind.core.search import MatchCurve, ReferenceIndex, search_offsets
from gullywind.core.sound import SampleSource, listening_views
from gullywind.core.speed import best_speeds, speed_note
from gullywind.core.units import Checkpoint, no_checkpoint
from gullywind.core.verify import LONGEST, LOOKS, Look, Refined, Verified, fine_window_s, refine_line, verify_place
from gullywind.core.windows import MapAll, lay_common_windows, lay_windows

#: A place this well supported needs no second, longer look.
STRONG_NATS, STRONG_QUALITY = 12.0, 8.0
#: Coarse rivals below this share of the best are not checked once the best has proved strong.
RIVAL_SHARE = 0.6
MOST_LONG_LOOKS = 5
#: Leading places up to this many are looked at twice before all others.
FEW_LEADING = 2
#: Rivals that agree with themselves this well, and have this share of the best one's score, are refined too.
RIVAL_NATS, RIVAL_SCORE = 5.0, 0.5
#: So are those that the search found nearly as good: in noise the first check may have missed them.
EQUAL_PLACE = 0.85
#: Places nearer than this are one.
SAME_PLACE_S = 0.05
#: So many: their order after the first check is nearly chance.
MOST_REFINED = 10
#: Windows that tell rivals apart are at least this long.
LEAST_RIVAL_WINDOW_S = 2.7

#: Where the best place explains less than this of the reference's sound although windows agree beyond chance, it may
#: be a copy of the right passage: in music made of copies the search shows so many that the right one is not among
#: the first. Noise takes more than that too, so all places are looked at only where others agree as well, or where
#: windows are clearer than noise would leave them.
LEAST_EXPLAINED, TOO_CLEAR_QUALITY, MOST_PLACES = 0.7, 40.0, 64


@dataclass(frozen=True, eq=False)
class Searched:
    """A search's result with the two views it was made of."""

    curve: MatchCurve
    index: ReferenceIndex
    reference: Heard
    recording: Heard


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
    notes = heard_notes(recording)
    if all(one.silent for one in recording) or all(one.silent for one in reference.heard):
        whose = "The recording" if all(one.silent for one in recording) else "The reference"
        return unplaced((*notes, Note("silent", f"{whose} is silent: there is nothing to line up by.")))
    searched = [
        Searched(search_offsets(index, one.features), index, ref, one)
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
    verified = _verify(searched, map_all, checkpoint, looks)
    shown = Curve(curve.start_s, curve.step_s, curve.heights)
    if not verified:
        return unplaced(notes, shown)
    refined = _refine(verified, map_all)
    if looks is LOOKS and _may_be_copy(refined, verified):
        verified = _verify_all(searched, verified, map_all, checkpoint)
        refined = _refine(verified, map_all)
    judged = judge(refined, verified, notes, shown)
    heard = {(one.reference.view, one.recording.view): (one.reference, one.recording) for one in searched}
    best = refined[0].verified
    checkpoint(0.9)
    judged = judge_pieces(judged, refined, verified, *heard[(best.reference, best.recording)], map_all)
    judged = replace(judged, channels=(best.reference.channels, best.recording.channels))
    if judged.time_map is None:
        return judged
    window_s = proof_window_s(best.support.quality)
    checkpoint(0.93)
    proof = prove(best.reference, best.recording, judged.time_map, window_s=window_s, map_all=map_all)
    return replace(judged, residual=proof.residual, trace=proof.windows, window_s=window_s)


def _at_other_speeds(
    reference: PreparedReference,
    recording: Sequence[Heard],
    notes: tuple[Note, ...],
    map_all: MapAll,
    checkpoint: Checkpoint,
) -> Alignment | None:
    """The placement at a known other speed, None where none is sure."""
    ref, index = reference.heard[0], reference.indices[0]
    for one in recording:
        for speed, heard, curve in best_speeds(index, one, one.view.source.sample_rate_hz):
            checkpoint(0.9)
            # At the right speed a short look is enough; strangers must not be looked at for long at every speed.
            found = _place([Searched(curve, index, ref, heard)], notes, map_all, no_checkpoint, LOOKS[:2])
            if found.status is Status.PLACED:
                return replace(found, notes=(speed_note(speed), *found.notes))
    return None


def _verify(
    searched: Sequence[Searched], map_all: MapAll, checkpoint: Checkpoint, looks: Sequence[Look]
) -> list[Verified]:
    """Places after the full-rate check, best first; several views' places are pooled."""
    places = sorted(
        ((place, one.reference, one.recording) for one in searched for place in one.curve.places),
        key=lambda p: -p[0].z,
    )
    places = places[:12]
    # Mostly one place stands far above all others: it is looked at twice before a rival is looked at once.
    leading = [one for one in places if one[0].z >= RIVAL_SHARE * places[0][0].z]
    first = [(look, leading) for look in looks[:2]] if len(leading) <= FEW_LEADING else []
    lay = lay_common_windows if len(leading) == 1 else lay_windows
    verified: list[Verified] = []
    for round_, (look, chosen) in enumerate([*first, *((look, places) for look in looks)]):
        if look is LONGEST:
            # Longer looks are dear: only where the short ones or the envelope gave most hope.
            hope = {id(one.place): _strength(one) for one in verified}
            chosen = sorted(chosen, key=lambda p: -hope.get(id(p[0]), 0.0))[:MOST_LONG_LOOKS]
        done = {(id(one.place), one.look) for one in verified}
        for i, (place, ref, rec) in enumerate(chosen):
            strongest = max(verified, key=_strength, default=None)
            if strongest and _is_strong(strongest) and place.z < RIVAL_SHARE * strongest.place.z:
                continue
            if (id(place), look) in done:
                continue
            one = verify_place(ref.view, rec.view, place, look=look, lay=lay, map_all=map_all)
            if one:
                verified.append(one)
            checkpoint(0.4 + 0.5 * (round_ + i / len(chosen)) / (len(first) + len(looks)))
        if verified and _is_strong(max(verified, key=_strength)):
            break
    return _distinct(verified)


def _verify_all(
    searched: Sequence[Searched], verified: Sequence[Verified], map_all: MapAll, checkpoint: Checkpoint
) -> list[Verified]:
    """All places that the search gives, not only the highest, after a short look; best first."""
    more = list(verified)
    for one in searched:
        places = search_offsets(one.index, one.recording.features, most_places=MOST_PLACES).places
        known = [other.line.offset_s for other in verified if other.recording is one.recording.view]
        for place in places:
            checkpoint(0.9)
            if all(abs(place.offset_s - offset_s) > SAME_PLACE_S for offset_s in known):
                found = verify_place(
                    *(one.reference.view, one.recording.view, place), look=LOOKS[0], lay=lay_windows, map_all=map_all
                )
                more += [found] if found else []
    return _distinct(more)


def _may_be_copy(refined: Sequence[Refined], verified: Sequence[Verified]) -> bool:
    """Whether the best place lacks much of the reference's sound though its windows are clear, or others agree too."""
    best = refined[0].support
    if best.explained >= LEAST_EXPLAINED:
        return False
    others = (one.support for one in verified if one is not refined[0].verified)
    return best.quality >= TOO_CLEAR_QUALITY or any(one.chance_nats >= RIVAL_NATS for one in others)


def _distinct(verified: Sequence[Verified]) -> list[Verified]:
    """Best first, of those at one place the best."""
    kept: list[Verified] = []
    for one in sorted(verified, key=_strength, reverse=True):
        if all(abs(one.line.offset_s - other.line.offset_s) > SAME_PLACE_S for other in kept):
            kept.append(one)
    return kept


def _strength(one: Verified | Refined) -> float:
    """Beyond chance it counts how much of the sound agrees, no more in how many windows: copies agree in all."""
    support = one.support
    agrees = (support.score + support.explained) * (0.02 + min(support.chance_nats, STRONG_NATS))
    return agrees + 1e-3 * support.envelope_z


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
    if not near:
        return [refine_line(best, window_s=window_s, map_all=map_all)]
    # What tells equals apart is little: it takes longer windows, at the same moments of the recording.
    window_s = max(window_s, LEAST_RIVAL_WINDOW_S)
    chosen = [best, *near[: MOST_REFINED - 1]]
    refined = [refine_line(one, window_s=window_s, lay=lay_windows, map_all=map_all) for one in chosen]
    return sorted(refined, key=_strength, reverse=True)
