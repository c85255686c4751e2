"""Ogg files that FFmpeg refuses for their headers, such as headers that come twice, through libsndfile."""

from pathlib import Path

import soundfile

from gullywind.core.facts import MediaFacts
from gullywind.core.units import Checkpoint
from gullywind.formats.sound_files import SpooledSound, check_form
from gullywind.formats.spool import new_spool

BLOCK_SAMPLES = 1 << 16


def open_refused_ogg(
    path: Path, spool: Path, size_bytes: int, checkpoint: Checkpoint
) -> tuple[SpooledSound, MediaFacts] | None:
    """Decode an Ogg file to a spool; None where it is none that libsndfile reads, or holds no sound.

    Raises
    ------
    UnreadableError : it states a form that no recorder makes.
    StorageError : the spool could not be written.
    """
    try:
        file = soundfile.SoundFile(str(path))
    except soundfile.LibsndfileError:
        return None
    with file:
        if file.format != "OGG":
            return None
        check_form(file.samplerate, file.channels)
        damaged = False
        if not spool.exists():
            damaged = _decode(file, spool, checkpoint)
        sound = SpooledSound(spool, file.samplerate, file.channels, "<f4")
        if sound.samples == 0:
            sound.close()
            spool.unlink(missing_ok=True)
            return None
        facts = MediaFacts(
            container="ogg",
            codec=file.subtype.lower(),
            sample_rate_hz=file.samplerate,
            channels=file.channels,
            samples=sound.samples,
            bits=None,
            is_float=True,
            size_bytes=size_bytes,
            timecode=None,
            time_reference_samples=None,
            frame_rate=None,
            truncated=damaged or sound.samples < file.frames,
        )
    return sound, facts


def _decode(file: soundfile.SoundFile, spool: Path, checkpoint: Checkpoint) -> bool:
    """Decode a whole file; True where it broke off damaged."""
    with new_spool(spool) as out:
        try:
            while (block := file.read(BLOCK_SAMPLES, dtype="float32", always_2d=True)).size:
                out.write(block.tobytes())
                checkpoint(min(1.0, file.tell() / max(file.frames, 1)))
        except soundfile.LibsndfileError:
            return True
    return False
