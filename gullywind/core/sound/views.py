"""How the core reads sound: a random-access source and one listening channel mix of it."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
import numpy.typing as npt

from gullywind.core.ground.units import Samples

#: Channels that agree this well are averaged: less noise, and no comb of importance.
ALIKE = 0.7
#: A channel this far below the loudest is empty (−50 dB).
EMPTY = 10 ** (-50 / 20)
#: One that is further below is the noise of its converter (−90 dB).
AUDIBLE = 10 ** (-90 / 10)
LEVEL_LOOKS, LEVEL_LOOK_S = 24, 0.25


class SampleSource(Protocol):
    """Decoded sound that can be read anywhere."""

    @property
    def sample_rate_hz(self) -> int:
        """Of the decoded sound."""
        ...

    @property
    def channels(self) -> int:
        """How many."""
        ...

    @property
    def samples(self) -> int:
        """Length, for each channel."""
        ...

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32 in -1..1; zeros outside the file."""
        ...

    def __hash__(self) -> int:
        """By identity: what is found out about a source is remembered with it."""
        ...


@dataclass(frozen=True)
class ChosenChannels:
    """Some channels of a source, in an order; equal where both are, so that what is remembered of one serves again."""

    source: SampleSource
    chosen: tuple[int, ...]

    @property
    def sample_rate_hz(self) -> int:
        """The source's."""
        return self.source.sample_rate_hz

    @property
    def samples(self) -> int:
        """The source's."""
        return self.source.samples

    @property
    def channels(self) -> int:
        """How many were chosen."""
        return len(self.chosen)

    def read(self, start: int, stop: int) -> Samples:
        """As the source, those channels only."""
        return np.ascontiguousarray(self.source.read(start, stop)[list(self.chosen)])


def chosen_channels(source: SampleSource, chosen: tuple[int, ...] | None) -> SampleSource:
    """The source with the chosen channels; as it is for None, and for channels that it does not have."""
    there = tuple(one for one in chosen or () if one < source.channels)
    return ChosenChannels(source, there) if there else source


@dataclass(frozen=True)
class Listening:
    """One mono view of a source: the average of some of its channels.

    `speed` is the true sample rate over the stated one: a file of 44.1 kHz sound that says 48 kHz is heard right at
    0.91875. Times of a view are true seconds.
    """

    source: SampleSource
    channels: tuple[int, ...]
    speed: float = 1.0

    @property
    def sample_rate_hz(self) -> float:
        """The true sample rate; whole unless the speed was changed."""
        return self.source.sample_rate_hz * self.speed if self.speed != 1.0 else self.source.sample_rate_hz

    @property
    def duration_s(self) -> float:
        """True length, s."""
        return self.source.samples / self.sample_rate_hz

    def at_speed(self, speed: float) -> "Listening":
        """The same sound, heard at another speed."""
        return replace(self, speed=speed)

    def read(self, start: int, stop: int) -> Samples:
        """Shape (stop - start,), float32."""
        return self.of_block(self.source.read(start, stop))

    def of_block(self, block: Samples) -> Samples:
        """The same view of a block of all channels: shape (channels, n) gives (n,)."""
        if len(self.channels) == 1:
            return np.ascontiguousarray(block[self.channels[0]])
        mono: Samples = block[self.channels[0]].copy()
        for channel in self.channels[1:]:
            mono += block[channel]
        mono *= np.float32(1 / len(self.channels))
        return mono


def listening_views(source: SampleSource, *, without: Sequence[int] = ()) -> tuple[Listening, ...]:
    """Mono views worth searching: channels that agree are averaged, those that differ are heard one by one.

    A stereo pair of one room is one view; a voice beside timecode or hum on the other channel is two; an inverted pair
    is not averaged (it would cancel). Judged by short looks spread over the file. Channels of `without` are not heard,
    unless there are no others.
    """
    left = [channel for channel in range(source.channels) if channel not in without] or [0]
    if len(left) == 1 or source.samples == 0:
        return (Listening(source, (left[0],)),)
    products = _products(source)
    power = np.diag(products).clip(1e-20)
    loudest = power[left].max()
    used: set[int] = {c for c in range(source.channels) if c not in left or power[c] < loudest * EMPTY**2}
    views: list[Listening] = []
    for channel in np.argsort(-power):
        if int(channel) in used:
            continue
        alike = products[channel] / np.sqrt(power[channel] * power)
        # A silent channel is like none, not even itself.
        group = tuple(c for c in range(source.channels) if c not in used and (c == channel or alike[c] >= ALIKE))
        opposite = {c for c in range(source.channels) if alike[c] <= -ALIKE}
        used |= set(group) | opposite
        views.append(Listening(source, tuple(sorted(group))))
    return tuple(views) or (Listening(source, (left[0],)),)


def sounding_channels(channels: int, timecode_channels: Collection[int]) -> tuple[int, ...] | None:
    """Those that hold sound; None where all do, or none."""
    left = tuple(one for one in range(channels) if one not in timecode_channels)
    return left if 0 < len(left) < channels else None


def quiet_channels(
    source: SampleSource, views: Sequence[Listening], *, without: Sequence[int] = ()
) -> dict[int, float]:
    """Channels that no view hears though they are not silent, with how far they lie below the loudest, dB.

    Nothing is said of channels of `without`.
    """
    heard = {channel for view in views for channel in view.channels}
    left = sorted(set(range(source.channels)) - heard - set(without))
    if not left or source.samples == 0:
        return {}
    power = np.diag(_products(source))
    loudest = max(float(power[channel]) for channel in heard)
    # What mirrors another channel is as loud, and nothing of it is lost.
    return {
        channel: 10 * float(np.log10(loudest / power[channel]))
        for channel in left
        if AUDIBLE * loudest < power[channel] < loudest * EMPTY**2
    }


def _products(source: SampleSource) -> npt.NDArray[np.float64]:
    """Sums of all channels' products with one another, shape (channels, channels), from short looks over the file."""
    length = min(int(LEVEL_LOOK_S * source.sample_rate_hz), source.samples)
    starts = np.linspace(0, source.samples - length, LEVEL_LOOKS).astype(int)
    looks = np.concatenate([source.read(int(s), int(s) + length) for s in starts], axis=1)
    looks = looks - looks.mean(axis=1, keepdims=True)
    return np.asarray(looks.astype(np.float64) @ looks.T)
