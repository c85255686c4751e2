"""Place generated events of which only a part meets the reference: who is placed through others, and who wrongly.

Run: python -m scripts.neighbours --events 20 --first 0

Of each event of 300 s the reference has the beginning. Recordings hang together like links, each overlaps the one
before by 8 to 20 s; an island of the same event overlaps nobody, and one recording is of another event. Kinds of events
take turns.
"""

import argparse
import tempfile
from pathlib import Path

import numpy as np
import soundfile

from gullywind.actions.place.place_files import place_files
from gullywind.actions.place.place_one import PlaceRequest
from gullywind.formats.result_json import recording_json
from material.cases import EVENT_S, MAKERS, event
from material.devices import RATE_HZ, SoundPath, clocked, heard

#: Twice the bound of a single placing: a chain adds up.
RIGHT_S = 0.04
ISLAND_S = 40.0


def write_event(folder: Path, seed: int) -> tuple[str, dict[Path, tuple[float, float] | None]]:
    """The kind, and of each file where it starts and how fast its clock runs; None where it must not be placed."""
    rng = np.random.default_rng([seed, 311])
    kind = list(MAKERS)[seed % len(MAKERS)]
    sound, other = event(kind, 400 + seed), event(kind, 500 + seed)
    end_s = rng.uniform(50, 80)
    near = SoundPath(microphone=True, snr_db=float(rng.uniform(25, 45)), noise="pink")
    soundfile.write(folder / "reference.wav", heard(sound[: int(end_s * RATE_HZ)], near, rng), RATE_HZ)
    truth: dict[Path, tuple[float, float] | None] = {}

    def take(name: str, of: np.ndarray, start_s: float, length_s: float) -> tuple[float, float]:
        path = SoundPath(
            rt60_s=float(rng.uniform(0.2, 0.6)),
            direct_db=float(rng.uniform(0, 12)),
            snr_db=float(rng.uniform(5, 30)),
            noise=str(rng.choice(["white", "pink", "hum"])),
            microphone=True,
        )
        rate = 1 + float(rng.normal(0, 30)) * 1e-6
        taken = clocked(heard(of, path, rng), start_s, rate, length_s)
        soundfile.write(folder / name, 0.5 * taken / np.abs(taken).max(), RATE_HZ)
        return start_s, rate

    number = 0
    while end_s < EVENT_S - ISLAND_S - 45:
        start_s = end_s - float(rng.uniform(8, 20))
        length_s = float(rng.uniform(35, 60))
        truth[folder / f"link-{number}.wav"] = take(f"link-{number}.wav", sound, start_s, length_s)
        end_s, number = start_s + length_s, number + 1
    take("island.wav", sound, EVENT_S - ISLAND_S, ISLAND_S - 1)
    take("other.wav", other, float(rng.uniform(20, 200)), float(rng.uniform(30, 60)))
    truth |= {folder / "island.wav": None, folder / "other.wav": None}
    return kind, truth


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--events", type=int, default=20)
    parser.add_argument("--first", type=int, default=0)
    given = parser.parse_args()
    totals: dict[str, list[int]] = {}
    for seed in range(given.first, given.first + given.events):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            kind, truth = write_event(folder, seed)
            placed = place_files(PlaceRequest(folder / "reference.wav", tuple(truth), None), lambda _path, _done: None)
            for path, result in zip(truth, placed.recordings, strict=True):
                told, where = recording_json(result), truth[path]
                count = totals.setdefault(kind, [0] * 5)
                count[0] += where is not None
                if told["status"] != "placed":
                    continue
                error_s = float("inf") if where is None else farthest_s(told, where)
                wrong = error_s > RIGHT_S
                count[3 if wrong else 1] += 1
                count[4 if wrong else 2] += int(told["by"] == "neighbours")
                if wrong:
                    print(f"{kind} {seed} {path.name}: by {told['by']} through {len(told['through'])}, {error_s:.3f} s")
    print("kind       links  right  of them by neighbours  wrong  of them by neighbours")
    for kind, (links, right, right_by, missed, missed_by) in totals.items():
        print(f"{kind:10s} {links:5d}  {right:5d}  {right_by:21d}  {missed:5d}  {missed_by:21d}")
    return 0


def farthest_s(told: dict, where: tuple[float, float]) -> float:
    """How far the map misses the truth at the recording's start or end, s of recording time."""
    start_s, rate = where
    t_ref = np.array([told["offset_s"], told["offset_s"] + told["duration_s"] / told["rate"]])
    return float(np.abs(rate * (t_ref - start_s) - told["rate"] * (t_ref - told["offset_s"])).max())


if __name__ == "__main__":
    raise SystemExit(main())
