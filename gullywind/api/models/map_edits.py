"""Edits of a map as requests: one body for each kind, told apart by `kind`. Times in s, of the reference."""

from typing import Annotated, Literal

from pydantic import Field

from gullywind.api.models.bend_edits import BendAsIn, BendEditIn, HoldEdgesIn, UnbendIn
from gullywind.api.models.edit import Edit
from gullywind.api.models.recordings import Body
from gullywind.api.models.sounding_edits import ChannelsIn, GainIn, GapsIn, KeptIn, PitchIn, PolarityIn
from gullywind.core.maps import edits, piece_edits
from gullywind.core.maps.push import SetPush


class Nudge(Body):
    """Later (positive) or earlier."""

    kind: Literal["nudge"]
    by_s: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return edits.Nudge(self.by_s)


class NudgeIn(Nudge, Edit):
    """Later (positive) or earlier."""


class MoveIn(Edit):
    """So that it starts there."""

    kind: Literal["move"]
    offset_s: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return edits.MoveTo(self.offset_s)


class MeetIn(Edit):
    """So that a moment of the recording, s of its own, is that moment of the reference."""

    kind: Literal["meet"]
    t_rec: float
    t_ref: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return edits.Meet(self.t_rec, self.t_ref)


class RateIn(Edit):
    """Another clock: recording seconds per reference second."""

    kind: Literal["rate"]
    rate: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return edits.SetRate(self.rate)


class StretchIn(Edit):
    """The sound at one moment moved while another is held."""

    kind: Literal["stretch"]
    hold_s: float
    at_s: float
    by_s: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return edits.Stretch(self.hold_s, self.at_s, self.by_s)


class SplitIn(Edit):
    """Cut the piece at a moment."""

    kind: Literal["split"]
    t_ref: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return piece_edits.Split(self.t_ref)


class JoinIn(Edit):
    """Undo the cut after a piece."""

    kind: Literal["join"]
    index: int

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return piece_edits.Join(self.index)


class SlideIn(Edit):
    """Move one piece between its neighbours."""

    kind: Literal["slide"]
    index: int
    by_s: float

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return piece_edits.Slide(self.index, self.by_s)


class RemoveIn(Edit):
    """Take a piece out."""

    kind: Literal["remove"]
    index: int

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return piece_edits.Remove(self.index)


class CloseGapIn(Edit):
    """Close the gap after a piece."""

    kind: Literal["close-gap"]
    index: int

    def to_core(self) -> edits.MapEdit:
        """As core value."""
        return piece_edits.CloseGap(self.index)


class Push(Body):
    """Later (positive) or earlier than its place, on purpose; 0: none."""

    kind: Literal["push"]
    push_s: float

    def to_core(self) -> SetPush:
        """As core value."""
        return SetPush(self.push_s)


class PushIn(Push, Edit):
    """Later (positive) or earlier than its place, on purpose; 0: none."""


class TrimIn(Edit):
    """Move one edge of a piece."""

    kind: Literal["trim"]
    index: int
    edge: Literal["start", "end"]
    t_ref: float


class ClockIn(Edit):
    """Use the measured clock, or refuse it."""

    kind: Literal["clock"]
    use: Literal["measured", "none"]


class TakeIn(Edit):
    """Use one of the places that the search offers."""

    kind: Literal["take"]
    index: int


class FirstSoundIn(Edit):
    """So that the first sound in it is that moment of the reference."""

    kind: Literal["first-sound"]
    t_ref: float


class SettleIn(Edit):
    """Move it by hand and let it settle where it sounds alike, within reach; times in s."""

    kind: Literal["settle"]
    by_s: float
    reach_s: float


class SetAsideIn(Edit):
    """That it does not belong, or that it may after all."""

    kind: Literal["set-aside"]
    aside: bool


class Lock(Body):
    """That it is finished and nothing changes it any more, or that it is not."""

    kind: Literal["lock"]
    locked: bool


class LockIn(Lock, Edit):
    """That it is finished and nothing changes it any more, or that it is not."""


class CorrectInSetIn(Edit):
    """By how much it is drawn earlier within its set, s; 0: as it was recorded."""

    kind: Literal["correct-in-set"]
    corrected_s: float


class StepIn(Edit):
    """Take back, do again, take off its place."""

    kind: Literal["unplace", "undo", "redo"]


class GoIn(Edit):
    """Go to any change that touches the recording; 0 is before all of them."""

    kind: Literal["go"]
    number: int = Field(ge=0)


ToCore = (
    NudgeIn
    | MoveIn
    | MeetIn
    | RateIn
    | StretchIn
    | SplitIn
    | JoinIn
    | SlideIn
    | RemoveIn
    | CloseGapIn
    | GapsIn
    | PitchIn
    | PolarityIn
    | GainIn
    | ChannelsIn
    | KeptIn
    | PushIn
)
EditIn = Annotated[
    ToCore
    | BendEditIn
    | HoldEdgesIn
    | UnbendIn
    | BendAsIn
    | TrimIn
    | ClockIn
    | TakeIn
    | FirstSoundIn
    | SettleIn
    | SetAsideIn
    | LockIn
    | CorrectInSetIn
    | StepIn
    | GoIn,
    Field(discriminator="kind"),
]


class LevelsIn(Body):
    """The loudness of all recordings of a project: a target in LUFS, null for the reference's; true peaks stay below
    the limit, dBTP, null for the usual one.
    """

    target_lufs: float | None = None
    limit_dbtp: float | None = None


class ClocksIn(Body):
    """The clocks of all recordings of a project."""

    use: Literal["measured", "none"]
