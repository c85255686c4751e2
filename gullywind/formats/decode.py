"""Decodes files through FFmpeg to a spool, once, in the file's own time.

Codec delay and edit lists are honoured; damaged packets are skipped, and time goes on over them.
"""

from __future__ import annotations

from array import array
from dataclasses import dataclass, field
from pathlib import Path

import av
import av.container
import numpy as np

from gullywind.core.ground.errors import UnreadableError
from gullywind.core.ground.units import Checkpoint
from gullywind.core.sound.facts import MediaFacts
from gullywind.formats.containers import clock_start_s, first_sound, open_container
from gullywind.formats.decode_ogg import open_refused_ogg
from gullywind.formats.file_time import FileTime, place_in_file
from gullywind.formats.frame_headers import adts_losses, mp3_frame_bytes
from gullywind.formats.riff import sane_time_reference
from gullywind.formats.sound_files import SpooledSound, check_form
from gullywind.formats.spool import SpoolWriter, new_spool, spool_is_there

#: Frames are gathered before they are packed and handed to Python: frame by frame took twice as long.
FIFO_SAMPLES = 32768
#: A reader that fails this often in a row has reached the end of what can be read.
MOST_FAILURES = 100
#: A packet this many times longer than its frame says holds other frames that were not recognised.
OVERLONG = 1.5
#: Stamps in Ogg are those of pages; the frames between are counted, and are early or late by up to 10 ms where Vorbis
#: changes its blocks: as good as coarse stamps.
PAGE_TICK_S = 0.015
#: These do not state their length; FFmpeg guesses it from the first frames.
GUESSED = frozenset({"aac", "mp3", "amr", "ac3", "eac3"})
#: Sound that ends this much (or this share) before the file says is cut off.
CUT_S, CUT_SHARE = 0.25, 0.01


def open_decoded(path: Path, spool: Path, size_bytes: int, checkpoint: Checkpoint) -> tuple[SpooledSound, MediaFacts]:
    """Decode the first sound of any file of the list of containers.

    Parameters
    ----------
    spool : where to put decoded sound; used again if it is there and complete.
    size_bytes : of the file.

    Raises
    ------
    UnreadableError : no sound in it that can be decoded.
    StorageError : the spool could not be written.
    """
    try:
        container = open_container(path)
    except UnreadableError:
        opened = open_refused_ogg(path, spool, size_bytes, checkpoint)
        if opened:
            return opened
        raise
    with container:
        stream = first_sound(container)
        codec = stream.codec_context
        sample_rate_hz, channels = codec.sample_rate or 0, codec.channels
        check_form(sample_rate_hz, channels)
        plain16 = codec.format is not None and codec.format.name in ("s16", "s16p")
        video = container.streams.video[0] if container.streams.video else None
        tags = {k.lower(): v for part in (container, *container.streams) for k, v in part.metadata.items()}
        zero_s = clock_start_s(container)
        if not spool_is_there(spool):
            frame_bytes = channels * (2 if plain16 else 4)
            with new_spool(spool, file_bytes=size_bytes, bytes_per_second=sample_rate_hz * frame_bytes) as writer:
                unseen = adts_losses(path) if container.format.name == "aac" else []
                writer.file_time = _decode(container, stream, writer, plain16, zero_s, unseen, checkpoint)
        sound = SpooledSound(spool, sample_rate_hz, channels, "<i2" if plain16 else "<f4")
        stated_end_s = _stated_end_s(stream, zero_s)
        facts = MediaFacts(
            container=container.format.name,
            codec=codec.name,
            sample_rate_hz=sample_rate_hz,
            channels=channels,
            samples=sound.samples,
            bits=None,
            is_float=not plain16,
            size_bytes=size_bytes,
            timecode=tags.get("timecode"),
            time_reference_samples=sane_time_reference(tags.get("time_reference")),
            frame_rate=video.average_rate if video and video.average_rate else None,
            truncated=sound.file_time.broken_off or _is_cut(sound.samples / sample_rate_hz, stated_end_s),
            gaps=sound.file_time.gaps,
            picture_start_s=_start_s(video, zero_s) if video else None,
        )
    if sound.samples == 0:
        sound.close()
        spool.unlink(missing_ok=True)
        raise UnreadableError("holds no sound that can be decoded")
    return sound, facts


def _start_s(stream: av.VideoStream, zero_s: float | None) -> float:
    if stream.start_time is None or stream.time_base is None:
        return 0.0
    return max(0.0, float(stream.start_time * stream.time_base) - (zero_s or 0.0))


def _stated_end_s(stream: av.AudioStream, zero_s: float | None) -> float | None:
    if not stream.duration or stream.time_base is None:
        return None
    if stream.container.format.name in GUESSED:
        return None
    tick_s = float(stream.time_base)
    begins_s = (stream.start_time or 0) * tick_s - zero_s if zero_s is not None else 0.0
    return max(begins_s, 0.0) + stream.duration * tick_s


def _is_cut(end_s: float, stated_end_s: float | None) -> bool:
    return stated_end_s is not None and end_s < stated_end_s - max(CUT_S, CUT_SHARE * stated_end_s)


@dataclass
class _Frames:
    """What is noted of each decoded frame, and what was lost before the next."""

    samples: array[int] = field(default_factory=lambda: array("q"))
    stamps_s: array[float] = field(default_factory=lambda: array("d"))
    after_damage: array[int] = field(default_factory=lambda: array("b"))
    #: Time that no packet and no time stamp tells of, s.
    lost_s: float = 0.0
    damaged: bool = False
    #: Length in bytes of the last whole MP3 frame.
    usual_bytes: int = 0

    def note(self, frame: av.AudioFrame) -> None:
        stamp = float("nan")
        if frame.pts is not None and frame.time_base is not None:
            stamp = frame.pts * float(frame.time_base) + self.lost_s
        self.samples.append(frame.samples)
        self.stamps_s.append(stamp)
        self.after_damage.append(self.damaged)
        self.damaged = False


def _decode(
    container: av.container.InputContainer,
    stream: av.AudioStream,
    writer: SpoolWriter,
    plain16: bool,
    zero_s: float | None,
    unseen: list[tuple[int, int]],
    checkpoint: Checkpoint,
) -> FileTime:
    """Decode a whole stream to interleaved samples, and say where they belong.

    `unseen` are frames that are missing without a trace: `(frames before them, how many)`.
    """
    total_s = float(container.duration or 0) / 1e6 or None
    resampler = av.AudioResampler(format="s16" if plain16 else "flt")
    fifo = av.AudioFifo()
    rate_hz, channels = stream.codec_context.sample_rate, stream.codec_context.channels
    frame_bytes = channels * (2 if plain16 else 4)
    frames, written, failures, broken_off = _Frames(), 0, 0, False

    def drain(at_least: int) -> None:
        nonlocal written
        while fifo.samples >= at_least and (frame := fifo.read(FIFO_SAMPLES, partial=True)):
            frame.pts = None
            for packed in resampler.resample(frame):
                writer.write(memoryview(packed.planes[0])[: packed.samples * frame_bytes])
                written += packed.samples
            if total_s:
                checkpoint(min(1.0, written / rate_hz / total_s))

    packets = container.demux(stream)
    while failures < MOST_FAILURES:
        try:
            packet = next(packets)
        except StopIteration:
            break
        except av.error.FFmpegError:
            # The reader goes on behind what it cannot read, or says so again until there is nothing more.
            failures, frames.damaged, packets = failures + 1, True, container.demux(stream)
            broken_off = True
            continue
        try:
            decoded = packet.decode()
        except av.error.FFmpegError:
            frames.damaged, decoded = True, []
        else:
            failures, broken_off = 0, False
        for frame in decoded:
            if frame.sample_rate != rate_hz or frame.layout.nb_channels != channels:
                # One frame of another form is damage; its time is filled like that of any other loss.
                frames.damaged = True
                continue
            frames.note(frame)
            frame.pts = None
            fifo.write(frame)
        if container.format.name == "mp3":
            _count_unrecognised(packet, frames)
        drain(FIFO_SAMPLES)
    drain(1)
    samples, stamps_s = np.frombuffer(frames.samples, np.int64), np.array(frames.stamps_s, np.float64)
    after_damage = np.frombuffer(frames.after_damage, np.int8).astype(bool)
    counts_on = zero_s is None
    if counts_on:
        # Nothing but damage makes a jump where frames are only counted, and they begin at time 0.
        stamps_s -= stamps_s[0] if stamps_s.size else 0.0
        after_damage[:] = True
    for before, lost in unseen:
        if before < samples.size:
            stamps_s[before:] += lost * int(samples[before]) / rate_hz
    return place_in_file(
        samples,
        stamps_s - (zero_s or 0.0),
        after_damage,
        sample_rate_hz=rate_hz,
        tick_s=PAGE_TICK_S if container.format.name == "ogg" else float(stream.time_base or 1 / rate_hz),
        broken_off=broken_off,
    )


def _count_unrecognised(packet: av.Packet, frames: _Frames) -> None:
    """Where damage hides the start of an MP3 frame, it hangs on the packet before, and no time stamp counts it."""
    if not packet.size:
        return
    stated = mp3_frame_bytes(bytes(memoryview(packet)[:4]))
    one = stated or frames.usual_bytes
    if one and packet.size > OVERLONG * one and packet.duration and packet.time_base:
        frames.lost_s += round(packet.size / one - 1) * float(packet.duration * packet.time_base)
        frames.damaged = True
    frames.usual_bytes = stated or frames.usual_bytes
