"""Files whose sound starts late, leaves out a stretch or is damaged, in the containers of cameras and phones."""

import struct
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from material.devices import RATE_HZ


def with_gap(
    path: Path,
    sound: np.ndarray,
    codec: str,
    *,
    late_s: float = 0.0,
    hole_s: tuple[float, float] | None = None,
    picture: bool = True,
) -> list[tuple[float, float]]:
    """Write mono sound, with packets left out and all of them late; returns `(start, length)` of each packet, s.

    `hole_s`: packets that start in this stretch are left out, in s of the sound.
    """
    with av.open(str(path), "w") as container:
        packets: list[av.Packet] = []
        if picture:
            packets += _picture(container, sound.size / RATE_HZ)
        stream = container.add_stream(codec, rate=RATE_HZ, layout="mono")
        assert isinstance(stream, av.AudioStream)
        packets += [one for one in _sound(stream, sound) if not (hole_s and _is_in(one, hole_s))]
        kept = []
        for packet in sorted(packets, key=lambda one: _seconds(one, one.dts)):
            if packet.stream is stream:
                assert packet.pts is not None and packet.dts is not None
                packet.pts += round(late_s / packet.time_base)
                packet.dts += round(late_s / packet.time_base)
                kept.append((_seconds(packet, packet.pts), _seconds(packet, packet.duration)))
            container.mux(packet)
    return kept


def with_time_reference(wav: bytes, samples: int, ixml: str = "") -> bytes:
    """A WAV file with the chunks in which recorders write their time (EBU Tech 3285; iXML)."""
    bext = bytes(338) + struct.pack("<Q", samples) + bytes(256)
    chunks = b"bext" + struct.pack("<I", len(bext)) + bext
    if ixml:
        body = ixml.encode() + b" " * (len(ixml.encode()) % 2)
        chunks += b"iXML" + struct.pack("<I", len(body)) + body
    size = struct.pack("<I", len(wav) + len(chunks) - 8)
    return wav[:4] + size + wav[8:12] + chunks + wav[12:]


def _is_in(packet: av.Packet, stretch_s: tuple[float, float]) -> bool:
    return stretch_s[0] <= _seconds(packet, packet.pts) < stretch_s[1]


def _seconds(packet: av.Packet, ticks: int | None) -> float:
    return float((ticks or 0) * packet.time_base)


def _picture(container: av.container.OutputContainer, seconds: float) -> Iterator[av.Packet]:
    stream = container.add_stream("mpeg4", rate=25)
    stream.width, stream.height, stream.pix_fmt = 64, 64, "yuv420p"
    for number in range(int(seconds * 25)):
        frame = av.VideoFrame(64, 64, "yuv420p")
        frame.pts, frame.time_base = number, Fraction(1, 25)
        yield from stream.encode(frame)
    yield from stream.encode(None)


def _sound(stream: av.AudioStream, sound: np.ndarray) -> Iterator[av.Packet]:
    resampler = av.AudioResampler(format=stream.codec_context.format.name)
    for first in range(0, sound.size, 4096):
        block = np.ascontiguousarray(sound[None, first : first + 4096], np.float32)
        frame = av.AudioFrame.from_ndarray(block, "flt", "mono")
        frame.sample_rate, frame.pts, frame.time_base = RATE_HZ, first, Fraction(1, RATE_HZ)
        for converted in resampler.resample(frame):
            yield from stream.encode(converted)
    yield from stream.encode(None)
