"""Opens containers through FFmpeg: only those of an explicit list, by content, from plain files.

FFmpeg also reads playlists, scripts, devices and descriptions of sound that it makes up itself: a text of 61 bytes
filled the disk. None of these is a recording.
"""

from __future__ import annotations

from pathlib import Path

import av
import av.container

from gullywind.core.ground.errors import UnreadableError

#: FFmpeg's names of what recorders, cameras, phones and editors write.
CONTAINERS = (
    *("mov", "matroska", "ogg", "mp3", "aac", "flac", "wav", "w64", "aiff", "caf", "au"),
    *("avi", "mpegts", "mpeg", "mxf", "amr", "ac3", "eac3", "dv"),
)
#: FFmpeg's names of the codecs of sound in them; all of `pcm_` are read too.
CODECS = frozenset(
    (
        *("aac", "aac_latm", "mp1", "mp1float", "mp2", "mp2float", "mp3", "mp3float", "opus", "libopus", "vorbis"),
        *("flac", "alac", "ac3", "eac3", "amrnb", "amrwb", "libopencore_amrnb", "libopencore_amrwb", "gsm", "gsm_ms"),
        *("adpcm_ima_wav", "adpcm_ima_qt", "adpcm_ms", "dvaudio", "truehd", "dca", "speex", "libspeex"),
    )
)
#: These stamp every frame with the file's time; others count on from wherever they start.
STAMPED = frozenset({"mov", "mp4", "matroska", "webm", "mpegts", "mpeg", "avi", "mxf"})
#: The clock of these starts anywhere; time 0 is their first frame, of sound or picture.
STARTS_ANYWHERE = frozenset({"mpegts", "mpeg"})


def open_container(path: Path) -> av.container.InputContainer:
    """Open a file; the caller closes it.

    Raises
    ------
    UnreadableError : it is none of the containers of the list, or is damaged beyond use.
    """
    options = {"format_whitelist": ",".join(CONTAINERS), "protocol_whitelist": "file"}
    try:
        # "file:" keeps a name like "a:b.mp3" or "-x.mp3" from being read as a protocol or an option. Names in a file's
        # tags may be anything: they are not worth a recording.
        return av.open(f"file:{path}", options=options, metadata_errors="replace")
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise UnreadableError("is not a sound or video file that can be read, or it is damaged") from error


def first_sound(container: av.container.InputContainer) -> av.AudioStream:
    """The first stream of sound.

    Raises
    ------
    UnreadableError : there is none, or none with a codec of the list.
    """
    if not container.streams.audio:
        raise UnreadableError("holds no sound, only other streams" if container.streams else "holds no sound")
    stream = container.streams.audio[0]
    # None where FFmpeg itself has no decoder.
    codec = stream.codec_context.name if stream.codec_context is not None else None
    if codec is None or not (codec in CODECS or codec.startswith("pcm_")):
        raise UnreadableError(f"holds sound in a form that cannot be decoded ({codec or 'an unknown codec'})")
    return stream


def clock_start_s(container: av.container.InputContainer) -> float | None:
    """What the stamps say at time 0 of the file, s; None where they do not speak of the file's time."""
    names = set(container.format.name.split(","))
    if not names & STAMPED:
        return None
    starts_anywhere = bool(names & STARTS_ANYWHERE) and container.start_time is not None
    return container.start_time / av.time_base if starts_anywhere and container.start_time else 0.0
