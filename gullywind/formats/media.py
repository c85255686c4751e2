"""Opens any media file as random-access sound: PCM and FLAC are read in place, all else is decoded once to a spool.

By content, never by name. Decoded sample 0 is time 0: FFmpeg has then removed codec delay and honoured edit lists.
"""

from __future__ import annotations

import os
import threading
from pathlib import Path

import av
import av.container
import numpy as np
import soundfile

from gullywind.core.errors import StorageError, UnreadableError
from gullywind.core.facts import MediaFacts
from gullywind.core.units import Checkpoint, Samples, no_checkpoint
from gullywind.formats.riff import riff_facts

#: libsndfile reads these anywhere at once; seeking in compressed streams is not exact, those are spooled.
IN_PLACE = {"WAV", "WAVEX", "RF64", "W64", "AIFF", "AU", "CAF", "FLAC"}
PCM_BITS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32, "FLOAT": 32, "DOUBLE": 64}
#: Frames are gathered before they are handed to Python: frame by frame cost half as much again.
FIFO_SAMPLES = 32768
LEAST_RATE_HZ, MOST_RATE_HZ, MOST_CHANNELS = 2000, 768000, 64


class InPlaceSound:
    """Random access through libsndfile; safe to read from several threads."""

    def __init__(self, path: Path) -> None:
        self._file = soundfile.SoundFile(str(path))
        self._lock = threading.Lock()
        self.sample_rate_hz = int(self._file.samplerate)
        self.channels = int(self._file.channels)
        self.samples = int(self._file.frames)

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32; zeros outside the file."""
        low, high = max(start, 0), min(stop, self.samples)
        if high <= low:
            return np.zeros((self.channels, stop - start), np.float32)
        with self._lock:
            self._file.seek(low)
            block = self._file.read(high - low, dtype="float32", always_2d=True)
        return _padded(block.T, low - start, stop - start)

    def close(self) -> None:
        """Let go of the file."""
        self._file.close()


class SpooledSound:
    """Random access to a raw spool file, channels interleaved; reads do not map memory, so long files stay small."""

    def __init__(self, path: Path, sample_rate_hz: int, channels: int, sample_type: str) -> None:
        self._dtype = np.dtype(sample_type)
        self._handle = os.open(path, os.O_RDONLY)
        self.sample_rate_hz = sample_rate_hz
        self.channels = channels
        self._frame_bytes = self._dtype.itemsize * channels
        self.samples = os.fstat(self._handle).st_size // self._frame_bytes

    def read(self, start: int, stop: int) -> Samples:
        """Shape (channels, stop - start), float32; zeros outside the file."""
        low, high = max(start, 0), min(stop, self.samples)
        if high <= low:
            return np.zeros((self.channels, stop - start), np.float32)
        raw = os.pread(self._handle, (high - low) * self._frame_bytes, low * self._frame_bytes)
        block = np.frombuffer(raw, self._dtype).reshape(-1, self.channels).T
        if self._dtype.kind == "i":
            block = block.astype(np.float32) / np.float32(32768)
        return _padded(block, low - start, stop - start)

    def close(self) -> None:
        """Let go of the file."""
        os.close(self._handle)


Sound = InPlaceSound | SpooledSound


def _padded(block: Samples, before: int, total: int) -> Samples:
    if before == 0 and block.shape[1] == total:
        return np.ascontiguousarray(block)
    whole = np.zeros((block.shape[0], total), np.float32)
    whole[:, before : before + block.shape[1]] = block
    return whole


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
    return _open_decoded(path, spool, size, checkpoint)


def _open_in_place(path: Path) -> tuple[Sound, MediaFacts] | None:
    try:
        info = soundfile.info(str(path))
    except soundfile.LibsndfileError:
        return None
    if info.format not in IN_PLACE or info.subtype not in PCM_BITS:
        return None
    if info.frames == 0:
        raise UnreadableError("holds no sound: 0 samples")
    _check_form(info.samplerate, info.channels)
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


def _check_form(sample_rate_hz: int, channels: int) -> None:
    if not LEAST_RATE_HZ <= sample_rate_hz <= MOST_RATE_HZ:
        raise UnreadableError(f"states a sample rate of {sample_rate_hz} Hz, which is outside 2 to 768 kHz")
    if not 1 <= channels <= MOST_CHANNELS:
        raise UnreadableError(f"has {channels} channels; up to {MOST_CHANNELS} can be read")


def _open_decoded(path: Path, spool: Path, size: int, checkpoint: Checkpoint) -> tuple[Sound, MediaFacts]:
    try:
        # "file:" keeps a name like "a:b.mp3" or "-x.mp3" from being read as a protocol or an option.
        container = av.open(f"file:{path}")
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise UnreadableError("is not a sound or video file that can be read, or it is damaged") from error
    with container:
        if not container.streams.audio:
            raise UnreadableError("holds no sound, only other streams" if container.streams else "holds no sound")
        stream = container.streams.audio[0]
        sample_rate_hz, channels = stream.codec_context.sample_rate or 0, stream.codec_context.channels
        _check_form(sample_rate_hz, channels)
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
        size_bytes=size,
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
    part = spool.with_suffix(".part")
    damaged = False
    written = 0
    rate = stream.codec_context.sample_rate
    frame_bytes = stream.codec_context.channels * (2 if sample_format == "s16" else 4)
    try:
        with part.open("wb") as out:

            def drain(at_least: int) -> None:
                nonlocal written
                while fifo.samples >= at_least and (frame := fifo.read(FIFO_SAMPLES, partial=True)):
                    out.write(memoryview(frame.planes[0])[: frame.samples * frame_bytes])
                    written += frame.samples
                    if total_s:
                        checkpoint(min(1.0, written / rate / total_s))

            try:
                for frame in container.decode(stream):
                    frame.pts = None
                    for converted in resampler.resample(frame):
                        converted.pts = None
                        fifo.write(converted)
                    drain(FIFO_SAMPLES)
            except av.error.FFmpegError:
                # What came before the damage is good; the caller names the file as truncated.
                damaged = True
            drain(1)
        os.replace(part, spool)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise StorageError(f"decoded sound could not be stored: {(error.strerror or str(error)).lower()}") from error
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    return damaged
