"""Inside a set: delay and polarity of each microphone against the first one that it shares time with."""

from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass
from threading import Lock
from uuid import UUID

from gullywind.actions.context import Context
from gullywind.actions.hear.fetch_sound import open_sound
from gullywind.core.features.extract import views_of
from gullywind.core.ground.errors import NotFoundError
from gullywind.core.maps.sets import Member
from gullywind.core.measure.inside_set import Inside, measure_inside
from gullywind.store.recordings import list_recordings
from gullywind.store.sets import sets_of

#: What two files say of each other never changes: it is measured once.
MOST_REMEMBERED = 200
_KNOWN: "OrderedDict[Hashable, Inside | None]" = OrderedDict()
_LOCK = Lock()


@dataclass(frozen=True, slots=True)
class InsideMember:
    """A member, and how it hears against another: `against` None for the one that the others are told against, and
    where it shares no time with any; `found` None where nothing was clear enough.
    """

    recording_id: UUID
    name: str
    member: Member
    sample_rate_hz: int
    against: str | None
    found: Inside | None


def measure_set(context: Context, project_id: UUID, set_id: UUID) -> list[InsideMember]:
    """All members in their order; the sound is read where it was not compared yet."""
    with context.database.session() as session:
        rows = sets_of(list_recordings(session, project_id)).get(set_id)
        if rows is None:
            raise NotFoundError("This set does not exist any more.")
        members = [
            (row.id, row.name, row.content_hash, row.media.sample_rate_hz or 0, member)
            for row in rows
            if (member := row.member) is not None
        ]
    told = list[InsideMember]()
    for number, (row_id, name, content, rate_hz, member) in enumerate(members):
        base = next((one for one in members[:number] if _shared_s(one[4], member) > 0 and one[2] != content), None)
        found = None
        if base is not None:
            later_s = member.membership.place_s - base[4].membership.place_s
            found = _compared(context, base[2], content, later_s)
        told.append(InsideMember(row_id, name, member, rate_hz, base[1] if base else None, found))
    return told


def _shared_s(one: Member, other: Member) -> float:
    begins_s = max(one.membership.place_s, other.membership.place_s)
    ends_s = min(
        one.membership.place_s + one.duration_s,
        other.membership.place_s + other.duration_s,
    )
    return ends_s - begins_s


def _compared(context: Context, first: str, other: str, later_s: float) -> Inside | None:
    key = first, other, later_s
    with _LOCK:
        if key in _KNOWN:
            return _KNOWN[key]
    views = [views_of(open_sound(context, content))[0][0] for content in (first, other)]
    found = measure_inside(views[0], views[1], later_s)
    with _LOCK:
        _KNOWN[key] = found
        while len(_KNOWN) > MOST_REMEMBERED:
            _KNOWN.popitem(last=False)
    return found
