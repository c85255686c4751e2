"""What a recording that does not belong costs: CPU against reading it with one spectrum, in one run, in one process.

`python -m scripts.strangers [--family recorded] [--pairs 16]`. References of 4 minutes, strangers of 20 to 240 s.
"""

import argparse
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.measure.evidence import Status
from gullywind.formats.media import open_media
from material.devices import RATE_HZ, SoundPath, heard
from material.hard import FAMILIES, Family, hard_event
from scripts.bench import one_spectrum_of_each

REFERENCE_S, LENGTHS_S = 240.0, (20.0, 240.0)
ASKED = 3.0


def pair(seed: int, family: Family) -> tuple[np.ndarray, np.ndarray]:
    """A reference and a recording of another event of the same sort, in rooms of their own."""
    rng = np.random.default_rng([seed, 90, FAMILIES.index(family)])
    spoken = seed % 2 == 0
    name, sound = hard_event(rng, spoken=spoken, family=family)
    other = hard_event(rng, spoken=spoken, family=family, without=name)[1]
    length = round(float(np.exp(rng.uniform(*np.log(LENGTHS_S)))) * RATE_HZ)

    def path() -> SoundPath:
        return SoundPath(rt60_s=0.4, direct_db=float(rng.uniform(0, 10)), snr_db=float(rng.uniform(10, 30)))

    return (
        heard(sound[: int(REFERENCE_S * RATE_HZ)], path(), rng).astype(np.float32),
        heard(other[:length], path(), rng).astype(np.float32),
    )


def cpu_s(do: Callable[[], object]) -> float:
    """CPU of this process, s."""
    start = time.process_time()
    do()
    return time.process_time() - start


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--family", choices=FAMILIES, default="fitted")
    parser.add_argument("--pairs", type=int, default=16)
    parser.add_argument("--first", type=int, default=0)
    given = parser.parse_args()
    ratios, placed = list[float](), 0
    with tempfile.TemporaryDirectory(prefix="gullywind-strangers-") as name:
        path, spool = Path(name) / "stranger.wav", Path(name) / "spool"
        for seed in range(given.first, given.first + given.pairs):
            sounds = pair(seed, given.family)
            soundfile.write(Path(name) / "reference.wav", sounds[0] * 0.5, RATE_HZ, subtype="PCM_16")
            soundfile.write(path, sounds[1] * 0.5, RATE_HZ, subtype="PCM_16")
            reference = prepare_reference(open_media(Path(name) / "reference.wav", spool)[0])
            status = list[Status]()

            def place(path: Path = path, reference=reference, status: list[Status] = status) -> None:  # type: ignore[no-untyped-def]
                status.append(align_recording(reference, hear(open_media(path, spool)[0])).status)

            # What the first one makes of the reference, all others use: in a batch strangers come beside matches.
            place()
            cost, least = cpu_s(place), min(cpu_s(lambda: one_spectrum_of_each([path])) for _ in range(5))
            placed += status[-1] is Status.PLACED
            ratios.append(cost / least)
            told = f"{sounds[1].size / RATE_HZ:6.1f} s  {'speech' if seed % 2 == 0 else 'music':6} {status[-1]:9}"
            print(f"{seed:4} {told} {cost:6.2f} s against {least:5.2f} s: {ratios[-1]:5.1f} times", flush=True)
    within = sum(ratio <= ASKED for ratio in ratios)
    print(f"{min(ratios):.1f} to {max(ratios):.1f} times, median {np.median(ratios):.1f}")
    print(f"{within} of {len(ratios)} within {ASKED:.0f} times; {placed} placed")


if __name__ == "__main__":
    main()
