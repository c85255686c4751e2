"""Sets as the interface sees them: their members, what may be one, and how the members hear against each other."""

from typing import cast
from uuid import UUID

from pydantic import BaseModel, Field

from gullywind.actions.hear.measure_set import InsideMember
from gullywind.api.models.recordings import Body
from gullywind.core.ground.units import SOUND_M_S
from gullywind.core.maps.sets import follow_each_other
from gullywind.core.sound.set_signs import OfferedSet
from gullywind.store.sets import sets_of
from gullywind.store.tables import RecordingRow


class SetOut(BaseModel):
    """A set: its members in their order, and whether they are the parts of one file, one after another."""

    id: UUID
    recording_ids: list[UUID]
    one_after_another: bool


class OfferedSetOut(BaseModel):
    """Recordings that look like a set, in their order, and why."""

    recording_ids: list[UUID]
    one_after_another: bool
    reason: str
    words: str


class SetsOut(BaseModel):
    """All sets of a project, and those that may be meant."""

    sets: list[SetOut]
    offered: list[OfferedSetOut]

    @classmethod
    def of(cls, rows: list[RecordingRow], offers: list[OfferedSet]) -> "SetsOut":
        """From the stored rows and what their files say."""
        names = {row.id: row.name for row in rows}
        sets = [
            SetOut(
                id=key,
                recording_ids=[one.id for one in some],
                one_after_another=follow_each_other([one.member for one in some if one.member]),
            )
            for key, some in sets_of(rows).items()
        ]
        return cls(sets=sets, offered=[_offered(one, names) for one in offers])


class SetIn(Body):
    """Recordings to be tied, in their order."""

    recording_ids: list[UUID] = Field(min_length=2, max_length=500)
    one_after_another: bool = False


class NoSetIn(Body):
    """Recordings that were offered as a set and are none."""

    recording_ids: list[UUID] = Field(min_length=2, max_length=500)


class InsideOut(BaseModel):
    """A member and how it hears: `late_s` null where it is what the others are told against, or nothing was clear.

    `corrected_s` is by how much it is drawn earlier already; `words` say all of it.
    """

    recording_id: UUID
    name: str
    late_s: float | None
    corrected_s: float
    inverted: bool
    words: str

    @classmethod
    def of(cls, one: InsideMember) -> "InsideOut":
        """From what was measured."""
        found = one.found
        return cls(
            recording_id=one.recording_id,
            name=one.name,
            late_s=found.late_s if found else None,
            corrected_s=one.member.membership.corrected_s,
            inverted=found is not None and found.polarity < 0,
            words=_inside_words(one),
        )


def _offered(offer: OfferedSet, names: dict[UUID, str]) -> OfferedSetOut:
    ids = cast("list[UUID]", list(offer.keys))
    told = [names[one] for one in ids]
    shown = ", ".join(told) if len(told) <= 3 else f"{told[0]}, {told[1]} and {len(told) - 2} more"
    after = len(set(offer.places_s)) > 1
    what = "the parts of one recording" if after else "microphones of one recorder"
    return OfferedSetOut(recording_ids=ids, one_after_another=after, reason=offer.reason, words=f"{shown}: {what}?")


def _inside_words(one: InsideMember) -> str:
    """In ms, in samples, and in metres of air."""
    found = one.found
    if one.against is None:
        return "what the others are told against" if one.member.membership.place_s == 0 else "follows the one before"
    if found is None:
        return f"nothing clear in common with {one.against}"
    samples = found.late_s * one.sample_rate_hz
    inverted = f", inverted against {one.against}" if found.polarity < 0 else ""
    if abs(samples) < 0.05:
        return f"in step with {one.against} to the sample{inverted}"
    air = f"{abs(found.late_s) * SOUND_M_S:.2f} m of air"
    what = f"{abs(found.late_s) * 1e3:.3f} ms, {abs(samples):.1f} samples, {air}"
    return f"hears {what} {'later' if found.late_s > 0 else 'earlier'} than {one.against}{inverted}"
