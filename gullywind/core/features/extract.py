"""Streams a whole listening view through the band extractor, and notes clipping and silence on the way."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from gullywind.core.features.bands import BandExtractor, BandFeatures
from gullywind.core.ground.units import Checkpoint, Samples, no_checkpoint
from gullywind.core.sound.views import Listening, SampleSource

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
    silent : nothing in it is louder than -100 dBFS.
    """

    view: Listening
    features: BandFeatures
    clipped_samples: int
    silent: bool


class Listener:
    """Takes a view block by block, in order; memory is bounded by the features (6.4 kB a second)."""

    def __init__(self, view: Listening) -> None:
        self._view = view
        self._extractor = BandExtractor(view.sample_rate_hz)
        self._clipped, self._loudest = 0, 0.0

    def push(self, block: Samples) -> None:
        """Add a block of all channels of the source, shape (channels, n), n = LISTENED_BLOCK but for the last."""
        mono = self._view.of_block(block)
        low, high = float(mono.min()), float(mono.max())
        if not (np.isfinite(low) and np.isfinite(high)):
            mono = np.nan_to_num(mono, nan=0.0, posinf=0.0, neginf=0.0)
            low, high = float(mono.min()), float(mono.max())
        if max(-low, high) >= FULL_SCALE:
            self._clipped += _clipped(mono)
        # A constant offset is silence too: what counts is movement.
        self._loudest = max(self._loudest, high - low)
        self._extractor.push(mono)

    def finish(self) -> Heard:
        """What was heard."""
        return Heard(self._view, self._extractor.finish(), self._clipped, self._loudest < SILENCE)


def listen(views: Sequence[Listening], *, checkpoint: Checkpoint = no_checkpoint) -> tuple[Heard, ...]:
    """Extract the features of all views of one source; every block is read once."""
    listeners = [Listener(view) for view in views]
    source = views[0].source
    for block in blocks_of(source, checkpoint=checkpoint):
        for listener in listeners:
            listener.push(block)
    return tuple(listener.finish() for listener in listeners)


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
