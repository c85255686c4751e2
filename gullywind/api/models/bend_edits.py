"""Edits of a bend as requests: one body for each kind, told apart by `kind`."""

from typing import Literal
from uuid import UUID

from pydantic import Field

from gullywind.api.models.edit import Edit
from gullywind.core.maps import bend_edits
from gullywind.core.maps.ties import BendSettings


class BendIn(Edit):
    """How a bent recording follows: `closeness` 0..1; what is smaller than `leave_below_ms` stays; the limit in
    per cent; whether ends follow as well as starts; ties below `least_certainty` are not followed.
    """

    kind: Literal["bend"]
    closeness: float
    leave_below_ms: float
    limit_percent: float
    ends: bool
    least_certainty: float = 0.5

    def to_core(self) -> bend_edits.BendEdit:
        """As core value."""
        return bend_edits.BendSo(
            BendSettings(
                self.closeness, self.leave_below_ms / 1e3, self.limit_percent / 100, self.ends, self.least_certainty
            )
        )


class TieIn(Edit):
    """A tie by hand between a moment of the recording and one of the reference; `index`: of one that is there."""

    kind: Literal["tie"]
    t_ref: float
    t_rec: float
    index: int | None = None

    def to_core(self) -> bend_edits.BendEdit:
        """As core value."""
        return bend_edits.PutTie(self.t_ref, self.t_rec, self.index)


class RemoveTiesIn(Edit):
    """Ties taken out."""

    kind: Literal["remove-ties"]
    indices: list[int] = Field(min_length=1)

    def to_core(self) -> bend_edits.BendEdit:
        """As core value."""
        return bend_edits.RemoveTies(tuple(self.indices))


class HoldTiesIn(Edit):
    """Ties held where they lie, or freed."""

    kind: Literal["hold-ties"]
    indices: list[int] = Field(min_length=1)
    held: bool

    def to_core(self) -> bend_edits.BendEdit:
        """As core value."""
        return bend_edits.HoldTies(tuple(self.indices), self.held)


class ClosenessIn(Edit):
    """How much of the difference of some ties is taken away, 0..1; null: as of all; `times`: times what it is now."""

    kind: Literal["closeness"]
    indices: list[int] = Field(min_length=1)
    closeness: float | None = None
    times: float | None = Field(default=None, ge=0, le=1)

    def to_core(self) -> bend_edits.BendEdit:
        """As core value."""
        return bend_edits.SetCloseness(tuple(self.indices), self.closeness, self.times)


class HoldEdgesIn(Edit):
    """Hold both edges of a stretch of the reference, s, where the recording lies there; `only`: bend it alone."""

    kind: Literal["hold-edges"]
    start_s: float
    end_s: float
    only: bool = False


class BendAsIn(Edit):
    """Bend it exactly as another recording is bent: another microphone of the same take, begun at the same moment."""

    kind: Literal["bend-as"]
    recording_id: UUID


class UnbendIn(Edit):
    """Take the bend off: the plain place stays."""

    kind: Literal["unbend"]


BendEditIn = BendIn | TieIn | RemoveTiesIn | HoldTiesIn | ClosenessIn
