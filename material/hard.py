"""Pairs that are hard to place: far under other sound, short, of a narrow band, in far rooms; with known truth.

What disturbs has the spectrum of what is disturbed, or is of its kind: other voices under voices, other music under
music. Hiss leaves whatever lies above it untouched, and flatters. Mono float64 at 48 kHz unless a codec asks otherwise.
"""

import io
from dataclasses import dataclass
from typing import Literal, get_args

import av
import numpy as np
import scipy.fft
import soxr
from scipy.signal import butter, sosfilt, sosfiltfilt

from material.cases import event
from material.devices import RATE_HZ, SoundPath, clocked, heard
from material.gate import other_music, other_talk, rain
from material.recorded import PEOPLE, announcements, band

#: Whose sounds: what judgement was fitted to, what was kept aside, or what people said and instruments played.
Family = Literal["fitted", "aside", "recorded"]
FAMILIES: tuple[Family, ...] = get_args(Family)
#: How many sounds there are of each kind.
SOURCES = 8
EVENT_S, REFERENCE_S = 300.0, (90.0, 200.0)


@dataclass(frozen=True, eq=False)
class HardCase:
    """A pair; `t_rec = rate * (t_ref - offset_s)`, both None for what does not belong."""

    kind: str
    sound: str
    reference: np.ndarray
    recording: np.ndarray
    rate_hz: int
    offset_s: float | None
    rate: float | None


#: Lengths, s, and levels of the sound against what disturbs it, dB.
DEEP_S, DEEP_DB, DEEP_MUSIC_DB = (60.0, 90.0), -15.0, -10.0
#: How much louder the nearer of two sources is in each recorder, dB.
NEARER_DB = (4.0, 11.0)
CLIP_S, OVERLAP_S, OVERLAP_DB = (4.0, 8.0), 6.0, 10.0
STRANGERS = ("other event", "other passage")
KINDS = (
    "deep voices",
    "deep noise",
    "deep music",
    "clip 0 dB",
    "clip -5 dB",
    "overlap 6 s",
    "telephone",
    "8 kbit/s",
    "suppressed",
    "quiet",
    "far",
    "playback",
    "two sources",
)


def hard_case(kind: str, seed: int, *, family: Family, stranger: str | None = None) -> HardCase:
    """One of a kind by its number, of voices and instruments of a family.

    What does not belong is taken by the same devices: of an `other event` of the same sort, or of an `other passage` of
    the same, which the reference does not reach.
    """
    rng = np.random.default_rng([seed, KINDS.index(kind), 717, FAMILIES.index(family)])
    spoken = kind in ("8 kbit/s", "suppressed") or (kind != "deep music" and seed % 2 == 0)
    name, sound = hard_event(rng, spoken=spoken, family=family)
    ref_s = float(rng.uniform(*REFERENCE_S))
    ref_start = float(rng.uniform(0, EVENT_S - ref_s - 1))
    length = _length(kind, rng)
    rate = 1 + float(rng.normal(0, 40)) * 1e-6
    offset = float(rng.uniform(0, ref_s - length))
    if stranger == "other passage":
        before, after = ref_start, EVENT_S - ref_start - ref_s
        length = min(length, max(before, after) - 3)
        offset = ref_s + 2 if after > before else -ref_start + 0.5
    elif kind == "overlap 6 s":
        offset = OVERLAP_S - length if rng.random() < 0.5 else ref_s - OVERLAP_S
    begin, end = int(ref_start * RATE_HZ), int((ref_start + ref_s) * RATE_HZ)
    near = SoundPath(rt60_s=0.3, direct_db=float(rng.uniform(6, 14)), snr_db=float(rng.uniform(25, 40)), noise="pink")
    other = hard_event(rng, spoken=spoken, family=family, without=name)[1]
    if kind == "two sources":
        # Each recorder stands near one of two that sound together, and far from the other.
        nearer = 10 ** (float(rng.uniform(*NEARER_DB)) / 20)
        second = hard_event(rng, spoken=bool(rng.random() < 0.5), family=family, without=name)[1]
        second = second * _level(sound) / _level(second)
        sound, also = sound * nearer + second, sound + second * nearer
        reference = heard(sound[begin:end], near, rng)
        sound = also
    else:
        reference = heard(sound[begin:end], near, rng)
    if stranger == "other event":
        # The rival takes the place of what belongs, something third disturbs.
        sound, other = other, hard_event(rng, spoken=spoken, family=family, without=name)[1]
    start = ref_start + offset
    first = max(0.0, start - 2)
    part = sound[int(first * RATE_HZ) : int((start + length + 2) * RATE_HZ)]
    disturbing = other[int(10 * RATE_HZ) :][: part.size]
    taken = _through(kind, part, disturbing, rng, spoken=spoken, family=family)
    recording = clocked(taken, start - first, rate, length)
    rate_hz = RATE_HZ
    recording = recording / max(np.abs(recording).max(), 1e-9) * 0.7
    if kind in _CODED:
        recording, rate_hz = _CODED[kind](recording, rng)
    if stranger:
        return HardCase(kind, name, reference, recording, rate_hz, None, None)
    return HardCase(kind, name, reference, recording, rate_hz, offset, rate)


def hard_event(rng: np.random.Generator, *, spoken: bool, family: Family, without: str = "") -> tuple[str, np.ndarray]:
    """An event's name and its sound, as dull as voices and instruments are some way off."""
    sources = _SOURCES[family][not spoken]
    while True:
        name, number = str(rng.choice(sources)), int(rng.integers(SOURCES))
        # Announcements come again in every order.
        if f"{name} {number}" != without and not (name in PEOPLE and without.startswith(name)):
            break
    sound = _sound(name, number)
    dull = butter(1, float(rng.uniform(900, 3000)), fs=RATE_HZ, output="sos")
    return f"{name} {number}", np.asarray(sosfilt(dull, np.asarray(sound, np.float64)))


#: What speaks, and what plays, in each family.
_SOURCES: dict[Family, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "fitted": (("speech",), ("music", "layers")),
    "aside": (("other talk",), ("other music",)),
    "recorded": (tuple(PEOPLE), ("band",)),
}


def _sound(name: str, number: int) -> np.ndarray:
    if name in PEOPLE:
        return announcements(name, number, EVENT_S)
    if name == "band":
        return band(number, EVENT_S)
    if name.startswith("other"):
        return (other_talk if name == "other talk" else other_music)(number + 900, 1, EVENT_S)
    return event(name, number)


def _length(kind: str, rng: np.random.Generator) -> float:
    if kind.startswith("deep"):
        return float(rng.uniform(*DEEP_S))
    return float(rng.uniform(*CLIP_S) if kind.startswith("clip") else rng.uniform(20, 40))


def _through(
    kind: str, sound: np.ndarray, other: np.ndarray, rng: np.random.Generator, *, spoken: bool, family: Family
) -> np.ndarray:
    """What stands in the recorder's room: the event by its path, and what disturbs it."""
    direct_db = float(rng.uniform(-8, -2)) if kind == "far" else float(rng.uniform(1, 9))
    path = SoundPath(
        rt60_s=float(rng.uniform(0.5, 1.0) if kind == "far" else rng.uniform(0.25, 0.6)),
        direct_db=direct_db,
        microphone=True,
        loudspeaker=kind == "playback",
    )
    ours = heard(sound, path, rng)
    snr_db = {
        "deep voices": DEEP_DB,
        "deep noise": DEEP_DB,
        "deep music": DEEP_MUSIC_DB,
        "clip 0 dB": 0.0,
        "clip -5 dB": -5.0,
        "overlap 6 s": OVERLAP_DB,
        "far": float(rng.uniform(8, 20)),
        "playback": float(rng.uniform(0, 15)),
    }.get(kind, float(rng.uniform(12, 25)))
    noise = ("shaped", "rain" if family == "aside" else "pink")[int(rng.integers(2))]
    if kind == "deep music" or kind == "deep voices" or (kind.startswith("clip") and rng.random() < 0.5):
        disturbing = heard(np.pad(other, (0, max(0, ours.size - other.size))), path, rng)[: ours.size]
        if kind == "deep voices" and family != "aside":
            # A crowd, not one rival: single voices leave pauses.
            more = event("speech", 40 + int(rng.integers(4)))
            disturbing = disturbing / _level(disturbing) + more[: ours.size] / _level(more[: ours.size])
    elif noise == "rain":
        disturbing = rain(rng, ours.size)
    elif noise == "pink":
        disturbing = sosfilt(butter(1, 250, fs=RATE_HZ, output="sos"), rng.standard_normal(ours.size))
    else:
        disturbing = shaped_noise(ours, rng)
    return ours + disturbing * _level(ours) / _level(disturbing) * 10 ** (-snr_db / 20)


def shaped_noise(sound: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Noise with the sound's long-term spectrum."""
    size = scipy.fft.next_fast_len(sound.size)
    power = np.abs(scipy.fft.rfft(sound, size)) ** 2
    width = max(1, round(40 * size / RATE_HZ))
    smooth = np.convolve(power, np.ones(width) / width, mode="same")
    white = scipy.fft.rfft(rng.standard_normal(size))
    return np.asarray(scipy.fft.irfft(white * np.sqrt(smooth), size)[: sound.size])


def _telephone(sound: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    """300 to 3400 Hz in eight bits of mu-law at 8 kHz (ITU-T G.711)."""
    narrow = sosfiltfilt(butter(4, [300, 3400], "bandpass", fs=RATE_HZ, output="sos"), sound)
    low = np.clip(soxr.resample(narrow, RATE_HZ, 8000) / max(np.abs(narrow).max(), 1e-9) * 0.7, -1, 1)
    code = np.round(np.sign(low) * np.log1p(255 * np.abs(low)) / np.log(256) * 127) / 127
    return np.sign(code) * (256 ** np.abs(code) - 1) / 255, 8000


def _speech_codec(sound: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    """Speech at about 8 kbit/s: AMR at 7.95, a code-excited one, as in telephones."""
    narrow = np.clip(soxr.resample(sound, RATE_HZ, 8000), -1, 1).astype(np.float32)
    stored = io.BytesIO()
    with av.open(stored, "w", format="amr") as container:
        stream = container.add_stream("libopencore_amrnb", rate=8000, layout="mono")
        assert isinstance(stream, av.AudioStream)
        stream.bit_rate = 7950
        for start in range(0, narrow.size - 160, 160):
            samples = (narrow[None, start : start + 160] * 32767).astype(np.int16)
            frame = av.AudioFrame.from_ndarray(samples, "s16", "mono")
            frame.sample_rate, frame.pts = 8000, start
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    stored.seek(0)
    with av.open(stored, "r") as written:
        parts = [frame.to_ndarray().reshape(-1) for frame in written.decode(audio=0)]
    decoded = np.concatenate(parts).astype(np.float64)
    # The codec delays; the truth is where the sound is: found against what went in.
    size = scipy.fft.next_fast_len(decoded.size + narrow.size)
    likeness = scipy.fft.irfft(scipy.fft.rfft(decoded, size) * np.conj(scipy.fft.rfft(narrow, size)), size)
    late = int(np.argmax(likeness[:400]))
    decoded = decoded[late:]
    return decoded / max(np.abs(decoded).max(), 1e-9) * 0.7, 8000


def _suppressed(sound: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    """A noise suppressor: spectral subtraction with a floor (Boll, IEEE Trans. ASSP 27(2), 1979)."""
    size, hop = 1024, 256
    window = np.hanning(size + 1)[:-1]
    padded = np.pad(sound, (size, size))
    frames = np.lib.stride_tricks.sliding_window_view(padded, size)[::hop] * window
    spectra = scipy.fft.rfft(frames, axis=1)
    floor = np.quantile(np.abs(spectra), 0.3, axis=0) * 2.0
    gain = np.maximum(1 - floor / np.maximum(np.abs(spectra), 1e-12), 0.03)
    back = scipy.fft.irfft(spectra * gain, size, axis=1) * window
    out = np.zeros(padded.size)
    for k, part in enumerate(back):
        out[k * hop : k * hop + size] += part
    out = out[size : size + sound.size]
    return out / max(np.abs(out).max(), 1e-9) * 0.7, RATE_HZ


def _quiet(sound: np.ndarray, rng: np.random.Generator) -> tuple[np.ndarray, int]:
    """At most 30 of 32768 steps loud, in whole steps."""
    return np.round(sound / max(np.abs(sound).max(), 1e-9) * 30) / 32768, RATE_HZ


_CODED = {"telephone": _telephone, "8 kbit/s": _speech_codec, "suppressed": _suppressed, "quiet": _quiet}


def _level(sound: np.ndarray) -> float:
    """Root mean square of the louder half."""
    power = np.sort(sound[::10] ** 2)
    return float(np.sqrt(np.mean(power[power.size // 2 :])) + 1e-12)
