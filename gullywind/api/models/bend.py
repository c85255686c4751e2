"""The bend of a recording: its ties, what became of each, and how far each stretch between them is bent."""

from typing import Literal

import numpy as np
from pydantic import BaseModel

from gullywind.actions.bend_words import kept_back_words, moved_words, tie_words, unfollowed_words
from gullywind.actions.edit.bend_recording import BendNow
from gullywind.core.bending.prove import PERFORMERS_TOGETHER_S
from gullywind.core.maps.ties import other_points


class TieOut(BaseModel):
    """A tie: moments in s, `late_ms` how late it is performed against the plain place, `lies_s` where it is heard.

    `followed`: it acts. `left_ms` is how late it still is, null where it is not followed; `together`: nobody hears it.
    `kept_back`: the limit keeps it well away from where it would lie. `by_hand`: a person set it. `words`: what it is,
    `fate`: what became of it. `syllable`: which tie is the other point of its syllable: where that begins, or its vowel
    opens.
    """

    t_ref: float
    t_rec: float
    certainty: float
    closeness: float | None
    held: bool
    followed: bool
    by_hand: bool
    late_ms: float
    moved_ms: float
    left_ms: float | None
    together: bool
    kept_back: bool
    lies_s: float
    kind: Literal["start", "opening", "end"]
    words: str
    fate: str
    syllable: int | None


class StretchOut(BaseModel):
    """A stretch between two ties, reference time in s: `percent` longer (above 0) or shorter than it was performed;
    `share`, 0 to 1, is how much of the limit that is.
    """

    start_s: float
    end_s: float
    percent: float
    by_ms: float
    share: float
    at_limit: bool


class CutOut(BaseModel):
    """Where something had to be left out, or left open, reference time in s."""

    t_ref: float
    too_long_ms: float


class MomentsOut(BaseModel):
    """Moments of a recording, s, at which something begins, opens or ends: a tie may be laid there, and none is."""

    times_s: list[float]


class BendOut(BaseModel):
    """How a recording is bent, as it is heard. `offset_s` is its plain place; the limit stands in per cent."""

    offset_s: float
    closeness: float
    leave_below_ms: float
    limit_percent: float
    ends: bool
    least_certainty: float
    ties: list[TieOut]
    stretches: list[StretchOut]
    cuts: list[CutOut]
    words: str

    @classmethod
    def of(cls, found: BendNow) -> "BendOut":
        """From the core values."""
        bending, made = found.bending, found.made
        settings = bending.settings
        return cls(
            offset_s=bending.offset_s,
            closeness=settings.closeness,
            leave_below_ms=settings.leave_below_s * 1e3,
            limit_percent=settings.limit * 100,
            ends=settings.ends,
            least_certainty=settings.least_certainty,
            ties=_ties(found),
            stretches=[
                StretchOut(
                    start_s=one.start_s,
                    end_s=one.end_s,
                    percent=one.longer * 100,
                    by_ms=one.longer_s * 1e3,
                    share=min(1.0, abs(one.longer) / settings.limit),
                    at_limit=one.at_limit,
                )
                for one in made.stretches
            ],
            cuts=[CutOut(t_ref=one.t_ref, too_long_ms=one.too_long_s * 1e3) for one in made.joints],
            words=kept_back_words(bending, made),
        )


def _ties(found: BendNow) -> list[TieOut]:
    bending, made = found.bending, found.made
    ties, others = [], other_points(bending.ties)
    for index, (tie, moved_s) in enumerate(zip(bending.ties, made.moved_s, strict=True)):
        late_s = tie.t_rec + bending.offset_s - tie.t_ref
        followed = bool(np.isfinite(made.given_up_s[index]))
        ties.append(
            TieOut(
                t_ref=tie.t_ref,
                t_rec=tie.t_rec,
                certainty=tie.certainty,
                closeness=tie.closeness,
                held=tie.held,
                followed=followed,
                by_hand=tie.by_hand,
                late_ms=late_s * 1e3,
                moved_ms=moved_s * 1e3,
                left_ms=(late_s + moved_s) * 1e3 if followed else None,
                together=followed and abs(late_s + moved_s) <= PERFORMERS_TOGETHER_S,
                kept_back=made.is_kept_back(index),
                lies_s=tie.t_rec + bending.offset_s + moved_s,
                kind=tie.kind.value,
                words=tie_words(tie),
                fate=moved_words(late_s, moved_s) if followed else unfollowed_words(tie, bending.settings),
                syllable=others[index],
            )
        )
    return ties
