"""From the search's rivals to refined places: which are looked at, how long, and which is best. Times in s."""

from collections.abc import Sequence
from dataclasses import dataclass

from gullywind.core.features.extract import Heard
from gullywind.core.search import MatchCurve, ReferenceIndex, search_offsets
from gullywind.core.units import Checkpoint
from gullywind.core.verify import LONGEST, LOOKS, Look, Refined, Verified, fine_window_s, refine_line, verify_place
from gullywind.core.windows import MapAll, lay_common_windows, lay_windows

#: A place this well supported needs no second, longer look.
STRONG_NATS, STRONG_QUALITY = 12.0, 8.0
#: Agreement counts as this much at least; and in windows of several times this quality as so many nats.
LEAST_NATS, CLEARLY_QUALITY, CLEARLY_NATS = 0.02, 20.0, 3.0
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

#: In music made of copies the search shows so many that the right place may not be among the first. So all are looked
#: at where the best one explains less than the first of these shares of the reference's sound while others agree with
#: themselves as well, and where it explains less than the second though windows are clearer than noise leaves them.
WITH_COPIES, WITHOUT_COPIES, TOO_CLEAR_QUALITY = 0.9, 0.7, 40.0
#: Of all views' places so many are looked at first, and of each pair of views so many if there is doubt.
FIRST_PLACES, MOST_PLACES = 12, 64


#: A place that agrees only in part may be the right one where it holds the first of these times as much of the
#: recording as a sure one, or the second as one that is not sure; so many such are looked into.
MUCH_LONGER, ABOUT_AS_LONG, MOST_BROKEN = 2.0, 0.5, 2
#: A place that agrees with itself this well is worth the look: its pieces must then prove themselves.
BROKEN_NATS = 2.0


@dataclass(frozen=True, eq=False)
class Searched:
    """A search's result with the reference's index and the two views it was made of."""

    curve: MatchCurve
    index: ReferenceIndex
    reference: Heard
    recording: Heard


def find_places(
    searched: Sequence[Searched], *, looks: Sequence[Look], map_all: MapAll, checkpoint: Checkpoint
) -> tuple[list[Refined], list[Verified]]:
    """Look at full rate at the places that the searches gave.

    Parameters
    ----------
    searched : of each pair of views.
    looks : from short to long; with fewer than all, doubtful places are not looked into.

    Returns
    -------
    refined, verified : best first; those that were measured along the whole overlap, and all that were looked at. Both
        empty where the two hardly overlap anywhere.
    """
    verified = _verify(searched, map_all, checkpoint, looks)
    if not verified:
        return [], []
    refined = _refine(verified, map_all)
    if looks is LOOKS and _is_doubtful(refined, verified):
        verified = _verify_all(searched, verified, map_all, checkpoint)
        refined = _refine(verified, map_all)
    return refined, verified


def _verify(
    searched: Sequence[Searched], map_all: MapAll, checkpoint: Checkpoint, looks: Sequence[Look]
) -> list[Verified]:
    """Places after the full-rate check, best first; several views' places are pooled."""
    places = sorted(
        ((place, one.reference, one.recording) for one in searched for place in one.curve.places),
        key=lambda p: -p[0].z,
    )
    places = places[:FIRST_PLACES]
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
        views = one.reference.view, one.recording.view
        known = [other.line.offset_s for other in verified if (other.reference, other.recording) == views]
        for place in places:
            checkpoint(0.9)
            if all(abs(place.offset_s - offset_s) > SAME_PLACE_S for offset_s in known):
                found = verify_place(*views, place, look=LOOKS[0], lay=lay_windows, map_all=map_all)
                more += [found] if found else []
    return _distinct(more)


def _is_doubtful(refined: Sequence[Refined], verified: Sequence[Verified]) -> bool:
    """Whether the right place may be one that was not looked at: none agrees, or the best lacks what it should hold."""
    best = refined[0].support
    if best.chance_nats < RIVAL_NATS:
        return True
    others = (one.support for one in verified if one is not refined[0].verified)
    if any(one.chance_nats >= RIVAL_NATS for one in others):
        return best.explained < WITH_COPIES
    return best.quality >= TOO_CLEAR_QUALITY and best.explained < WITHOUT_COPIES


def _distinct(verified: Sequence[Verified]) -> list[Verified]:
    """Best first, of those at one place the best."""
    kept: list[Verified] = []
    for one in sorted(verified, key=_strength, reverse=True):
        if all(abs(one.line.offset_s - other.line.offset_s) > SAME_PLACE_S for other in kept):
            kept.append(one)
    return kept


def _strength(one: Verified | Refined) -> float:
    """Beyond chance it counts how much of the sound agrees, no more in how many windows: copies agree in all.

    A few windows far clearer than noise are no chance either: of a broken recording one piece may be all that is there.
    """
    support = one.support
    clear = min(max(support.quality / CLEARLY_QUALITY - 1.0, 0.0), CLEARLY_NATS)
    beyond_chance = max(min(support.chance_nats, STRONG_NATS), clear, LEAST_NATS)
    return (support.score + support.explained) * beyond_chance + 1e-3 * support.envelope_z


def _is_strong(verified: Verified) -> bool:
    return verified.support.chance_nats >= STRONG_NATS and verified.support.quality >= STRONG_QUALITY


def broken_instead(refined: Sequence[Refined], *, times: float) -> list[Refined]:
    """Places that hold so many `times` as much of the recording as the best one, if only in part.

    It may be broken there: in music that repeats, a short overlap that agrees throughout is found beside a long one
    that agrees up to a break.
    """
    best = refined[0].support
    agreed_s = best.overlap_s * best.agreeing / max(best.windows, 1)
    longer = [
        one
        for one in refined[1:]
        if one.support.chance_nats >= BROKEN_NATS
        and one.support.agreeing < one.support.windows
        and one.support.overlap_s * one.support.agreeing / one.support.windows >= times * agreed_s
    ]
    return sorted(longer, key=lambda one: -one.support.agreeing * one.support.overlap_s)[:MOST_BROKEN]


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
