"""Streams a whole listening view through the band extractor, and notes clipping and silence on the way."""

from dataclasses import dataclass

import numpy as np

from gullywind.core.features.bands import BandExtractor, BandFeatures
from gullywind.core.sound import Listening
from gullywind.core.units import Checkpoint, no_checkpoint

#: 4 s at 48 kHz: large enough to leave Python seldom, small enough for the cache, and whole when it is thinned.
BLOCK_SAMPLES = 3 << 16
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


def listen(view: Listening, *, checkpoint: Checkpoint = no_checkpoint) -> Heard:
    """Extract features of a whole view in blocks; memory is bounded by the features (6.4 kB a second)."""
    extractor = BandExtractor(view.sample_rate_hz)
    total = view.source.samples
    clipped, loudest = 0, 0.0
    for start in range(0, total, BLOCK_SAMPLES):
        stop = min(start + BLOCK_SAMPLES, total)
        mono = view.read(start, stop)
        low, high = float(mono.min()), float(mono.max())
        if not (np.isfinite(low) and np.isfinite(high)):
            mono = np.nan_to_num(mono, nan=0.0, posinf=0.0, neginf=0.0)
            low, high = float(mono.min()), float(mono.max())
        if max(-low, high) >= FULL_SCALE:
            clipped += _clipped(mono)
        # A constant offset is silence too: what counts is movement.
        loudest = max(loudest, high - low)
        extractor.push(mono)
        checkpoint(stop / total)
    return Heard(view, extractor.finish(), clipped, loudest < SILENCE)


def _clipped(mono: np.ndarray) -> int:
    full = np.concatenate([[False], np.abs(mono) >= FULL_SCALE, [False]]).astype(np.int8)
    edges = np.diff(full)
    runs = np.flatnonzero(edges == -1) - np.flatnonzero(edges == 1)
    return int(runs[runs >= CLIP_RUN].sum())
