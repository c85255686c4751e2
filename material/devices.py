"""Rooms, microphones, clocks, noise and codecs: what lies between an event and a file. Mono float64 unless stated."""

from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np
from scipy.ndimage import map_coordinates
from scipy.signal import butter, oaconvolve, resample_poly, sosfilt, sosfiltfilt

RATE_HZ = 48000


@dataclass(frozen=True)
class SoundPath:
    """How an event reaches a recorder. Levels in dB, times in s.

    `direct_db`: direct sound against the room's (None: no room). `snr_db`: None for no noise.
    """

    rt60_s: float = 0.3
    direct_db: float | None = None
    snr_db: float | None = None
    noise: str = "white"
    microphone: bool = False
    loudspeaker: bool = False
    clip_db: float | None = None


def room_response(rng: np.random.Generator, rt60_s: float, direct_db: float) -> np.ndarray:
    """Impulse response: direct sound at sample 0, a few reflections, an exponential tail of noise."""
    n = int(rt60_s * 1.1 * RATE_HZ)
    t = np.arange(n) / RATE_HZ
    tail = rng.standard_normal(n) * 10 ** (-3 * t / rt60_s)
    tail[: int(0.002 * RATE_HZ)] = 0
    for _ in range(8):
        tail[int(rng.uniform(0.0015, 0.03) * RATE_HZ)] += rng.uniform(-1, 1) * 6
    tail = sosfilt(butter(1, [100, 7000], "bandpass", fs=RATE_HZ, output="sos"), tail)
    response = np.zeros(n)
    response[0] = 1.0
    return np.asarray(response + tail * 10 ** (-direct_db / 20) / np.sqrt((tail**2).sum()))


def clocked(sound: np.ndarray, offset_s: float, rate: float, duration_s: float, rate_hz: int = RATE_HZ) -> np.ndarray:
    """What a recorder that starts at `offset_s` with a clock of `rate` stores: sample i shows the event at
    offset_s + i / rate_hz / rate. Sound beyond the event is silence.
    """
    if rate_hz < RATE_HZ:
        # Both ways, so that it delays nothing: the truth must stay the truth.
        sound = sosfiltfilt(butter(6, 0.45 * rate_hz, fs=RATE_HZ, output="sos"), sound)
    return followed(sound, offset_s + np.arange(round(duration_s * rate_hz)) / rate_hz / rate)


def followed(sound: np.ndarray, times_s: np.ndarray) -> np.ndarray:
    """Sound at any rising moments of an event; beyond the event is silence."""
    # Four times finer, splines of order 5 between: below -119 dB up to 15 kHz, and unlike the program's own method.
    out = np.zeros(times_s.size)
    margin, block = 512, 1 << 20
    for first in range(0, times_s.size, block):
        times = times_s[first : first + block]
        low = min(max(0, int(times[0] * RATE_HZ) - margin), sound.size)
        high = min(max(low, int(times[-1] * RATE_HZ) + margin), sound.size)
        if high - low > margin:
            fine = resample_poly(sound[low:high].astype(np.float64), 4, 1)
            out[first : first + block] = map_coordinates(fine, [(times * RATE_HZ - low) * 4], order=5)
    return out


def noise_of(rng: np.random.Generator, kind: str, n: int) -> np.ndarray:
    """White, pink-like or hum noise of power 1."""
    white = rng.standard_normal(n)
    if kind == "pink":
        white = sosfilt(butter(1, 300, fs=RATE_HZ, output="sos"), white) + 0.08 * white
    elif kind == "hum":
        t = np.arange(n) / RATE_HZ
        white = 0.3 * white + sum(np.sin(2 * np.pi * 50 * k * t + k) / k for k in (1, 2, 3, 5, 7))
    return np.asarray(white / np.sqrt(np.mean(white**2)))


def heard(event: np.ndarray, path: SoundPath, rng: np.random.Generator) -> np.ndarray:
    """The event at the microphone's output, same length; the direct sound is not delayed."""
    sound = np.asarray(event, np.float64)
    if path.loudspeaker:
        sound = sosfilt(butter(2, [250, 5500], "bandpass", fs=RATE_HZ, output="sos"), np.tanh(2.5 * sound) / 2.5)
    if path.direct_db is not None:
        sound = oaconvolve(sound, room_response(rng, path.rt60_s, path.direct_db))[: sound.size]
    if path.microphone:
        low, high = rng.uniform(40, 120), rng.uniform(9000, 15000)
        sound = sosfilt(butter(1, [low, high], "bandpass", fs=RATE_HZ, output="sos"), sound)
    if path.snr_db is not None:
        # Against the active part: pauses must not make the voice seem weak.
        power = np.mean(np.sort(sound[::10] ** 2)[-sound[::10].size // 2 :])
        sound = sound + noise_of(rng, path.noise, sound.size) * np.sqrt(power) * 10 ** (-path.snr_db / 20)
    sound = sound / max(np.abs(sound).max(), 1e-9) * 0.8
    if path.clip_db is not None:
        sound = np.clip(sound * 10 ** (path.clip_db / 20), -1, 1)
    return np.asarray(sound)


CODECS = {"mp3": ("libmp3lame", "mp3"), "aac": ("aac", "mp4"), "opus": ("libopus", "ogg")}


def encode(path: Path, sound: np.ndarray, rate_hz: int, codec: str, bit_rate: int = 96000) -> None:
    """Write mono or (channels, samples) sound with a lossy codec."""
    name, container_name = CODECS[codec]
    sound = np.atleast_2d(sound).astype(np.float32)
    layout = "mono" if sound.shape[0] == 1 else "stereo"
    with av.open(str(path), "w", format=container_name) as container:
        stream = container.add_stream(name, rate=rate_hz, layout=layout)
        assert isinstance(stream, av.AudioStream)
        stream.bit_rate = bit_rate
        for start in range(0, sound.shape[1], 48000):
            frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(sound[:, start : start + 48000]), "fltp", layout)
            frame.sample_rate = rate_hz
            frame.pts = start
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
