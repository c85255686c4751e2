"""The demo's videos: a talking face and a lantern, drawn in step with the sound; 25 frames a second."""

from collections.abc import Iterator
from fractions import Fraction
from math import cos, pi, sin
from pathlib import Path

import av
import numpy as np

from gullywind.core.ground.timecode import Counting
from material.devices import RATE_HZ

FRAMES_PER_S = 25
WIDTH, HEIGHT = 256, 144
#: The lantern and the yard move on in every so many frames: enough to be seen, and quick to draw.
STILL_FRAMES = 5
BLINK_EVERY_S, BLINK_S = 3.7, 0.12
#: Where the face is, and how large: middle and half axes, pixels.
FACE = (92.0, 74.0, 27.0, 36.0)
Y, X = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)


def mouth_of(voice: np.ndarray, rate_hz: int) -> np.ndarray:
    """How far a mouth is open in every frame, 0 to 1: the loudness of what is said in it; shape (frames,)."""
    size = rate_hz // FRAMES_PER_S
    frames = voice[: voice.size // size * size].reshape(-1, size)
    level = np.sqrt(np.mean(frames.astype(np.float64) ** 2, axis=1))
    opened: np.ndarray = np.clip(level / max(np.percentile(level, 97), 1e-9), 0, 1) ** 0.7
    return opened


def video(
    path: Path,
    sound: np.ndarray,
    *,
    seconds: float,
    hue: float,
    codec: str,
    time_s: float,
    mouth: np.ndarray | None = None,
) -> None:
    """A small video with a mono sound.

    Parameters
    ----------
    hue : of the lantern's light, 0 warm to 1 cold.
    time_s : when its timecode track begins, s since midnight.
    mouth : shape (frames,), 0 to 1; None: nobody is there, and the yard alone is seen.
    """
    counting = Counting(Fraction(FRAMES_PER_S))
    with av.open(str(path), "w", format="mp4") as container:
        container.metadata["timecode"] = counting.written(counting.label(round(time_s * FRAMES_PER_S)))
        options = {"preset": "ultrafast", "crf": "30", "g": "125"}
        picture = container.add_stream("libx264", rate=FRAMES_PER_S, options=options)
        assert isinstance(picture, av.VideoStream)
        picture.width, picture.height, picture.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        audio = container.add_stream(codec, rate=RATE_HZ, layout="mono")
        assert isinstance(audio, av.AudioStream)
        audio.bit_rate = 96000
        for number, rgb in enumerate(_drawn(int(seconds * FRAMES_PER_S), hue, mouth)):
            frame = av.VideoFrame.from_ndarray(rgb, "rgb24")
            frame.pts = number
            container.mux(picture.encode(frame))
        container.mux(picture.encode(None))
        for start in range(0, sound.size, 48000):
            heard = av.AudioFrame.from_ndarray(sound[None, start : start + 48000].astype(np.float32), "fltp", "mono")
            heard.sample_rate, heard.pts = RATE_HZ, start
            container.mux(audio.encode(heard))
        container.mux(audio.encode(None))


def _drawn(frames: int, hue: float, mouth: np.ndarray | None) -> Iterator[np.ndarray]:
    """Every frame, shape (HEIGHT, WIDTH, 3), uint8."""
    light = np.array([1.0, 0.72, 0.36]) * (1 - hue) + np.array([0.5, 0.65, 1.0]) * hue
    yard = np.zeros((HEIGHT, WIDTH, 3), np.uint8)
    for number in range(frames):
        t = number / FRAMES_PER_S
        if number % STILL_FRAMES == 0:
            yard = _yard(t, light, with_face=mouth is not None)
        if mouth is None:
            yield yard
            continue
        seen = yard.copy()
        _draw_features(seen, float(mouth[number]) if number < mouth.size else 0.0, t % BLINK_EVERY_S < BLINK_S)
        yield seen


def _yard(t: float, light: np.ndarray, *, with_face: bool) -> np.ndarray:
    """A dark yard, a lantern that swings, and a head in its light."""
    cx, cy = 192 + 22 * sin(2 * pi * t / 3.1), 56 + 5 * cos(4 * pi * t / 3.1)
    away = (X - cx) ** 2 + (Y - cy) ** 2
    flicker = 0.85 + 0.15 * sin(t * 7.3)
    shade = 0.05 + 0.04 * Y / HEIGHT + 0.5 * flicker * np.exp(-away / 5200)
    picture = shade[..., None] * light.astype(np.float32)
    if with_face:
        x, y, rx, ry = FACE
        within = ((X - x) / rx) ** 2 + ((Y - y) / ry) ** 2
        # The side that looks at the lantern is lit.
        lit = (0.45 + 0.4 * np.clip((X - x) / rx, -1, 1)) * flicker
        skin = lit[..., None] * np.array([0.95, 0.74, 0.6], np.float32)
        picture = np.where((within < 1)[..., None], skin, picture)
        hat = (y - ry * 0.45 > Y) & (np.abs(X - x) < rx * 1.25) & (y - ry * 1.25 < Y)
        picture = np.where(hat[..., None], shade[..., None] * np.array([0.5, 0.42, 0.32], np.float32), picture)
    flame = np.exp(-away / 26)[..., None] * np.array([1.0, 0.95, 0.8], np.float32)
    lit_up: np.ndarray = np.clip(picture + flame, 0, 1) * 255
    return lit_up.astype(np.uint8)


def _draw_features(seen: np.ndarray, mouth: float, blinks: bool) -> None:
    """Eyes and mouth, in place."""
    x, y, rx, ry = FACE
    for side in (-1, 1):
        _ellipse(seen, x + side * rx * 0.4, y - ry * 0.12, 3.6, 0.8 if blinks else 2.6, (22, 16, 12))
    _ellipse(seen, x, y + ry * 0.5, 9.5 - 2.5 * mouth, 1.2 + 8.5 * mouth, (58, 14, 16))


def _ellipse(seen: np.ndarray, cx: float, cy: float, rx: float, ry: float, colour: tuple[int, int, int]) -> None:
    top, bottom, left, right = int(cy - ry) - 1, int(cy + ry) + 2, int(cx - rx) - 1, int(cx + rx) + 2
    within = ((X[top:bottom, left:right] - cx) / rx) ** 2 + ((Y[top:bottom, left:right] - cy) / ry) ** 2 <= 1
    seen[top:bottom, left:right][within] = colour
