"""Decodes files through FFmpeg to a spool, once. Sample 0 is time 0: codec delay and edit lists are honoured."""

from __future__ import annotations

from pathlib import Path

import av
import av.container

from gullywind.core.errors import UnreadableError
from gullywind.core.facts import MediaFacts
from gullywind.core.units import Checkpoint
from gullywind.formats.decode_ogg import open_refused_ogg
from gullywind.formats.sound_files import SpooledSound, check_form
from gullywind.formats.spool import new_spool

#: Frames are gathered before they are packed and handed to Python: frame by frame took twice as long.
FIFO_SAMPLES = 32768


def open_decoded(path: Path, spool: Path, size_bytes: int, checkpoint: Checkpoint) -> tuple[SpooledSound, MediaFacts]:
    """Decode the first sound of any file that FFmpeg reads.

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
        # "file:" keeps a name like "a:b.mp3" or "-x.mp3" from being read as a protocol or an option.
        container = av.open(f"file:{path}")
    except (av.error.FFmpegError, OSError, ValueError) as error:
        opened = open_refused_ogg(path, spool, size_bytes, checkpoint)
        if opened:
            return opened
        raise UnreadableError("is not a sound or video file that can be read, or it is damaged") from error
    with container:
        if not container.streams.audio:
            raise UnreadableError("holds no sound, only other streams" if container.streams else "holds no sound")
        stream = container.streams.audio[0]
        sample_rate_hz, channels = stream.codec_context.sample_rate or 0, stream.codec_context.channels
        check_form(sample_rate_hz, channels)
        plain16 = stream.codec_context.format is not None and stream.codec_context.format.name in ("s16", "s16p")
        video = container.streams.video[0] if container.streams.video else None
        tags = {k.lower(): v for part in (container, *container.streams) for k, v in part.metadata.items()}
        container_name, codec = container.format.name, stream.codec_context.name
        frame_rate = float(video.average_rate) if video and video.average_rate else None
        damaged = False
        if not spool.exists():
            damaged = _decode(container, stream, spool, "s16" if plain16 else "flt", checkpoint)
        sound = SpooledSound(spool, sample_rate_hz, channels, "<i2" if plain16 else "<f4")
        stated_s = float(stream.duration * stream.time_base) if stream.duration and stream.time_base else None
    if sound.samples == 0:
        sound.close()
        spool.unlink(missing_ok=True)
        raise UnreadableError("holds no sound that can be decoded")
    short = stated_s is not None and sound.samples / sample_rate_hz < stated_s - max(0.25, 0.01 * stated_s)
    facts = MediaFacts(
        container=container_name,
        codec=codec,
        sample_rate_hz=sample_rate_hz,
        channels=channels,
        samples=sound.samples,
        bits=None,
        is_float=not plain16,
        size_bytes=size_bytes,
        timecode=tags.get("timecode"),
        time_reference_samples=int(tags["time_reference"]) if tags.get("time_reference", "").isdigit() else None,
        frame_rate=frame_rate,
        truncated=damaged or short,
    )
    return sound, facts


def _decode(
    container: av.container.InputContainer,
    stream: av.AudioStream,
    spool: Path,
    sample_format: str,
    checkpoint: Checkpoint,
) -> bool:
    """Decode a whole stream to interleaved samples in `spool`; True where it broke off damaged."""
    total_s = float(container.duration or 0) / 1e6 or None
    resampler = av.AudioResampler(format=sample_format)
    fifo = av.AudioFifo()
    damaged = False
    written = 0
    rate = stream.codec_context.sample_rate
    frame_bytes = stream.codec_context.channels * (2 if sample_format == "s16" else 4)
    with new_spool(spool) as out:

        def drain(at_least: int) -> None:
            nonlocal written
            while fifo.samples >= at_least and (frame := fifo.read(FIFO_SAMPLES, partial=True)):
                frame.pts = None
                for packed in resampler.resample(frame):
                    out.write(memoryview(packed.planes[0])[: packed.samples * frame_bytes])
                    written += packed.samples
                if total_s:
                    checkpoint(min(1.0, written / rate / total_s))

        try:
            for frame in container.decode(stream):
                frame.pts = None
                fifo.write(frame)
                drain(FIFO_SAMPLES)
        except av.error.FFmpegError:
            # What came before the damage is good; the caller names the file as truncated.
            damaged = True
        drain(1)
    return damaged
