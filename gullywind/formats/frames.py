"""Reads single frames of a video by the file's own time, as JPEG: for what a browser cannot play by itself.

Times are s on the file's clock, on which its first decoded sample lies as well (see `file_time`).
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from gullywind.core.ground.errors import UnreadableError
from gullywind.core.ground.units import Floats
from gullywind.formats.containers import clock_start_s, open_container

#: Reading on is quicker than seeking for a moment that is this near ahead, s.
NEAR_S = 1.5
#: Seeking is to land on a frame that stands by itself before the moment; where a container has no table of them it may
#: land after it, and is tried from further back, s.
SEEK_EARLIER_S = (0.5, 5.0, 20.0, 80.0, float("inf"))
#: So far before its beginning even such a container finds its beginning, s.
SEEK_BEFORE_S = 10.0
#: Quantisers of JPEG, 2 the finest: details of lips stay, and a frame of 480 pixels takes about 20 kB.
FINEST, COARSEST = 3, 6
#: Containers that round stamps to a millisecond still hold an even picture, s.
EVEN_S = 0.0015


def read_frame_times(path: Path) -> Floats:
    """When each frame begins where they are not even (a phone's in low light): shape (frames,), s, rising.

    Empty where every frame lies where the mean rate has it. Nothing is decoded, but a container without a table that
    proves its picture even is read through.

    Raises
    ------
    UnreadableError : it holds no picture, or is damaged.
    """
    with open_container(path) as container:
        if not container.streams.video:
            raise UnreadableError("holds no picture")
        stream = container.streams.video[0]
        rate = stream.average_rate
        # The table of such a file has every frame's length: one length is the base rate, and the mean as well.
        if "mov" in container.format.name.split(",") and rate and rate == stream.base_rate:
            return np.zeros(0)
        zero_s = clock_start_s(container) or 0.0
        assert stream.time_base is not None
        try:
            stamps = [
                packet.pts for packet in container.demux(stream) if packet.pts is not None and not packet.is_discard
            ]
        except av.error.FFmpegError as error:
            raise UnreadableError("holds a picture that cannot be read through") from error
        times = np.unique(np.array(stamps, np.float64)) * float(stream.time_base) - zero_s
    if times.size < 2 or rate is None:
        return np.zeros(0)
    even = times[0] + np.arange(times.size) / float(rate)
    return np.zeros(0) if np.abs(times - even).max() < EVEN_S else times


@dataclass(frozen=True, slots=True)
class Picture:
    """A frame from its first moment on, s, as JPEG."""

    start_s: float
    jpeg: bytes


class FrameReader:
    """A video kept open; frames that follow each other are read on. Several threads may ask.

    Raises `UnreadableError` where the file holds no picture that can be decoded.
    """

    def __init__(self, path: Path) -> None:
        self._container = open_container(path)
        if not self._container.streams.video:
            raise UnreadableError("holds no picture")
        self._stream = self._container.streams.video[0]
        # Frames in the order of their packets on several cores at once.
        self._stream.thread_type = "AUTO"
        self._zero_s = clock_start_s(self._container) or 0.0
        self._lock = threading.Lock()
        self._decoding: Iterator[av.VideoFrame] = iter(())
        self._shown: av.VideoFrame | None = None
        self._next: av.VideoFrame | None = None

    def read(self, start_s: float, stop_s: float, *, width: int) -> list[Picture]:
        """The frame that is seen at `start_s`, and those that begin before `stop_s`; of this width in pixels.

        Before its first frame there is none, after its last one that stays.
        """
        with self._lock:
            try:
                return [self._picture(frame, width) for frame in self._between(start_s, stop_s)]
            except (av.error.FFmpegError, ValueError) as error:
                raise UnreadableError("holds a picture that cannot be decoded there") from error

    def _between(self, start_s: float, stop_s: float) -> Iterator[av.VideoFrame]:
        self._go_to(start_s)
        if self._shown is not None and self._time(self._shown) <= start_s:
            yield self._shown
        while self._next is not None and self._time(self._next) < stop_s:
            self._advance()
            assert self._shown is not None
            yield self._shown

    def _go_to(self, at_s: float) -> None:
        """Until the frame in hand is the one that is seen then."""
        here_s = self._time(self._shown) if self._shown is not None else None
        if here_s is None or not here_s <= at_s < here_s + NEAR_S:
            self._seek(at_s)
        while self._next is not None and self._time(self._next) <= at_s:
            self._advance()

    def _seek(self, at_s: float) -> None:
        assert self._stream.time_base is not None
        for earlier_s in SEEK_EARLIER_S:
            from_s = max(at_s - earlier_s, -SEEK_BEFORE_S) + self._zero_s
            self._container.seek(round(from_s / float(self._stream.time_base)), stream=self._stream, backward=True)
            self._decoding = iter(self._container.decode(self._stream))
            self._shown, self._next = None, next(self._decoding, None)
            if self._next is not None and self._time(self._next) <= at_s:
                return

    def _advance(self) -> None:
        self._shown, self._next = self._next, next(self._decoding, None)

    def _time(self, frame: av.VideoFrame) -> float:
        return (frame.time or 0.0) - self._zero_s

    def _picture(self, frame: av.VideoFrame, width: int) -> Picture:
        return Picture(self._time(frame), _jpeg(frame, width, float(self._stream.sample_aspect_ratio or 1)))


def _jpeg(frame: av.VideoFrame, width: int, aspect: float) -> bytes:
    """As it is to be seen: upright, and with square pixels; `aspect`: width of one by its height."""
    turned = frame.rotation % 180 != 0
    shape = (frame.height, frame.width * aspect) if turned else (frame.width * aspect, frame.height)
    height = max(2, round(width * shape[1] / shape[0] / 2) * 2)
    size = (height, width) if turned else (width, height)
    seen = frame.reformat(*size, format="rgb24")
    if frame.rotation:
        upright = np.ascontiguousarray(np.rot90(seen.to_ndarray(), round(frame.rotation / 90)), np.uint8)
        seen = av.VideoFrame.from_ndarray(upright, "rgb24")
    encoder = av.CodecContext.create("mjpeg", "w")
    assert isinstance(encoder, av.VideoCodecContext)
    encoder.width, encoder.height, encoder.pix_fmt = seen.width, seen.height, "yuvj420p"
    encoder.time_base = Fraction(1, 1000)
    encoder.qmin, encoder.qmax = FINEST, COARSEST
    still = seen.reformat(format="yuvj420p")
    still.pts = 0
    return b"".join(bytes(packet) for packet in [*encoder.encode(still), *encoder.encode(None)])
