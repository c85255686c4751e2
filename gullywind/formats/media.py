"""Opens any media file as random-access sound: PCM and FLAC are read in place, all else is decoded once to a spool.

By content, never by name.
"""

from __future__ import annotations

from pathlib import Path

import soundfile

from gullywind.core.errors import UnreadableError
from gullywind.core.facts import MediaFacts
from gullywind.core.units import Checkpoint, no_checkpoint
from gullywind.formats.riff import riff_facts
from gullywind.formats.sound_files import InPlaceSound, Sound, check_form

#: libsndfile reads these anywhere at once; seeking in compressed streams is not exact, those are spooled.
IN_PLACE = {"WAV", "WAVEX", "RF64", "W64", "AIFF", "AU", "CAF", "FLAC"}
PCM_BITS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32, "FLOAT": 32, "DOUBLE": 64}
#: At 128 kbit/s a byte holds three samples at 48 kHz, and decoding takes longer than all the rest.
SAMPLES_PER_CODED_BYTE = 9.0


def open_media(path: Path, spool: Path, *, checkpoint: Checkpoint = no_checkpoint) -> tuple[Sound, MediaFacts]:
    """Open a file as sound.

    Parameters
    ----------
    path : of any media file with sound.
    spool : where to put decoded sound if it must be decoded; used again if it is there and complete.

    Raises
    ------
    UnreadableError : no sound in it that can be decoded; the message says why, in the editor's words.
    StorageError : the spool could not be written.
    """
    if path.is_dir():
        raise UnreadableError("is a folder, not a recording")
    try:
        size = path.stat().st_size
        with path.open("rb"):
            pass
    except OSError as error:
        raise UnreadableError(f"cannot be opened: {(error.strerror or 'unknown reason').lower()}") from error
    if size == 0:
        raise UnreadableError("is empty: 0 bytes")
    in_place = _open_in_place(path)
    if in_place:
        return in_place
    # FFmpeg is loaded only for those who need it: a tenth of a second at every start of the command line.
    from gullywind.formats.decode import open_decoded

    return open_decoded(path, spool, size, checkpoint)


def decoding_work(path: Path) -> float:
    """Roughly how much work a file is, for comparing files: samples per channel; 0 where it cannot be opened."""
    info = _in_place_info(path)
    if info:
        return float(info.frames)
    try:
        return path.stat().st_size * SAMPLES_PER_CODED_BYTE
    except OSError:
        return 0.0


def _in_place_info(path: Path) -> soundfile._SoundFileInfo | None:
    """What libsndfile says of a file that it can read anywhere, None of any other."""
    try:
        info = soundfile.info(str(path))
    except soundfile.LibsndfileError:
        return None
    return info if info.format in IN_PLACE and info.subtype in PCM_BITS else None


def _open_in_place(path: Path) -> tuple[Sound, MediaFacts] | None:
    info = _in_place_info(path)
    if info is None:
        return None
    if info.frames == 0:
        raise UnreadableError("holds no sound: 0 samples")
    check_form(info.samplerate, info.channels)
    sound = InPlaceSound(path)
    riff = riff_facts(path)
    is_float = info.subtype in ("FLOAT", "DOUBLE")
    codec = "flac" if info.format == "FLAC" else f"pcm_{'f' if is_float else 's'}{PCM_BITS[info.subtype]}"
    facts = MediaFacts(
        container=info.format.lower(),
        codec=codec,
        sample_rate_hz=info.samplerate,
        channels=info.channels,
        samples=sound.samples,
        bits=PCM_BITS[info.subtype],
        is_float=is_float,
        size_bytes=path.stat().st_size,
        timecode=None,
        time_reference_samples=riff.time_reference_samples,
        frame_rate=None,
        truncated=riff.truncated,
    )
    return sound, facts
