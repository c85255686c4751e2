"""Streams a whole listening view through the band extractor, and notes clipping and silence on the way."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from gullywind.core.features.bands import BandExtractor, BandFeatures
from gullywind.core.features.claps import Clap, ClapFinder, apart
from gullywind.core.features.linear_timecode import TimecodeRun, read_timecode, timecode_channels
from gullywind.core.ground.units import Checkpoint, Samples, no_checkpoint
from gullywind.core.sound.views import Listening, SampleSource, listening_views

#: 4 s at 48 kHz: large enough to leave Python seldom, small enough for the cache, and whole when it is thinned.
LISTENED_BLOCK = 3 << 16
FULL_SCALE = 0.999
#: A run of full-scale samples this long is clipping, not a peak that just fits.
CLIP_RUN = 4
SILENCE = 1e-5


@dataclass(frozen=True, eq=False)
class Heard:
    """A view's features and what was noticed while listening.

    Attributes
    ----------
    clipped_samples : samples in full-scale runs.
    silent : nothing in it is louder than -100 dBFS, or it holds timecode and nothing that could be compared.
    claps : sharp sounds that can serve as marks, in order.
    timecode : linear timecode that the file holds, of all its channels.
    """

    view: Listening
    features: BandFeatures
    clipped_samples: int
    silent: bool
    claps: tuple[Clap, ...] = ()
    timecode: tuple[TimecodeRun, ...] = ()

    @property
    def timecode_channels(self) -> tuple[int, ...]:
        """Channels of the file that hold linear timecode."""
        return tuple(sorted({run.channel for run in self.timecode}))


def views_of(source: SampleSource) -> tuple[tuple[Listening, ...], tuple[int, ...]]:
    """The views worth searching, and the channels that hold linear timecode and are left out of them."""
    code = timecode_channels(source)
    return listening_views(source, without=code), code


class Listener:
    """Takes a view block by block, in order; memory is bounded by the features (6.4 kB a second)."""

    def __init__(self, view: Listening, timecode_channels: tuple[int, ...] = ()) -> None:
        self.view, self.code = view, timecode_channels
        self._extractor = BandExtractor(view.sample_rate_hz)
        self._claps = ClapFinder(view.sample_rate_hz)
        self._clipped, self._loudest = 0, 0.0

    def push(self, block: Samples) -> None:
        """Add a block of all channels of the source, shape (channels, n), n = LISTENED_BLOCK but for the last."""
        mono = self.view.of_block(block)
        low, high = float(mono.min()), float(mono.max())
        if not (np.isfinite(low) and np.isfinite(high)):
            mono = np.nan_to_num(mono, nan=0.0, posinf=0.0, neginf=0.0)
            low, high = float(mono.min()), float(mono.max())
        if max(-low, high) >= FULL_SCALE:
            self._clipped += _clipped(mono)
        # A constant offset is silence too: what counts is movement.
        self._loudest = max(self._loudest, high - low)
        self._extractor.push(mono)
        self._claps.push(mono)

    def finish(self, timecode: tuple[TimecodeRun, ...] = ()) -> Heard:
        """What was heard; `timecode` is what was read of the file's."""
        only_code = set(self.view.channels) <= set(self.code)
        silent = only_code or self._loudest < SILENCE
        claps = () if silent else self._claps.finish()
        return Heard(self.view, self._extractor.finish(), self._clipped, silent, claps, timecode)


def listen(source: SampleSource, *, checkpoint: Checkpoint = no_checkpoint) -> tuple[Heard, ...]:
    """Hear all views of a source; every block is read once."""
    listeners = listeners_for(source)
    for block in blocks_of(source, checkpoint=checkpoint):
        for listener in listeners:
            listener.push(block)
    return finish_all(listeners)


def finish_all(listeners: Sequence[Listener]) -> tuple[Heard, ...]:
    """What was heard of all views of a source."""
    code = [run for channel in listeners[0].code for run in read_timecode(listeners[0].view.source, channel)]
    return tuple(listener.finish(tuple(code)) for listener in listeners)


def listeners_for(source: SampleSource) -> list[Listener]:
    """One for each view that is worth searching."""
    views, code = views_of(source)
    return [Listener(view, code) for view in views]


def claps_of(heard: Sequence[Heard]) -> tuple[Clap, ...]:
    """The sharp sounds of a file, in order: each once, though several channels hold it."""
    return apart([clap for one in heard for clap in one.claps])


def blocks_of(source: SampleSource, *, checkpoint: Checkpoint = no_checkpoint) -> Iterator[Samples]:
    """A whole source in blocks of shape (channels, LISTENED_BLOCK), the last one shorter."""
    for start in range(0, source.samples, LISTENED_BLOCK):
        stop = min(start + LISTENED_BLOCK, source.samples)
        yield source.read(start, stop)
        checkpoint(stop / source.samples)


def _clipped(mono: np.ndarray) -> int:
    full = np.concatenate([[False], np.abs(mono) >= FULL_SCALE, [False]]).astype(np.int8)
    edges = np.diff(full)
    runs = np.flatnonzero(edges == -1) - np.flatnonzero(edges == 1)
    return int(runs[runs >= CLIP_RUN].sum())
