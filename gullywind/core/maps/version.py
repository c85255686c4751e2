"""What a recording is at one moment: where it lies (geometry) and how sound is made of it (sounding)."""

from __future__ import annotations

from base64 import b64decode, b64encode
from collections.abc import Mapping
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.bending import Bending
from gullywind.core.maps.time_map import Piece, TimeMap

#: Of the stored form; a later one must still read this.
FORMAT = 1
#: Pieces of more knots are stored as bytes: as numbers they would take a tenth of a second to write and to read.
MOST_PAIRS = 64
#: Nobody means more, dB: such a number is a slip of the keyboard.
MOST_GAIN_DB = 60.0


class Gaps(StrEnum):
    """What is heard where the recording has a gap between two pieces."""

    SILENT = "silent"
    ROOM_TONE = "room-tone"  #: the quietest stretch of the recording beside the gap


class Pitch(StrEnum):
    """What happens to the pitch where a slope is further than 0.5 % from 1."""

    SENSIBLE = "sensible"  #: follows a wrong header or film speed, is kept through any other bend
    FOLLOWS = "follows"
    KEPT = "kept"


@dataclass(frozen=True, slots=True)
class Sounding:
    """How sound is made of a recording, wherever it lies.

    Attributes
    ----------
    polarity : 1, or -1 where the sound is inverted.
    gain_db : dB.
    channels : which channels are heard, in this order, counted from 0; None: all as they are.
    kept : False for scratch sound, which is kept for checking and never delivered.
    """

    gaps: Gaps = Gaps.SILENT
    pitch: Pitch = Pitch.SENSIBLE
    polarity: int = 1
    gain_db: float = 0.0
    channels: tuple[int, ...] | None = None
    kept: bool = True

    def __post_init__(self) -> None:
        if self.polarity not in (1, -1):
            raise InputError(f"polarity must be 1 or -1, got {self.polarity}")
        if not (np.isfinite(self.gain_db) and abs(self.gain_db) <= MOST_GAIN_DB):
            raise InputError(f"a gain must lie within {MOST_GAIN_DB:.0f} dB, got {self.gain_db}")
        if self.channels is not None and (not self.channels or min(self.channels) < 0):
            raise InputError(f"channels must be one or more, counted from 0, got {self.channels}")

    @property
    def factor(self) -> float:
        """What every sample is multiplied by: 1 leaves it untouched."""
        return self.polarity * 10 ** (self.gain_db / 20)

    def with_polarity(self, polarity: int) -> Sounding:
        """The same, with another polarity."""
        return replace(self, polarity=polarity)

    def to_json(self) -> dict[str, Any]:
        """For storage; what is as usual is left out."""
        usual = Sounding()
        names = ("gaps", "pitch", "polarity", "gain_db", "channels", "kept")
        return {name: getattr(self, name) for name in names if getattr(self, name) != getattr(usual, name)}

    @classmethod
    def from_json(cls, stored: Mapping[str, Any]) -> Sounding:
        """Inverse of `to_json`; raises `InputError`."""
        try:
            channels = stored.get("channels")
            return cls(
                gaps=Gaps(stored.get("gaps", Gaps.SILENT)),
                pitch=Pitch(stored.get("pitch", Pitch.SENSIBLE)),
                polarity=int(stored.get("polarity", 1)),
                gain_db=float(stored.get("gain_db", 0.0)),
                channels=None if channels is None else tuple(int(one) for one in channels),
                kept=bool(stored.get("kept", True)),
            )
        except (TypeError, ValueError) as error:
            if isinstance(error, InputError):
                raise
            raise InputError(f"a sounding of another form: {error}") from error


AS_USUAL = Sounding()


@dataclass(frozen=True, slots=True)
class Version:
    """A recording at one moment: never changed, only followed by another.

    `push_s` is a shift on purpose, s, positive: later, on top of the place and kept apart from it. `bending` is what
    the map was made of where it follows another performance.
    """

    time_map: TimeMap
    push_s: float = 0.0
    sounding: Sounding = AS_USUAL
    bending: Bending | None = None

    @property
    def heard_map(self) -> TimeMap:
        """The map with the push: by it the recording is drawn, played and delivered."""
        return self.time_map.shifted(self.push_s) if self.push_s else self.time_map

    def at(self, time_map: TimeMap) -> Version:
        """The same sounding and push elsewhere; a bend belongs to its map, and stays behind."""
        return replace(self, time_map=time_map, bending=None)

    def shifted(self, by_s: float) -> Version:
        """The whole recording `by_s` later in reference time, the ties of its bend with it."""
        bending = self.bending.shifted(by_s) if self.bending else None
        return replace(self, time_map=self.time_map.shifted(by_s), bending=bending)

    def bent(self, time_map: TimeMap, bending: Bending) -> Version:
        """The same sounding and push along a bend."""
        return replace(self, time_map=time_map, bending=bending)

    def heard_at(self, heard_map: TimeMap) -> Version:
        """The same, so placed that with its push it is heard by a map."""
        return self.at(heard_map.shifted(-self.push_s) if self.push_s else heard_map)

    def to_json(self) -> dict[str, Any]:
        """For storage, with the number of its form."""
        stored: dict[str, Any] = {"format": FORMAT, "pieces": [_packed(one) for one in self.time_map.pieces]}
        if self.push_s:
            stored["push_s"] = self.push_s
        if self.bending:
            stored["bending"] = self.bending.to_json()
        sounding = self.sounding.to_json()
        return {**stored, "sounding": sounding} if sounding else stored

    @classmethod
    def from_json(cls, stored: Mapping[str, Any]) -> Version:
        """Inverse of `to_json`; raises `InputError` for what another program wrote."""
        if stored.get("format") != FORMAT:
            raise InputError(f"a version of a form that is not known here: {stored.get('format')}")
        time_map = TimeMap(tuple(_unpacked(one) for one in stored.get("pieces", ())))
        push_s = float(stored.get("push_s", 0.0))
        bending = Bending.from_json(stored["bending"]) if "bending" in stored else None
        return cls(time_map, push_s, Sounding.from_json(stored.get("sounding", {})), bending)


def _packed(piece: Piece) -> Any:
    """Knots as pairs; of many their bytes (all `t_ref`, then all `t_rec`, little-endian doubles) in base 64."""
    if piece.t_ref.size <= MOST_PAIRS:
        return [list(knot) for knot in piece.knots]
    return {"f64": b64encode(np.stack([piece.t_ref, piece.t_rec]).astype("<f8").tobytes()).decode()}


def _unpacked(stored: Any) -> Piece:
    try:
        if isinstance(stored, Mapping):
            return Piece(np.frombuffer(b64decode(stored["f64"]), "<f8").reshape(2, -1).T)
        return Piece(stored)
    except (TypeError, ValueError, KeyError) as error:
        if isinstance(error, InputError):
            raise
        raise InputError(f"a piece of another form: {error}") from error
