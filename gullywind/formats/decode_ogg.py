"""Ogg files that FFmpeg refuses for their headers, such as headers that come twice, through libsndfile."""

import os
from pathlib import Path

import soundfile

from gullywind.core.ground.units import Checkpoint
from gullywind.core.sound.facts import MediaFacts
from gullywind.formats.file_time import unbroken
from gullywind.formats.sound_files import SpooledSound, check_form
from gullywind.formats.spool import SpoolWriter, new_spool, spool_is_there

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
        file = soundfile.SoundFile(os.fsencode(path))
    except soundfile.LibsndfileError:
        return None
    with file:
        if file.format != "OGG":
            return None
        check_form(file.samplerate, file.channels)
        if not spool_is_there(spool):
            with new_spool(
                spool, file_bytes=size_bytes, bytes_per_second=4 * file.channels * file.samplerate
            ) as writer:
                _decode(file, writer, checkpoint)
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
            truncated=sound.file_time.broken_off or sound.samples < file.frames,
        )
    return sound, facts


def _decode(file: soundfile.SoundFile, writer: SpoolWriter, checkpoint: Checkpoint) -> None:
    """Decode a whole file, or up to where it breaks off damaged."""
    samples, broken_off = 0, False
    try:
        while (block := file.read(BLOCK_SAMPLES, dtype="float32", always_2d=True)).size:
            writer.write(block.tobytes())
            samples += block.shape[0]
            checkpoint(min(1.0, file.tell() / max(file.frames, 1)))
    except soundfile.LibsndfileError:
        broken_off = True
    writer.file_time = unbroken(samples, broken_off=broken_off)
