"""Events of recorded sound: five people's announcements (Debian's telephone prompts), bands of sampled instruments.

Mono float64 at 48 kHz, of which the people's recordings fill the lower 8 kHz. Nothing was tuned on
them but what tells sharp sounds, on those that `material.claps` names.
"""

from functools import lru_cache
from pathlib import Path

import av
import numpy as np
import soundfile
import soxr

from material.devices import RATE_HZ
from material.music import SCALES
from material.sampled import on_blocks, sampled
from material.speech import MissingVoiceError

PROMPTS = Path("/usr/share/asterisk/sounds")
#: The folder of each person, and the package that it comes with.
PEOPLE = {
    "en_US_f_Allison": "asterisk-core-sounds-en-g722",
    "it_IT_f_Menardi": "asterisk-prompt-it-menardi-wav",
    "it_IT_m_Carlo": "asterisk-core-sounds-it-g722",
    "fr_CA_f_June": "asterisk-core-sounds-fr-g722",
    "es_MX_f_Allison": "asterisk-core-sounds-es-g722",
}
CHORDS = ("piano", "nylon", "harp", "vibraphone", "electric", "harpsichord", "cello", "dulcimer")
TUNES = ("violin", "trumpet", "steel", "flute", "clarinet", "koto", "oboe", "sax")
#: Less than this is a beep or nothing, bytes; and what names tones and pauses.
LEAST_BYTES, NOT_SAID = 4000, ("tone", "beep", "silence")
#: Players are not together, s.
LOOSE_S = 0.008


@lru_cache(maxsize=4)
def announcements(person: str, number: int, duration_s: float) -> np.ndarray:
    """One of `PEOPLE`, who says announcements in an order of this number, none twice."""
    paths = sorted(path for path in (PROMPTS / person).rglob("*") if path.suffix in (".g722", ".wav"))
    said = [path for path in paths if path.stat().st_size > LEAST_BYTES and not any(n in path.name for n in NOT_SAID)]
    if not said:
        raise MissingVoiceError(f"{person} is not installed: Debian's package {PEOPLE[person]}")
    rng = np.random.default_rng([sorted(PEOPLE).index(person), number, 5])
    parts, size = list[np.ndarray](), 0
    for k in rng.permutation(len(said)):
        parts += [_read(said[k]), np.zeros(int(rng.uniform(0, 0.4) * RATE_HZ))]
        size += parts[-1].size + parts[-2].size
        if size > duration_s * RATE_HZ:
            break
    sound = np.concatenate(parts)[: int(duration_s * RATE_HZ)]
    return np.pad(sound, (0, int(duration_s * RATE_HZ) - sound.size))


def _read(path: Path) -> np.ndarray:
    if path.suffix == ".wav":
        sound, rate_hz = soundfile.read(path, always_2d=True)
        return np.asarray(soxr.resample(sound[:, 0], rate_hz, RATE_HZ), np.float64)
    with av.open(str(path), format="g722") as container:
        stream = container.streams.audio[0]
        frames = [frame.to_ndarray().reshape(-1) for frame in container.decode(stream)]
    sound = np.concatenate(frames).astype(np.float64) / 32768
    return np.asarray(soxr.resample(sound, stream.rate, RATE_HZ), np.float64)


@lru_cache(maxsize=4)
def band(number: int, duration_s: float) -> np.ndarray:
    """Chords on one sampled instrument, a tune on another, neither ever repeated on purpose."""
    rng = np.random.default_rng([number, 77])
    beat_s, root = float(rng.uniform(0.35, 0.6)), int(rng.integers(48, 60))
    scale = SCALES[number % len(SCALES)]

    def key(step: int) -> int:
        return root + scale[step % len(scale)] + 12 * (step // len(scale))

    chords, tune = list[tuple[float, float, int, int]](), list[tuple[float, float, int, int]]()
    at_s = 0.0
    while at_s < duration_s - 3:
        length_s, step = beat_s * int(rng.choice([2, 4])), int(rng.integers(len(scale)))
        chords += [(at_s, length_s * 0.95, key(step + k) - 12, int(rng.integers(45, 85))) for k in (0, 2, 4)]
        at_s += length_s
    at_s, step = 0.0, len(scale)
    while at_s < duration_s - 3:
        length_s = beat_s * float(rng.choice([0.5, 0.5, 1, 1, 2]))
        step = int(np.clip(step + rng.integers(-3, 4), 0, 2 * len(scale)))
        if rng.random() < 0.85:
            tune.append((at_s, length_s * 0.9, key(step) + 12, int(rng.integers(60, 110))))
        at_s += length_s
    sound = np.zeros(int(duration_s * RATE_HZ))
    for instrument, notes in ((CHORDS[number % 8], chords), (TUNES[number % 8], tune)):
        starts, lengths, keys, force = (np.array(column) for column in zip(*notes, strict=True))
        starts = np.maximum(on_blocks(starts + rng.normal(0, LOOSE_S, starts.size)), 0)
        order = np.argsort(starts)
        ends = on_blocks(starts + lengths)
        played = sampled(instrument, starts[order], ends[order], keys[order].tolist(), force[order].tolist())
        sound[: played.size] += played[: sound.size] / np.sqrt(np.mean(played**2)) * 0.05
    return sound
