"""What supports a placement: rivals, windows, and the numbers that confidence is made of."""

from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.words import Note
from gullywind.core.maps.ties import Tie
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import Gaps, Sounding, Version
from gullywind.core.measure.correlate import WindowLag

#: A lead beyond all doubt.
NO_RIVAL = 9.0
#: Of two places that agree alike, one that holds so many times as much of the recording is no equal.
FAR_MORE = 2.5


class Status(StrEnum):
    """What became of a recording."""

    PLACED = "placed"
    UNSURE = "unsure"  #: rivals are given, a person must choose
    UNPLACED = "unplaced"  #: no evidence that it belongs here
    FAILED = "failed"  #: could not be read


class Way(StrEnum):
    """By which way two recordings were tied."""

    SOUND = "sound"
    NEIGHBOURS = "neighbours"
    CLAPS = "claps"
    TIMECODE = "timecode"
    HAND = "hand"
    SET = "set"  #: it lies with the others of its set


@dataclass(frozen=True, slots=True)
class Candidate:
    """One possible placement; `score` 0..1 is how well the phases agree over its whole overlap."""

    offset_s: float
    rate: float
    score: float


@dataclass(frozen=True, slots=True)
class Residual:
    """Timing differences left in the rendered sound, ms, and how many windows they come from."""

    median_ms: float
    p95_ms: float
    windows: int


@dataclass(frozen=True, slots=True)
class Support:
    """Numbers that say how much speaks for one place.

    Attributes
    ----------
    envelope_z : height of the coarse match.
    height : standard deviations by which the sum of all windows' correlations along the line stands above chance;
        the coarse match's height where the place was plain without that sum.
    windows, agreeing : how many windows were measured, how many lie on one line.
    chance_nats : natural logarithm of how improbable that agreement is by chance; larger is better.
    quality : median quality of the agreeing windows.
    score : 0..1. Mean phase agreement over all windows.
    explained : 0..1. Share of the reference's power, in the better half of its bands, that the recording holds as well.
    overlap_s : s.
    coverage : 0..1. The overlap over the shorter of both recordings.
    unevenness : 0 or more. Variance of the gain by which the recording holds the reference's sound, over time and
        bands, as a share of its square: what noise covers leaves it even, what is missing does not. 0 where nearly all
        is explained, or nothing agrees.
    lead : standard errors by which the windows of this place agree better than those of the strongest rival that agrees
        with itself as well; NO_RIVAL where there is none.
    """

    envelope_z: float
    windows: int
    agreeing: int
    chance_nats: float
    quality: float
    score: float
    explained: float
    overlap_s: float
    coverage: float
    lead: float = NO_RIVAL
    height: float = 0.0
    unevenness: float = 0.0

    @property
    def agreement(self) -> float:
        """Share of the windows that lie on one line."""
        return self.agreeing / max(self.windows, 1)

    @property
    def agreed_s(self) -> float:
        """About how much of the recording agrees at the place, s."""
        return self.overlap_s * self.agreement

    def is_outweighed_by(self, other: "Support") -> bool:
        """Whether another place holds so much more of the recording that this one is its copy, not its equal.

        A refrain comes again more easily than a whole song.
        """
        return other.agreed_s >= FAR_MORE * self.agreed_s


@dataclass(frozen=True, eq=False)
class Curve:
    """The match curve for drawing: heights at `start_s + i * step_s`, float32."""

    start_s: float
    step_s: float
    heights: npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class MovedTie:
    """A tie of a bent performance, and how much of its difference was taken away, s (below 0: it is heard earlier)."""

    tie: Tie
    moved_s: float


@dataclass(frozen=True, eq=False)
class Alignment:
    """The judgement on one recording, with its evidence.

    `time_map` is None where it is unplaced; then `candidates` may still name where it fits least badly.
    `residual` and `trace` come from the proof: the sound rendered through the map, measured anew. Where nothing was
    placed `trace` holds the windows of the best place. `channels` are those of the reference and of the recording that
    were compared, `window_s` is how long the proof's windows are. `ppm_error`, `offset_error_s` are standard errors of
    the rate and of the place at the reference time `error_at_s`, where neither depends on the other. `by` is the way by
    which the place was found, `sounding` the channels that hold sound, None for all. `ties` are those of another
    performance, in order.
    """

    status: Status
    time_map: TimeMap | None
    polarity: int
    confidence: float
    candidates: tuple[Candidate, ...]
    residual: Residual | None
    notes: tuple[Note, ...]
    trace: tuple[WindowLag, ...] = ()
    curve: Curve | None = None
    ppm_error: float | None = None
    offset_error_s: float | None = None
    error_at_s: float | None = None
    support: Support | None = None
    rival_support: Support | None = field(default=None)
    channels: tuple[tuple[int, ...], tuple[int, ...]] | None = None
    window_s: float | None = None
    by: Way = Way.SOUND
    sounding: tuple[int, ...] | None = None
    ties: tuple[MovedTie, ...] = ()

    @property
    def agreement(self) -> float:
        """Share of the windows that are alike there; 1 where it was not found by windows."""
        return self.support.agreement if self.support else 1.0

    @property
    def version(self) -> Version | None:
        """What the recording is by this judgement: its place, its polarity put right, its timecode left out."""
        if self.time_map is None:
            return None
        # Where a bend had to cut, the room goes on.
        gaps = Gaps.ROOM_TONE if self.ties else Gaps.SILENT
        return Version(self.time_map, sounding=Sounding(gaps, polarity=self.polarity, channels=self.sounding))
