"""Place generated events of which only a part meets the reference: who is placed through others, and who wrongly.

Run: python -m scripts.neighbours [--clips] --events 20 --first 0

With `--clips` events of recorded sound of eight minutes: of 24 clips eight overlap the reference, the others each other
in chains of five on either side of it; three strangers; and three times the same twelve seconds of music are played
at two moments, so that clips which hold them sound alike there and are not.

Else, of each event of 300 s the reference has the beginning. Recordings hang together like links, each overlaps the one
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
from material.recorded import PEOPLE, announcements, band

#: Twice the bound of a single placing: a chain adds up. What is asked of clips.
RIGHT_S, CLIP_RIGHT_S = 0.04, 0.001
ISLAND_S = 40.0
CLIPS_EVENT_S, CLIPS_REFERENCE_S, CHAIN = 480.0, (180.0, 300.0), 5
PLAYED_S, PLAYED_FROM_S = 12.0, ((75.0, 330.0), (100.0, 365.0), (130.0, 412.0))


def write_event(folder: Path, seed: int) -> tuple[str, dict[Path, tuple[float, float] | None]]:
    """The kind, and of each file where it starts and how fast its clock runs; None where it must not be placed."""
    rng = np.random.default_rng([seed, 311])
    kind = list(MAKERS)[seed % len(MAKERS)]
    sound, other = event(kind, 400 + seed), event(kind, 500 + seed)
    end_s = rng.uniform(50, 80)
    near = SoundPath(microphone=True, snr_db=float(rng.uniform(25, 45)), noise="pink")
    soundfile.write(folder / "reference.wav", heard(sound[: int(end_s * RATE_HZ)], near, rng), RATE_HZ)
    truth: dict[Path, tuple[float, float] | None] = {}
    number = 0
    while end_s < EVENT_S - ISLAND_S - 45:
        start_s = end_s - float(rng.uniform(8, 20))
        length_s = float(rng.uniform(35, 60))
        truth[folder / f"link-{number}.wav"] = take(folder / f"link-{number}.wav", sound, start_s, length_s, rng)
        end_s, number = start_s + length_s, number + 1
    take(folder / "island.wav", sound, EVENT_S - ISLAND_S, ISLAND_S - 1, rng)
    take(folder / "other.wav", other, float(rng.uniform(20, 200)), float(rng.uniform(30, 60)), rng)
    truth |= {folder / "island.wav": None, folder / "other.wav": None}
    return kind, truth


def take(path: Path, of: np.ndarray, start_s: float, length_s: float, rng: np.random.Generator) -> tuple[float, float]:
    """Record a part of an event by a device somewhere in a room; where it starts, and how fast its clock runs."""
    heard_by = SoundPath(
        rt60_s=float(rng.uniform(0.2, 0.6)),
        direct_db=float(rng.uniform(0, 12)),
        snr_db=float(rng.uniform(5, 30)),
        noise=str(rng.choice(["white", "pink", "hum"])),
        microphone=True,
    )
    rate = 1 + float(rng.normal(0, 30)) * 1e-6
    first = max(0.0, start_s - 2)
    part = of[int(first * RATE_HZ) : int((start_s + length_s + 2) * RATE_HZ)]
    taken = clocked(heard(part, heard_by, rng), start_s - first, rate, length_s)
    soundfile.write(path, 0.5 * taken / np.abs(taken).max(), RATE_HZ)
    return start_s, rate


def write_clips(folder: Path, seed: int) -> tuple[str, dict[Path, tuple[float, float] | None]]:
    """The same for an event of recorded sound in many clips."""
    rng = np.random.default_rng([seed, 313])
    people = sorted(PEOPLE)

    def recorded(person: int, number: int, seconds: float) -> np.ndarray:
        if seed % 2:
            return band(number, seconds)
        return announcements(people[person % len(people)], number, seconds)

    sound = recorded(seed, 700 + seed, CLIPS_EVENT_S)
    for k, moments_s in enumerate(PLAYED_FROM_S):
        played = band(800 + 3 * seed + k, PLAYED_S)
        played *= 2 * np.sqrt(np.mean(sound**2) / np.mean(played**2))
        for at_s in moments_s:
            sound[int(at_s * RATE_HZ) :][: played.size] += played
    start_s, end_s = CLIPS_REFERENCE_S
    near = SoundPath(microphone=True, snr_db=float(rng.uniform(25, 45)), noise="pink")
    reference = heard(sound[int(start_s * RATE_HZ) : int(end_s * RATE_HZ)], near, rng)
    soundfile.write(folder / "reference.wav", reference, RATE_HZ)
    spans = [(float(rng.uniform(start_s, end_s - 40)), float(rng.uniform(25, 40))) for _ in range(4)]
    for after in (False, True):
        # Two over the reference's edge, then a chain away from it, each overlapping the one before.
        reach_s = 0.0
        for k in range(2 + CHAIN):
            length_s = float(rng.uniform(28, 36))
            from_s = -float(rng.uniform(10, 15)) if k < 2 else reach_s - float(rng.uniform(8, 14))
            reach_s = from_s + length_s
            spans.append((end_s + from_s if after else start_s - reach_s, length_s))
        low_s, high_s = (end_s + 10, end_s + 85) if after else (start_s - 120, start_s - 45)
        spans += [(float(rng.uniform(low_s, high_s)), float(rng.uniform(25, 35))) for _ in range(3)]
    truth: dict[Path, tuple[float, float] | None] = {}
    for k, (from_s, length_s) in enumerate(spans):
        began_s, rate = take(folder / f"clip-{k:02d}.wav", sound, from_s, length_s, rng)
        truth[folder / f"clip-{k:02d}.wav"] = began_s - start_s, rate
    for k in range(3):
        # Others: one person's announcements of another evening hold the very same recordings.
        other = recorded(seed + 1 + k, 900 + 3 * seed + k, 60.0)
        take(folder / f"stranger-{k}.wav", other, 10.0, float(rng.uniform(25, 40)), rng)
        truth[folder / f"stranger-{k}.wav"] = None
    return "band" if seed % 2 else "people", truth


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--events", type=int, default=20)
    parser.add_argument("--first", type=int, default=0)
    parser.add_argument("--clips", action="store_true")
    given = parser.parse_args()
    totals: dict[str, list[int]] = {}
    write, right_s = (write_clips, CLIP_RIGHT_S) if given.clips else (write_event, RIGHT_S)
    for seed in range(given.first, given.first + given.events):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            kind, truth = write(folder, seed)
            placed = place_files(PlaceRequest(folder / "reference.wav", tuple(truth), None), lambda _path, _done: None)
            named = {
                note["message"]
                for one in placed.recordings
                for note in recording_json(one)["notes"]
                if note["code"] == "contradiction"
            }
            print(f"{kind} {seed}: {len(named)} contradictions named")
            for path, result in zip(truth, placed.recordings, strict=True):
                told, where = recording_json(result), truth[path]
                count = totals.setdefault(kind, [0] * 5)
                count[0] += where is not None
                if told["status"] != "placed":
                    continue
                error_s = float("inf") if where is None else farthest_s(told, where)
                wrong = error_s > right_s
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
