"""Opens any media file as random-access sound: PCM and FLAC are read in place, all else is decoded once to a spool.

By content, never by name.
"""

from __future__ import annotations

import os
import stat
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import soundfile

from gullywind.core.ground.errors import UnreadableError
from gullywind.core.ground.units import Checkpoint, no_checkpoint
from gullywind.core.sound.facts import MediaFacts
from gullywind.formats.riff import riff_facts
from gullywind.formats.sound_files import DamagedError, InPlaceSound, Sound, check_form
from gullywind.formats.spool import spool_is_there

#: libsndfile reads these anywhere at once; seeking in compressed streams is not exact, those are spooled.
IN_PLACE = {"WAV", "WAVEX", "RF64", "W64", "AIFF", "AU", "CAF", "FLAC"}
PCM_BITS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32, "FLOAT": 32, "DOUBLE": 64}
#: How the files begin that libsndfile is asked about; it says aloud on the terminal what it thinks of others.
MAGICS = (b"RIFF", b"RF64", b"BW64", b"FORM", b"fLaC", b"riff", b"caff", b".snd", b"dns.")
#: At 128 kbit/s a byte holds three samples at 48 kHz, and decoding takes longer than all the rest.
SAMPLES_PER_CODED_BYTE = 9.0


def open_media(
    path: Path, spool: Path, *, careful: bool = False, checkpoint: Checkpoint = no_checkpoint
) -> tuple[Sound, MediaFacts]:
    """Open a file as sound.

    Parameters
    ----------
    path : of any media file with sound.
    spool : where to put decoded sound if it must be decoded; used again if it is there and complete.
    careful : decode it though it could be read in place: reading it raised `DamagedError`.

    Raises
    ------
    UnreadableError : no sound in it that can be decoded; the message says why, in the editor's words.
    StorageError : the spool could not be written.
    """
    if path.is_dir():
        raise UnreadableError("is a folder, not a recording")
    try:
        state = path.stat()
        size = state.st_size
        if not stat.S_ISREG(state.st_mode):
            # Reading it may never end.
            raise UnreadableError("is no file, but a pipe or a device")
        with path.open("rb"):
            pass
    except OSError as error:
        raise UnreadableError(f"cannot be opened: {(error.strerror or 'unknown reason').lower()}") from error
    except ValueError as error:
        raise UnreadableError("has a name that no file can have") from error
    if size == 0:
        raise UnreadableError("is empty: 0 bytes")
    if not careful and not spool_is_there(spool):
        in_place = _open_in_place(path, size)
        if in_place:
            return in_place
    # FFmpeg is loaded only for those who need it: a tenth of a second at every start of the command line.
    from gullywind.formats.decode import open_decoded

    return open_decoded(path, spool, size, checkpoint)


Found = TypeVar("Found")


def with_sound(
    path: Path, spool: Path, use: Callable[[Sound, MediaFacts], Found], *, checkpoint: Checkpoint = no_checkpoint
) -> tuple[Sound, MediaFacts, Found]:
    """Open a file and read all of it with `use`; where it turns out damaged, once more, decoded with care.

    The sound is open afterwards, and closed where this raises what `open_media` or `use` raise.
    """
    for careful in (False, True):
        sound, facts = open_media(path, spool, careful=careful, checkpoint=checkpoint)
        try:
            return sound, facts, use(sound, facts)
        except DamagedError:
            sound.close()
            if careful:
                raise
        except BaseException:
            sound.close()
            raise
    raise AssertionError("unreachable")


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
        with path.open("rb") as file:
            if file.read(4) not in MAGICS:
                return None
        info = soundfile.info(os.fsencode(path))
    except OSError:
        return None
    except soundfile.LibsndfileError:
        return None
    return info if info.format in IN_PLACE and info.subtype in PCM_BITS else None


def _open_in_place(path: Path, size_bytes: int) -> tuple[Sound, MediaFacts] | None:
    info = _in_place_info(path)
    if info is None:
        return None
    if info.frames == 0:
        raise UnreadableError("holds no sound: 0 samples")
    check_form(info.samplerate, info.channels)
    is_flac, bits = info.format == "FLAC", PCM_BITS[info.subtype]
    # A header may claim what the file cannot hold.
    held = info.frames if is_flac else min(info.frames, size_bytes * 8 // (bits * info.channels))
    if is_flac and not _can_read(path, info.frames - 1):
        return None
    sound = InPlaceSound(path, held)
    riff = riff_facts(path)
    is_float = info.subtype in ("FLOAT", "DOUBLE")
    facts = MediaFacts(
        container=info.format.lower(),
        codec="flac" if is_flac else f"pcm_{'f' if is_float else 's'}{bits}",
        sample_rate_hz=info.samplerate,
        channels=info.channels,
        samples=sound.samples,
        bits=bits,
        is_float=is_float,
        size_bytes=size_bytes,
        timecode=None,
        time_reference_samples=riff.time_reference_samples,
        frame_rate=None,
        truncated=riff.truncated or held < info.frames,
        timecode_rate=riff.timecode_rate,
        timecode_drop=riff.timecode_drop,
    )
    return sound, facts


def _can_read(path: Path, sample: int) -> bool:
    """Whether one sample can be decoded: the last one cannot where a FLAC file is cut off."""
    try:
        with soundfile.SoundFile(os.fsencode(path)) as file:
            file.seek(sample)
            return len(file.read(1)) == 1
    except soundfile.LibsndfileError:
        return False
