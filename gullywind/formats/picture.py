"""Writes a video with new sound: packets of its picture and of its own sound are copied, the new sound is encoded.

The new sound counts from time 0 of the file, as everything that is heard of it does; the packets keep their stamps.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container
import av.stream
import numpy as np

from gullywind.core.ground.errors import StorageError, UnreadableError
from gullywind.core.ground.units import Checkpoint, Samples, no_checkpoint
from gullywind.formats.containers import clock_start_s, open_container

#: The codec of the new sound by the container: without loss where players and editors take it, else at this rate.
CODECS = {".mov": "pcm_s24le", ".mkv": "flac", ".mka": "flac", ".avi": "pcm_s16le", ".webm": "libopus"}
LOSSY, LOSSY_BITS = "aac", {"aac": 320_000, "libopus": 192_000}
FRAME_FORMATS = {"pcm_s24le": "s32", "flac": "s32", "pcm_s16le": "s16", "libopus": "flt", "aac": "fltp"}
#: The one rate of Opus, Hz.
OPUS_HZ = 48000
#: Tags that speak of the file as it was written, not of what it holds.
OF_THE_FILE = {"major_brand", "minor_version", "compatible_brands", "encoder"}
#: The new sound is written so far ahead of the picture, s: players read both from one place.
SOUND_AHEAD_S = 0.5
#: More channels are mixed to one: few players know what to do with them.
MOST_SOUND_CHANNELS = 2


@dataclass(frozen=True, eq=False)
class NewSound:
    """Sound for a picture, from time 0 of its file: blocks of shape (channels, n), float32."""

    name: str
    sample_rate_hz: int
    channels: int
    blocks: Iterable[Samples]


def sound_rate_hz(suffix: str, wanted_hz: int) -> int:
    """The sample rate at which a new sound of a container is to be made."""
    return OPUS_HZ if CODECS.get(suffix.lower()) == "libopus" else wanted_hz


def write_picture(
    source: Path,
    output: Path,
    sounds: Sequence[NewSound],
    *,
    keeps_own: bool = True,
    checkpoint: Checkpoint = no_checkpoint,
) -> None:
    """Copy a video with new sounds as its first tracks; its own sounds follow as they are, unless it keeps none.

    Whole or not at all.

    Raises
    ------
    UnreadableError : the source cannot be read, or has no picture.
    StorageError : the file could not be written, or would take the source's place.
    """
    if output.exists() and output.samefile(source):
        raise StorageError(f"{output.name} would be written over the recording itself: choose another folder")
    part = output.with_name(f".{output.stem}.part{output.suffix}")
    try:
        with open_container(source) as container:
            if not container.streams.video:
                raise UnreadableError("holds no picture")
            _copy(container, part, sounds, keeps_own, checkpoint)
        part.replace(output)
    except (OSError, ValueError, av.error.FFmpegError) as error:
        part.unlink(missing_ok=True)
        why = (getattr(error, "strerror", None) or str(error)).lower()
        raise StorageError(f"{output.name} could not be written: {why}") from error
    except BaseException:
        part.unlink(missing_ok=True)
        raise


def _copy(
    container: av.container.InputContainer,
    part: Path,
    sounds: Sequence[NewSound],
    keeps_own: bool,
    checkpoint: Checkpoint,
) -> None:
    # Stamps are kept as they are: what is copied must stay where it was against what is new.
    options = {"avoid_negative_ts": "disabled"} if part.suffix.lower() in (".mkv", ".mka", ".webm") else {}
    with av.open(f"file:{part}", "w", options=options) as written:
        written.metadata.update(_told(container))
        copies: dict[int, av.stream.Stream] = {
            one.index: written.add_stream_from_template(one) for one in container.streams.video
        }
        start_s = clock_start_s(container) or 0.0
        tracks = [_Track(written, one, part.suffix, start_s) for one in sounds]
        for one in container.streams.audio if keeps_own else ():
            copies[one.index] = written.add_stream_from_template(one)
            copies[one.index].metadata.update(_named("own sound"))
        duration_s = max(float(container.duration or 0) / av.time_base, 1e-3)
        for packet in _stamped(container):
            assert packet.dts is not None and packet.time_base is not None
            at_s = float(packet.dts * packet.time_base)
            for track in tracks:
                track.write_until(at_s + SOUND_AHEAD_S)
            if packet.stream.index in copies:
                packet.stream = copies[packet.stream.index]
                written.mux(packet)
            checkpoint(min((at_s - start_s) / duration_s, 1.0))
        for track in tracks:
            track.finish()


class _Track:
    """A new sound on its way into a file."""

    def __init__(self, written: av.container.OutputContainer, sound: NewSound, suffix: str, start_s: float) -> None:
        codec = CODECS.get(suffix.lower(), LOSSY)
        channels = sound.channels if sound.channels <= MOST_SOUND_CHANNELS else 1
        layout = "mono" if channels == 1 else "stereo"
        # The slow search for what may be left out gains nothing at this rate.
        faster = {"aac_coder": "fast"} if codec == "aac" else {}
        stream = written.add_stream(codec, rate=sound.sample_rate_hz, layout=layout, options=faster)
        assert isinstance(stream, av.AudioStream)
        if codec in LOSSY_BITS:
            stream.bit_rate = LOSSY_BITS[codec]
        stream.metadata.update(_named(sound.name))
        self._written, self._stream, self._until_s = written, stream, start_s
        self._frames = _frames(sound, channels, layout, FRAME_FORMATS[codec], start_s)

    def write_until(self, time_s: float) -> None:
        """As much as plays until then."""
        while self._until_s < time_s and (frame := next(self._frames, None)) is not None:
            self._written.mux(self._stream.encode(frame))
            self._until_s += frame.samples / frame.sample_rate

    def finish(self) -> None:
        """All that is left."""
        self.write_until(float("inf"))
        self._written.mux(self._stream.encode(None))


def _told(container: av.container.InputContainer) -> dict[str, str]:
    """What the file says of itself: its tags, and the timecode that its picture begins with."""
    told = {key: value for key, value in container.metadata.items() if key not in OF_THE_FILE}
    codes = [one.metadata["timecode"] for one in container.streams if "timecode" in one.metadata]
    return told | ({"timecode": codes[0]} if codes else {})


def _stamped(container: av.container.InputContainer) -> Iterator[av.Packet]:
    """All packets of picture and sound; those whose stamp for decoding a container leaves out get one.

    Matroska keeps none: FFmpeg tells them once it has seen how far pictures are reordered. The first ones lie before.
    """
    waiting: dict[int, list[av.Packet]] = {}
    last: dict[int, int] = {}
    for packet in container.demux([*container.streams.video, *container.streams.audio]):
        if packet.size == 0 or packet.time_base is None:
            continue
        index = packet.stream.index
        if packet.dts is None and index not in last:
            waiting.setdefault(index, []).append(packet)
            continue
        if packet.dts is None:
            packet.dts = last[index] + max(packet.duration or 1, 1)
        before = waiting.pop(index, [])
        for k, one in enumerate(before):
            one.dts = packet.dts - (len(before) - k) * max(one.duration or 1, 1)
            yield one
        last[index] = packet.dts
        yield packet
    for rest in waiting.values():
        for one in rest:
            one.dts = one.pts
            yield one


def _frames(sound: NewSound, channels: int, layout: str, form: str, start_s: float) -> Iterator[av.AudioFrame]:
    """Blocks as frames with their place in the file."""
    at = round(start_s * sound.sample_rate_hz)
    for block in sound.blocks:
        part = block if block.shape[0] == channels else block.mean(axis=0, keepdims=True, dtype=np.float32)
        frame = av.AudioFrame.from_ndarray(_packed(part, form), format=form, layout=layout)
        frame.sample_rate, frame.time_base = sound.sample_rate_hz, Fraction(1, sound.sample_rate_hz)
        frame.pts = at
        at += part.shape[1]
        yield frame


def _packed(block: Samples, form: str) -> np.ndarray:
    """Samples as a form of FFmpeg wants them: planar, or interleaved in one row."""
    if form == "fltp":
        return np.ascontiguousarray(block, np.float32)
    row = block.T.reshape(1, -1)
    if form == "flt":
        return np.ascontiguousarray(row, np.float32)
    bits = 16 if form == "s16" else 24
    most = 2 ** (bits - 1)
    steps = np.rint(row.astype(np.float64) * most).clip(-most, most - 1)
    return np.ascontiguousarray(steps.astype(np.int16) if form == "s16" else steps.astype(np.int32) << 8)


def _named(name: str) -> dict[str, str]:
    # Players show the one, editors the other.
    return {"title": name, "handler_name": name}
