"""Frames of two performances that can be compared: what both have, freed of voice, level and microphone.

Each band is brought to mean 0 and deviation 1 over what sounds (cepstral mean and variance normalisation, Viikki and
Laurila 1998, here of the bands themselves), and then counts by how much it moves in the performance where it moves
less: a band that one of the two has not, or has under noise, says nothing. Squared distances of timbre and pitches
compare.
"""

from dataclasses import dataclass

import numpy as np

from gullywind.core.features.performance import MEL_BANDS, Performance, change_of
from gullywind.core.ground.units import Samples

#: How strongly a band counts by its lesser deviation, where the passage is looked for and where voices are followed. Of
#: recorded voices in noise 23 of 100 moments are found to 150 ms with 0, 77 with 1, 89 with 2; but once it is found,
#: the course of voices is off by 3.5 ms with 1 for 3.9 with 1.5, that of bowed strings less with more.
PASSAGE_POWER, VOICE_POWER = 2.0, 1.0
#: Frames before and after over which bands rise and fall: with 1 noisy voices are off by 13.2 for 11.9 ms.
CHANGE_REACH = 2
CHANCE_PAIRS = 4000


@dataclass(frozen=True, eq=False)
class Frames:
    """Comparable frames of two performances: `ours` and `theirs`, each of shape (frames, dims)."""

    ours: Samples
    theirs: Samples

    def pooled(self, by: int) -> "Frames":
        """Means of so many neighbours, shape (frames // by, dims); at least one."""
        return Frames(_pooled(self.ours, by), _pooled(self.theirs, by))

    def chance(self) -> float:
        """Mean squared distance of frames that have nothing to do with each other."""
        rng = np.random.default_rng(1)
        first, second = (one[rng.integers(0, len(one), CHANCE_PAIRS)] for one in (self.ours, self.theirs))
        return float(((first - second) ** 2).sum(axis=1).mean())


@dataclass(frozen=True, eq=False)
class Likeness:
    """What of two performances, the reference and the recording, can be compared: to find the passage, and closely."""

    timbre: Frames
    close: Frames
    pitches: Frames

    def weighted(self, pitch_weight: float) -> Frames:
        """Timbre, and pitches by weight if they count: to find the passage."""
        if not pitch_weight:
            return self.timbre
        root = np.float32(np.sqrt(pitch_weight))
        return Frames(
            np.concatenate([self.timbre.ours, self.pitches.ours * root], axis=1),
            np.concatenate([self.timbre.theirs, self.pitches.theirs * root], axis=1),
        )

    def closely(self, pitch_weight: float) -> Frames:
        """The same to follow the course."""
        return self.weighted(pitch_weight) if pitch_weight else self.close


def liken(reference: Performance, recording: Performance) -> Likeness:
    """Bands with their rises and falls, and pitches."""
    both = reference, recording
    heard = [one.logs[one.sounding] if one.sounding.any() else one.logs for one in both]
    moves = [np.maximum(logs.std(axis=0), 1e-6) for logs in heard]
    bands = [
        np.asarray((one.logs - logs.mean(axis=0)) / deviation)
        for one, logs, deviation in zip(both, heard, moves, strict=True)
    ]
    lesser = np.minimum(*moves)
    passage, close = (Frames(*(_timbre(one, lesser**power) for one in bands)) for power in (PASSAGE_POWER, VOICE_POWER))
    return Likeness(passage, close, Frames(reference.pitches, recording.pitches))


def _timbre(bands: Samples, weights: Samples) -> Samples:
    """Shape (frames, 3 * MEL_BANDS): bands, rises, falls, each of mean square about 1 over all bands together."""
    bands = np.asarray(bands * (weights / np.sqrt((weights**2).mean())), np.float32)
    change = change_of(bands, CHANGE_REACH)
    rises, falls = np.maximum(change, 0), np.maximum(-change, 0)
    parts = [bands, *(np.asarray(one / max(float(one.std()), 1e-6), np.float32) for one in (rises, falls))]
    return np.concatenate(parts, axis=1, dtype=np.float32) * np.float32(MEL_BANDS**-0.5)


def _pooled(frames: Samples, by: int) -> Samples:
    whole = len(frames) // by
    if not whole:
        return np.asarray(frames.mean(axis=0, keepdims=True), np.float32)
    return np.ascontiguousarray(frames[: whole * by].reshape(whole, by, -1).mean(axis=1, dtype=np.float32))
