"""Listen to a stored file once: facts, peaks, loudness, clipping, silence, features."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gullywind.actions.bring_in.hear_sound import hear_sound
from gullywind.core.features.claps import Clap
from gullywind.core.features.extract import Heard, listen
from gullywind.core.features.linear_timecode import TimecodeRun
from gullywind.core.ground.units import Checkpoint, Samples, no_checkpoint
from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.peaks import LEVELS, PeakBuilder
from gullywind.formats.derived import FEATURES, SPOOL, load_heard, peaks_name, save_heard, save_peaks
from gullywind.formats.media import open_media, with_sound
from gullywind.formats.sound_files import Sound
from gullywind.store.files import MediaFolder

#: Share of the progress that decoding takes where there is any.
DECODING = 0.5


@dataclass(frozen=True)
class MediaReport:
    """What listening told. `peak_dbfs`, `true_peak_dbtp`, `loudness_lufs` are None for silence."""

    facts: MediaFacts
    peak_dbfs: float | None
    true_peak_dbtp: float | None
    loudness_lufs: float | None
    clipped_samples: int
    silent: bool
    claps: tuple[Clap, ...]
    timecode: tuple[TimecodeRun, ...]


def open_stored(folder: MediaFolder, content_hash: str) -> tuple[Sound, MediaFacts]:
    """Open a stored file; decodes again if the spool was deleted."""
    return open_media(folder.whole_original(content_hash), folder.make_derived(content_hash) / SPOOL)


def listen_to_media(folder: MediaFolder, content_hash: str, *, checkpoint: Checkpoint = no_checkpoint) -> MediaReport:
    """Decode if need be, then read once for peaks, loudness and features; raises `UnreadableError`."""
    derived = folder.make_derived(content_hash)
    done_before = 0.0

    def decoding(done: float) -> None:
        nonlocal done_before
        done_before = DECODING
        checkpoint(DECODING * done)

    def listened(sound: Sound, facts: MediaFacts) -> MediaReport:
        return _listened(derived, sound, facts, lambda done: checkpoint(done_before + (1 - done_before) * done))

    sound, _, report = with_sound(folder.whole_original(content_hash), derived / SPOOL, listened, checkpoint=decoding)
    sound.close()
    folder.put_derived(content_hash, [FEATURES, *(peaks_name(level) for level in range(LEVELS))])
    return report


def _listened(derived: Path, sound: Sound, facts: MediaFacts, checkpoint: Checkpoint) -> MediaReport:
    builder, loudest = PeakBuilder(), 0.0

    def draw(block: Samples) -> None:
        nonlocal loudest
        loudest = max(loudest, float(block.max()), -float(block.min()))
        builder.push(drawing_mix(block))

    whole = hear_sound(sound, draw, checkpoint=checkpoint)
    save_peaks(derived, builder.finish())
    save_heard(derived, whole.heard)
    return MediaReport(
        facts=facts,
        peak_dbfs=20 * float(np.log10(loudest)) if loudest > 0 else None,
        true_peak_dbtp=whole.true_peak_dbtp,
        loudness_lufs=whole.loudness_lufs,
        clipped_samples=max(one.clipped_samples for one in whole.heard),
        silent=all(one.silent for one in whole.heard),
        claps=whole.claps,
        timecode=whole.timecode,
    )


def drawing_mix(block: Samples) -> Samples:
    """The mono mix that waveforms show: the mean of the channels that are given."""
    return block[0] if block.shape[0] == 1 else np.asarray(block.mean(axis=0), np.float32)


def hear_stored(folder: MediaFolder, content_hash: str, sound: Sound) -> tuple[Heard, ...]:
    """Features of a stored file, from the derived folder or anew."""
    derived = folder.make_derived(content_hash)
    heard = load_heard(folder.fetch_derived(content_hash, FEATURES), sound)
    if heard is None:
        heard = listen(sound)
        save_heard(derived, heard)
        folder.put_derived(content_hash, [FEATURES])
    return heard
