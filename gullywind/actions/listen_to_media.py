"""Listen to a stored file once: facts, peaks, loudness, clipping, silence, features."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gullywind.core.facts import MediaFacts
from gullywind.core.features.extract import BLOCK_SAMPLES, Heard, listen
from gullywind.core.peaks import PeakBuilder
from gullywind.core.sound import Listening, listening_views
from gullywind.core.units import Checkpoint, Samples, no_checkpoint
from gullywind.formats.derived import SPOOL, load_heard, save_heard, save_peaks
from gullywind.formats.loudness import LoudnessMeter
from gullywind.formats.media import open_media
from gullywind.formats.sound_files import Sound
from gullywind.store.files import MediaFolder


@dataclass(frozen=True)
class MediaReport:
    """What listening told. `peak_dbfs`, `loudness_lufs` are None for silence."""

    facts: MediaFacts
    peak_dbfs: float | None
    loudness_lufs: float | None
    clipped_samples: int
    silent: bool


def open_stored(folder: MediaFolder, content_hash: str) -> tuple[Sound, MediaFacts]:
    """Open a stored file; decodes again if the spool was deleted."""
    return open_media(folder.original(content_hash), folder.derived(content_hash) / SPOOL)


def listen_to_media(folder: MediaFolder, content_hash: str, *, checkpoint: Checkpoint = no_checkpoint) -> MediaReport:
    """Decode if need be, then read once for peaks and loudness and once for features; raises `UnreadableError`."""
    original, derived = folder.original(content_hash), folder.derived(content_hash)
    sound, facts = open_media(original, derived / SPOOL, checkpoint=lambda done: checkpoint(0.4 * done))
    try:
        builder, meter, loudest = PeakBuilder(), LoudnessMeter(sound.sample_rate_hz, sound.channels), 0.0
        for start in range(0, sound.samples, BLOCK_SAMPLES):
            block = sound.read(start, min(start + BLOCK_SAMPLES, sound.samples))
            loudest = max(loudest, float(np.max(np.abs(np.nan_to_num(block)), initial=0.0)))
            builder.push(drawing_mix(block))
            meter.push(block)
            checkpoint(0.4 + 0.3 * min(1.0, (start + BLOCK_SAMPLES) / sound.samples))
        save_peaks(derived, builder.finish())
        heard = tuple(listen(view) for view in listening_views(sound))
        save_heard(derived, heard)
        checkpoint(1.0)
        return MediaReport(
            facts,
            20 * float(np.log10(loudest)) if loudest > 0 else None,
            meter.finish(),
            max(one.clipped_samples for one in heard),
            all(one.silent for one in heard),
        )
    finally:
        sound.close()


def drawing_mix(block: Samples) -> Samples:
    """The mono mix that waveforms show: the mean of all channels."""
    return block[0] if block.shape[0] == 1 else np.asarray(block.mean(axis=0), np.float32)


def hear_stored(folder: MediaFolder, content_hash: str, sound: Sound) -> tuple[Heard, ...]:
    """Features of a stored file, from the derived folder or anew."""
    derived: Path = folder.derived(content_hash)
    heard = load_heard(derived, sound)
    if heard is None:
        views: tuple[Listening, ...] = listening_views(sound)
        heard = tuple(listen(view) for view in views)
        save_heard(derived, heard)
    return heard
