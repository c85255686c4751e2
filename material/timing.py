"""Generated recordings whose clocks drift or bend, and that were paused or lost data, with known truth. Times in s."""

from dataclasses import dataclass

import numpy as np

from material.cases import event
from material.devices import RATE_HZ, SoundPath, followed, heard

#: Pieces as `(t_rec_start, t_rec_end, knots)`, knots `(t_rec, t_ref)` linear between.
Truth = tuple[tuple[tuple[float, float], ...], ...]
#: Neighbouring breaks are at least this far apart.
LEAST_PIECE_S = 15.0


@dataclass(frozen=True, eq=False)
class TimingCase:
    """One reference, one recording, and the true pieces: knots `(t_ref, t_rec)`."""

    name: str
    reference: np.ndarray
    recording: np.ndarray
    pieces: Truth


def clock_case(seed: int, *, minutes: float, noisy: bool) -> TimingCase:
    """A steady clock of 2 to 300 ppm, either way, over some minutes."""
    rng = np.random.default_rng([seed, 31])
    ppm = float(np.exp(rng.uniform(np.log(2), np.log(300))) * rng.choice([-1, 1]))
    return _unbroken(rng, f"clock-{seed}", minutes, noisy, lambda t: (1 + ppm * 1e-6) * t)


def bent_case(seed: int, *, minutes: float = 60.0, noisy: bool = True) -> TimingCase:
    """A clock that changes by 5 ppm while it warms up, in one of several ways."""
    rng = np.random.default_rng([seed, 32])
    ppm, by, tau_s = rng.uniform(-60, 60), 5.0 * rng.choice([-1, 1]), rng.uniform(600, 2400)
    length_s = minutes * 60
    full = 1 - np.exp(-length_s / tau_s)

    def ticked(t: np.ndarray) -> np.ndarray:
        # The integral of ppm + by * (1 - exp(-t / tau)) / full.
        return np.asarray(t * (1 + ppm * 1e-6) + by * 1e-6 * (t - tau_s * (1 - np.exp(-t / tau_s))) / full)

    return _unbroken(rng, f"bent-{seed}", minutes, noisy, ticked)


def broken_case(seed: int, *, breaks: int | None = None) -> TimingCase:
    """Pauses, lost and inserted blocks of 20 ms to 30 s, one to four in a recording, with drift, room and noise."""
    rng = np.random.default_rng([seed, 33])
    kind, number = str(rng.choice(["speech", "speech", "music"])), int(rng.integers(6))
    sound = event(kind, number, 600.0)
    rate = 1 + rng.uniform(-100, 100) * 1e-6
    count = int(rng.integers(1, 5)) if breaks is None else breaks
    start, now_s = float(rng.uniform(0, 60)), 0.0
    pieces: list[tuple[tuple[float, float], ...]] = []
    parts: list[np.ndarray] = []
    taken = heard(sound, _path(rng), rng)
    t_ref = start
    for k in range(count + 1):
        length_s = round(float(rng.uniform(LEAST_PIECE_S, 100)) * RATE_HZ) / RATE_HZ
        length_s = min(length_s, (sound.size / RATE_HZ - t_ref - 1) * rate)
        if length_s < LEAST_PIECE_S / 2:
            break
        samples = round(length_s * RATE_HZ)
        parts.append(followed(taken, t_ref + np.arange(samples) / RATE_HZ / rate))
        pieces.append(((t_ref, now_s), (t_ref + samples / RATE_HZ / rate, now_s + samples / RATE_HZ)))
        t_ref, now_s = pieces[-1][-1]
        if k == count:
            break
        jump_s = float(np.exp(rng.uniform(np.log(0.02), np.log(30))))
        if rng.random() < 0.75:
            t_ref += jump_s
        else:
            jump_s = min(jump_s, 5.0)
            extra = round(jump_s * RATE_HZ)
            # What is too much is silence or a block that was written twice.
            parts.append(np.zeros(extra) if rng.random() < 0.5 or extra > parts[-1].size else parts[-1][-extra:])
            now_s += extra / RATE_HZ
    return TimingCase(f"broken-{seed}", heard(sound, _near(rng), rng), np.concatenate(parts), tuple(pieces))


def overhang_case(seed: int) -> TimingCase:
    """Repeating music, whose recording starts 5 to 60 s before the reference, or ends as long after it, or both.

    Every other recording has a break of its own besides.
    """
    rng = np.random.default_rng([seed, 35])
    sound = event(str(rng.choice(["layers", "songs", "songs"])), int(rng.integers(8)), 300.0)
    total_s = sound.size / RATE_HZ
    head_s, tail_s = (float(np.exp(rng.uniform(np.log(5), np.log(60)))) for _ in range(2))
    which = int(rng.integers(3))
    head_s, tail_s = (head_s if which != 1 else 0.0), (tail_s if which != 0 else 0.0)
    first = round(float(rng.uniform(head_s, head_s + 20)) * RATE_HZ)
    last = round(float(rng.uniform(total_s - tail_s - 20, total_s - tail_s)) * RATE_HZ)
    reference = heard(sound[first:last], _near(rng), rng)
    ref_s = (last - first) / RATE_HZ
    start_s = -head_s if head_s else float(rng.uniform(5, 20))
    end_s = ref_s + tail_s if tail_s else ref_s - float(rng.uniform(5, 20))
    rate = 1 + float(rng.normal(0, 40)) * 1e-6
    taken = heard(sound, _path(rng), rng)
    cut_s = float(rng.uniform(0.3, 0.7)) * ref_s
    jump_s = float(np.exp(rng.uniform(np.log(0.1), np.log(10)))) if seed % 2 else 0.0
    spans = [(start_s, cut_s), (cut_s + jump_s, end_s)] if jump_s else [(start_s, end_s)]
    parts, pieces, now = [], [], 0
    for begin_s, until_s in spans:
        samples = round((until_s - begin_s) * rate * RATE_HZ)
        parts.append(followed(taken, first / RATE_HZ + begin_s + np.arange(samples) / RATE_HZ / rate))
        length_s = samples / RATE_HZ
        pieces.append(((begin_s, now / RATE_HZ), (begin_s + length_s / rate, now / RATE_HZ + length_s)))
        now += samples
    return TimingCase(f"overhang-{seed}", reference, np.concatenate(parts), tuple(pieces))


def _unbroken(rng: np.random.Generator, name: str, minutes: float, noisy: bool, ticked) -> TimingCase:  # type: ignore[no-untyped-def]
    """`ticked(t)`: what the recorder's clock shows t seconds after its start."""
    length_s = minutes * 60
    sound = event(str(rng.choice(["speech", "speech", "music"])), int(rng.integers(3)), length_s + 30.0)
    start = float(rng.uniform(0, 25))
    # The inverse of the clock by interpolation: bends are smooth over seconds.
    coarse = np.linspace(0, length_s + 1, int(length_s) * 2)
    shown = ticked(coarse)
    samples = int(length_s * RATE_HZ)
    taken = heard(sound, _path(rng), rng) if noisy else sound
    knots_s = np.append(np.arange(0, length_s, 10.0), samples / RATE_HZ)
    recording = np.concatenate(
        [
            followed(taken, start + np.interp(np.arange(a, min(a + RATE_HZ * 30, samples)) / RATE_HZ, shown, coarse))
            for a in range(0, samples, RATE_HZ * 30)
        ]
    )
    knots = tuple((start + float(np.interp(t, shown, coarse)), float(t)) for t in knots_s)
    return TimingCase(name, heard(sound, _near(rng), rng) if noisy else sound, recording, (knots,))


def _path(rng: np.random.Generator) -> SoundPath:
    return SoundPath(
        rt60_s=float(rng.uniform(0.2, 0.6)),
        direct_db=float(rng.uniform(3, 12)),
        snr_db=float(rng.uniform(5, 30)),
        noise=str(rng.choice(["white", "pink", "hum"])),
        microphone=True,
    )


def _near(rng: np.random.Generator) -> SoundPath:
    return SoundPath(microphone=True, snr_db=float(rng.uniform(25, 45)), noise="pink")
