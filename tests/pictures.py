"""Videos whose frames say which they are: a number in black and white bars, readable after any codec."""

import struct
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

#: Bars of one bit each, the highest first, across the width.
BITS, WIDTH, HEIGHT = 12, 192, 108
MILLISECOND = Fraction(1, 1000)


def bars(number: int) -> np.ndarray:
    """The picture of a number, shape (HEIGHT, WIDTH, 3)."""
    bits = [number >> (BITS - 1 - k) & 1 for k in range(BITS)]
    row = np.repeat(np.array(bits, np.uint8) * 255, WIDTH // BITS)
    return np.broadcast_to(row[None, :, None], (HEIGHT, WIDTH, 3)).copy()


def number_in(picture: np.ndarray) -> int:
    """The number that a picture of any size shows; shape (height, width, 3)."""
    grey = picture[picture.shape[0] // 2].astype(float).mean(axis=-1)
    middles = ((np.arange(BITS) + 0.5) * grey.size / BITS).astype(int)
    return int(sum(1 << (BITS - 1 - k) for k in range(BITS) if grey[middles[k]] > 127))


def numbered_video(
    path: Path,
    sound: np.ndarray,
    *,
    rate: Fraction = Fraction(25),
    begins_s: Sequence[float] | None = None,
    sample_rate_hz: int,
    codec: str = "libx264",
    sound_codec: str = "aac",
) -> Path:
    """A video of frames that are numbered from 0, with `sound`, shape (samples,), as long as that.

    The frames are even, or begin when they are to: whole milliseconds, as many as even ones or fewer.
    """
    # Few frames stand by themselves, and some are sent before they are shown: the hard case for seeking.
    options = {"g": "100", "bf": "2", "preset": "ultrafast"} if codec == "libx264" else {"g": "100"}
    with av.open(str(path), "w") as container:
        picture = container.add_stream(codec, rate=rate, options=options)
        assert isinstance(picture, av.VideoStream)
        if begins_s is not None:
            picture.codec_context.time_base = MILLISECOND
        picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        audio = container.add_stream(sound_codec, rate=sample_rate_hz, layout="mono")
        assert isinstance(audio, av.AudioStream)
        kind = audio.codec_context.format.name if audio.codec_context.format else "fltp"
        heard = sound.astype(np.float32)
        if kind.startswith("s16"):
            heard = np.rint(heard.clip(-1, 1) * 32767).astype(np.int16)
        per_frame = sample_rate_hz / rate
        for number in range(int(sound.size / per_frame) if begins_s is None else len(begins_s)):
            frame = av.VideoFrame.from_ndarray(bars(number), "rgb24")
            frame.pts = number
            if begins_s is not None:
                frame.pts, frame.time_base = round(begins_s[number] * 1000), MILLISECOND
            container.mux(picture.encode(frame))
            # Side by side, as a camera writes them.
            start, stop = round(number * per_frame), round((number + 1) * per_frame)
            block = av.AudioFrame.from_ndarray(heard[None, start:stop], kind, "mono")
            block.sample_rate, block.pts = sample_rate_hz, start
            container.mux(audio.encode(block))
        container.mux(picture.encode(None))
        container.mux(audio.encode(None))
    return path


def turned_clockwise(path: Path) -> Path:
    """The same MP4 file, whose header has it shown turned by a quarter, clockwise (ISO 14496-12, tkhd)."""
    body = bytearray(path.read_bytes())
    matrix = body.index(b"tkhd") + 4 + 4 + 5 * 4 + 2 * 4 + 4 * 2
    one = 1 << 16
    body[matrix : matrix + 36] = struct.pack(">9i", 0, one, 0, -one, 0, 0, HEIGHT * one, 0, 1 << 30)
    path.write_bytes(body)
    return path
