"""From the search's rivals to refined places: which are looked at, how long, and which is best. Times in s."""

from collections.abc import Sequence

from gullywind.core.ground.units import Checkpoint
from gullywind.core.measure.windows import Lay, MapAll, lay_common_windows, lay_windows
from gullywind.core.places.search import CoarsePlace, search_offsets
from gullywind.core.places.verify import (
    LONGEST,
    LOOKS,
    Look,
    Refined,
    Verified,
    Weighed,
    fine_window_s,
    refine_line,
    starting_line,
    verify_place,
)
from gullywind.core.places.weigh import (
    COPY_SHARE,
    FEW_PLACES,
    LEAST_HEIGHT,
    SAME_HOPE_S,
    SPARSE_HEIGHT,
    SURE_HEIGHT,
    Hopeful,
    Searched,
    apart,
    least_height,
    weigh,
    worthy,
)

#: A place this well supported needs no second, longer look.
STRONG_NATS, STRONG_QUALITY = 12.0, 8.0
#: Agreement counts as this much at least; and in windows of several times this quality as so many nats.
LEAST_NATS, CLEARLY_QUALITY, CLEARLY_NATS = 0.02, 20.0, 3.0
MOST_LONG_LOOKS = 5
#: Strangers hardly reach this in the search; so few places that come near the highest are looked at before all others.
LEADING_Z, LEADING_SHARE, FEW_LEADING = 6.0, 0.6, 2
#: Such a look is enough where so much of the shorter recording lies there, and so many windows agree.
PLAIN_COVERAGE, PLAIN_SHARE = 0.5, 0.85
#: Rivals that agree with themselves this well, and have this share of the best one's score, are refined too.
RIVAL_NATS, RIVAL_SCORE = 5.0, 0.5
#: So are those that the search found nearly as good: in noise the first check may have missed them.
EQUAL_PLACE = 0.85
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
#: Of a clip, s, so many are weighed: its few windows cost little, and in noise the search hardly knows the right one.
CLIP_S, MOST_CLIP_PLACES = 12.0, 256
#: A place that agrees only in part may be the right one where it holds the first of these times as much of the
#: recording as a sure one, or the second as one that is not sure; so many such are looked into.
MUCH_LONGER, ABOUT_AS_LONG, MOST_BROKEN = 2.0, 0.5, 2
#: Copies of one sound differ by no more than this in strength.
AS_STRONG = 0.97
#: A place that agrees with itself this well is worth the look: its pieces must then prove themselves.
BROKEN_NATS = 2.0


def find_places(
    searched: Sequence[Searched], *, looks: Sequence[Look], map_all: MapAll, checkpoint: Checkpoint
) -> tuple[list[Refined], list[Verified]]:
    """Look at full rate at the places that the searches gave, as far as the whole overlap speaks for them.

    Parameters
    ----------
    searched : of each pair of views.
    looks : from short to long; with fewer than all, doubtful places are not looked into.

    Returns
    -------
    refined, verified : best first; those that were measured along the whole overlap, and all that were looked at. Both
        empty where the two hardly overlap anywhere, or nothing stands above chance.
    """
    refine = _Refining(map_all)
    glanced = _glance(searched, map_all, checkpoint, looks[:2])
    if glanced:
        refined = refine.best_of(glanced)
        if _is_plain(refined[0]) and not _is_doubtful(refined, glanced):
            return refined, glanced
    weighed = weigh(searched, [one.curve.places for one in searched], checkpoint)
    if looks is LOOKS and _may_be_missed(searched, weighed):
        weighed = weigh(searched, _more_places(searched, MOST_CLIP_PLACES), checkpoint)
    weighed = [one for one in weighed if one.place.height >= least_height(one.place.windows)]
    if not weighed:
        return [], []
    verified = _verify(weighed, map_all, checkpoint, looks)
    if not verified:
        return [], []
    refined = refine.best_of(verified)
    if looks is LOOKS and _is_doubtful(refined, verified):
        more = weigh(searched, _more_places(searched, MOST_PLACES), checkpoint)
        verified = _verify_more(more, verified, map_all, checkpoint)
        refined = refine.best_of(verified)
    return refined, verified


def _may_be_missed(searched: Sequence[Searched], weighed: Sequence[Hopeful]) -> bool:
    """Whether the recording is a clip that stands nowhere above chance: of little sound the search tells little."""
    if weighed and weighed[0].place.height >= SPARSE_HEIGHT:
        return False
    return min(one.recording.view.duration_s for one in searched) <= CLIP_S


def _more_places(searched: Sequence[Searched], most: int) -> list[tuple[CoarsePlace, ...]]:
    return [search_offsets(one.index, one.recording.features, most_places=most).places for one in searched]


def _glance(
    searched: Sequence[Searched], map_all: MapAll, checkpoint: Checkpoint, looks: Sequence[Look]
) -> list[Verified]:
    """A short look at the place that the search shows alone, or nearly so; empty where it does not prove itself.

    The sum over all windows is not made for it: the search's own height stands in its place.
    """
    places = [(place, one) for one in searched for place in one.curve.places]
    top = max((place.z for place, _ in places), default=0.0)
    leading = [(place, one) for place, one in places if place.z >= LEADING_SHARE * top]
    if top < LEADING_Z or len(leading) > FEW_LEADING:
        return []
    lay = lay_common_windows if len(leading) == 1 else lay_windows
    verified: list[Verified] = []
    for look in looks:
        for place, one in leading:
            checkpoint(0.4)
            glanced = Weighed(place, starting_line(place), place.z, 1)
            found = verify_place(one.reference.view, one.recording.view, glanced, look=look, lay=lay, map_all=map_all)
            verified += [found] if found else []
        if verified and _is_strong(max(verified, key=_strength)):
            return _distinct(verified)
    return []


def _is_plain(best: Refined) -> bool:
    """Whether a place holds most of the recording and nearly all windows agree: then no other need be asked for."""
    support = best.support
    return support.coverage >= PLAIN_COVERAGE and support.agreeing >= PLAIN_SHARE * support.windows


def _verify(
    weighed: Sequence[Hopeful], map_all: MapAll, checkpoint: Checkpoint, looks: Sequence[Look]
) -> list[Verified]:
    """Places after the full-rate check, best first."""
    most = FIRST_PLACES if weighed[0].place.height >= SURE_HEIGHT else FEW_PLACES
    places = apart(worthy(weighed))[:most]
    # Mostly one place stands far above all others: then its windows lie at moments that other layouts share.
    lay = lay_common_windows if len(places) == 1 else lay_windows
    verified: list[Verified] = []
    for round_, look in enumerate(looks):
        chosen = places
        if look is LONGEST:
            # Longer looks are dear: only where the short ones or the whole overlap gave most hope.
            hope = {id(one.place): _strength(one) for one in verified}
            chosen = sorted(places, key=lambda one: -hope.get(id(one.place), 0.0))[:MOST_LONG_LOOKS]
        for i, one in enumerate(chosen):
            found = verify_place(one.reference, one.recording, one.place, look=look, lay=lay, map_all=map_all)
            if found:
                verified.append(found)
            checkpoint(0.4 + 0.5 * (round_ + i / len(chosen)) / len(looks))
        if verified and _is_strong(max(verified, key=_strength)):
            break
    return _distinct(verified)


def _verify_more(
    weighed: Sequence[Hopeful], verified: Sequence[Verified], map_all: MapAll, checkpoint: Checkpoint
) -> list[Verified]:
    """What was looked at, and all other places that stand above chance, after a short look; best first."""
    more = list(verified)
    for one in apart(weighed):
        checkpoint(0.9)
        views = one.reference, one.recording
        known = [other.line.offset_s for other in verified if (other.reference, other.recording) == views]
        new = all(abs(one.place.line.offset_s - offset_s) > SAME_HOPE_S for offset_s in known)
        if new and one.place.height >= max(LEAST_HEIGHT, COPY_SHARE * weighed[0].place.height):
            found = verify_place(*views, one.place, look=LOOKS[0], lay=lay_windows, map_all=map_all)
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
        if all(abs(one.line.offset_s - other.line.offset_s) > SAME_HOPE_S for other in kept):
            kept.append(one)
    return kept


def _strength(one: Verified | Refined) -> float:
    """Beyond chance it counts how much of the sound agrees, no more in how many windows: copies agree in all.

    A few windows far clearer than noise are no chance either: of a broken recording one piece may be all that is there.
    """
    support = one.support
    clear = min(max(support.quality / CLEARLY_QUALITY - 1.0, 0.0), CLEARLY_NATS)
    beyond_chance = max(min(support.chance_nats, STRONG_NATS), clear, LEAST_NATS)
    return (support.score + support.explained) * beyond_chance + 1e-3 * support.height


def _is_strong(verified: Verified) -> bool:
    return verified.support.chance_nats >= STRONG_NATS and verified.support.quality >= STRONG_QUALITY


def broken_instead(refined: Sequence[Refined], *, times: float) -> list[Refined]:
    """Places that hold so many `times` as much of the recording as the best one, if only in part.

    It may be broken there: in music that repeats, a short overlap that agrees throughout is found beside a long one
    that agrees up to a break.
    """
    longer = [
        one
        for one in refined[1:]
        if one.support.chance_nats >= BROKEN_NATS
        and one.support.agreeing < one.support.windows
        and one.support.agreed_s >= times * refined[0].support.agreed_s
    ]
    return sorted(longer, key=lambda one: -one.support.agreed_s)[:MOST_BROKEN]


class _Refining:
    """Refines places; each in the same windows once."""

    def __init__(self, map_all: MapAll) -> None:
        self._map_all = map_all
        self._done: dict[tuple[Verified, float, Lay], Refined] = {}

    def best_of(self, verified: Sequence[Verified]) -> list[Refined]:
        """The best place and all that come near it, refined alike, best first.

        In repeating music several places agree with themselves; only the whole overlap, measured in the same windows,
        tells which one agrees most.
        """
        best = verified[0]
        near = [
            one
            for one in verified[1:]
            if (one.support.chance_nats >= RIVAL_NATS and one.support.score >= RIVAL_SCORE * best.support.score)
            or one.place.height >= EQUAL_PLACE * best.place.height
        ]
        window_s = fine_window_s(best.support.quality)
        if not near:
            return [self._refined(best, window_s, lay_common_windows)]
        # What tells equals apart is little: it takes longer windows, at the same moments of the recording.
        window_s = max(window_s, LEAST_RIVAL_WINDOW_S)
        refined = [self._refined(one, window_s, lay_windows) for one in (best, *near[: MOST_REFINED - 1])]
        return _fuller_first(sorted(refined, key=_strength, reverse=True))

    def _refined(self, one: Verified, window_s: float, lay: Lay) -> Refined:
        key = one, window_s, lay
        if key not in self._done:
            self._done[key] = refine_line(one, window_s=window_s, lay=lay, map_all=self._map_all)
        return self._done[key]


def _fuller_first(refined: list[Refined]) -> list[Refined]:
    """The best, unless one that agrees as well holds far more of the recording."""
    best = refined[0]
    for one in refined[1:]:
        if _strength(one) >= AS_STRONG * _strength(best) and best.support.is_outweighed_by(one.support):
            best = one
    return [best, *(one for one in refined if one is not best)]
