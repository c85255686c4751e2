"""The application against its own command line: 72 recordings of 4 minutes brought in, heard and placed, in one run.

Run: python -m scripts.bench_application [--count 72] [--minutes 4] [--frames | --listen]

`--frames`: only how fluent the overview is meanwhile. `--listen`: only ten minutes of all of them heard together.
"""

import argparse
import http.client
import json
import tempfile
import time
import urllib.request
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
import soundfile

from material.speech import talk
from scripts.bench import one_spectrum_of_each, program
from scripts.bench_interface import FRAMES
from scripts.browser import chromium, new_page
from scripts.figures import line
from scripts.served import Served, until

RATE_HZ = 48000
#: As many uploads at once as the page makes.
UPLOADS = 3


def recordings(folder: Path, count: int, minutes: float) -> list[Path]:
    """A reference and so many recordings of parts of it, 16-bit WAV, noise in each."""
    rng = np.random.default_rng(11)
    length = int(minutes * 60 * RATE_HZ)
    event = talk(12, minutes * 60 + 30)
    paths = [folder / "reference.wav"]
    soundfile.write(paths[0], event, RATE_HZ, subtype="PCM_16")
    for i in range(count):
        first = int(rng.uniform(0, 30) * RATE_HZ)
        part = event[first : first + length]
        part = part * rng.uniform(0.3, 1.0) + rng.standard_normal(part.size).astype(np.float32) * 0.004
        paths.append(folder / f"take{i:02d}.wav")
        soundfile.write(paths[-1], part, RATE_HZ, subtype="PCM_16")
    return paths


def upload(served: Served, key: str, path: Path) -> str:
    """Send a file as the page does; the recording's id."""
    connection = http.client.HTTPConnection("127.0.0.1", served.port, timeout=600, blocksize=1 << 20)
    headers = {"Content-Type": "application/octet-stream", "Content-Length": str(path.stat().st_size)}
    with path.open("rb") as file:
        connection.request("POST", f"/api/projects/{key}/recordings?file_name={path.name}", file, headers)
        answer = connection.getresponse()
    return str(json.loads(answer.read())["id"])


def take_in(served: Served, key: str, path: Path) -> str:
    """Bring in a file by its path; the recording's id."""
    made = served.ask("POST", f"/projects/{key}/recordings/in-place", {"path": str(path)})
    assert isinstance(made, dict)
    return str(made["id"])


def in_application(served: Served, paths: list[Path], bring_in: Callable[[Served, str, Path], str]) -> dict[str, float]:
    """Wall times in s: until all are brought in, until the first is placed, until all are."""
    project = served.ask("POST", "/projects", {"name": "Bench"})
    assert isinstance(project, dict)
    key, start = project["id"], time.perf_counter()
    times: dict[str, float] = {}
    reference = bring_in(served, key, paths[0])
    served.ask("PATCH", f"/projects/{key}", {"version": project["version"], "reference_id": reference})
    with ThreadPoolExecutor(UPLOADS) as pool:
        list(pool.map(lambda path: bring_in(served, key, path), paths[1:]))
    times["brought in"] = time.perf_counter() - start
    served.ask("POST", f"/projects/{key}/alignments", {})
    placed = 0

    def done() -> bool:
        nonlocal placed
        projects = served.ask("GET", "/projects")
        assert isinstance(projects, list)
        placed = projects[0]["placed"]
        if placed and "first placed" not in times:
            times["first placed"] = time.perf_counter() - start
        return bool(placed == len(paths) - 1)

    until(done, 900)
    times["all placed"] = time.perf_counter() - start
    return times


def bench_mix(served: Served) -> None:
    """All recordings heard together: the first sound, another level, and what each stretch of sound costs."""
    projects = served.ask("GET", "/projects")
    assert isinstance(projects, list)
    project = served.ask("GET", f"/projects/{projects[0]['id']}")
    assert isinstance(project, dict)
    ids = [one["id"] for one in project["recordings"] if one["map"]]

    def mixed(first: int, samples: int, level_db: float) -> float:
        voices = [{"recording_id": one, "level_db": level_db, "position": 0.2} for one in ids]
        address = f"http://127.0.0.1:{served.port}/api/projects/{project['id']}/mix?first={first}&samples={samples}"
        body = json.dumps({"voices": voices}).encode()
        began = time.perf_counter()
        with urllib.request.urlopen(
            urllib.request.Request(address, body, {"Content-Type": "application/json"})
        ) as answer:
            answer.read()
        return time.perf_counter() - began

    firsts, changes = list[float](), list[float]()
    for k in range(12):
        first = (35 + 11 * k) * RATE_HZ
        firsts.append(mixed(first, RATE_HZ // 2, 0.0))
        changes.append(mixed(first + RATE_HZ // 10, round(0.35 * RATE_HZ), -3.0))
    line(f"mix of {len(ids)}: first half second", f"{np.median(firsts) * 1e3:.0f} ms", "200 ms with the lead")
    line(f"mix of {len(ids)}: another level", f"{np.median(changes) * 1e3:.0f} ms", "200 ms with the lead")
    chunks = [mixed((40 + 2 * k) * RATE_HZ, 2 * RATE_HZ, 1.0) for k in range(60)]
    line("mix: a stretch of 2 s", f"median {np.median(chunks):.2f} s, longest {max(chunks):.2f} s", "2 s: no dropout")


def bench_frames(served: Served, paths: list[Path]) -> None:
    """Frame times of the overview, zoomed and panned, while all are being placed."""
    project = served.ask("POST", "/projects", {"name": "Watched"})
    assert isinstance(project, dict)
    key = project["id"]
    reference = take_in(served, key, paths[0])
    served.ask("PATCH", f"/projects/{key}", {"version": project["version"], "reference_id": reference})
    for path in paths[1:]:
        take_in(served, key, path)
    with chromium() as browser:
        page = new_page(browser, bypass_csp=True)
        page.goto(f"http://127.0.0.1:{served.port}/projects/{key}")
        page.get_by_test_id("recording-row").first.wait_for()
        ruler = page.get_by_test_id("ruler").bounding_box()
        assert ruler
        page.mouse.move(ruler["x"] + ruler["width"] * 0.4, ruler["y"] + 10)
        page.evaluate(FRAMES)
        served.ask("POST", f"/projects/{key}/alignments", {})
        placed = turned = 0
        while placed < len(paths) - 1:
            page.mouse.wheel(0, -60 if turned % 40 < 20 else 60)
            page.mouse.wheel(40 if turned % 2 else -40, 0)
            turned += 1
            if turned % 20 == 0:
                projects = served.ask("GET", "/projects")
                assert isinstance(projects, list)
                placed = projects[0]["placed"]
        times = np.array(page.evaluate("window.frames_"))[3:]
    late = f"{np.sum(times > 34)} of {times.size} over 34 ms, {np.sum(times > 100)} over 100, longest {times.max():.0f}"
    line(f"overview while {len(paths) - 1} are placed: frames", f"median {np.median(times):.1f} ms, {late}", "16.7 ms")


#: What begins to sound: [number of the run, when it was told, when it begins, when it ends], s of the audio clock.
SCHEDULED = """() => {
  const start = AudioBufferSourceNode.prototype.start
  window.run_ = 0
  window.scheduled_ = []
  AudioBufferSourceNode.prototype.start = function (when, skip = 0) {
    window.scheduled_.push([window.run_, this.context.currentTime, when, when + this.buffer.duration - skip])
    return start.call(this, when, skip)
  }
}"""
LISTENED_S = 600.0


def bench_listening(served: Served, paths: list[Path]) -> None:
    """All recordings played together in the overview for ten minutes: gaps, and what came too late."""
    in_application(served, paths, take_in)
    projects = served.ask("GET", "/projects")
    assert isinstance(projects, list)
    with chromium() as browser:
        page = new_page(browser, bypass_csp=True)
        page.goto(f"http://127.0.0.1:{served.port}/projects/{projects[0]['id']}")
        page.get_by_test_id("recording-row").first.wait_for()
        page.evaluate(SCHEDULED)
        played_s = 0.0
        while played_s < LISTENED_S:
            # From the beginning to the end, and again.
            page.evaluate("window.run_++")
            page.keyboard.press("Space")
            page.get_by_role("button", name="Stop (space)").wait_for()
            page.get_by_role("button", name="Play (space)").wait_for(timeout=LISTENED_S * 1e3)
            told = np.array(page.evaluate("window.scheduled_"))
            runs = [told[told[:, 0] == run] for run in np.unique(told[:, 0])]
            played_s = sum(float(run[:, 3].max() - run[:, 2].min()) for run in runs)
    gaps = late = 0
    leads = list[float]()
    for run in runs:
        begins, first = np.unique(run[:, 2], return_index=True)
        gaps += int(np.sum(np.abs(begins[1:] - run[first, 3][:-1]) > 1 / RATE_HZ))
        late += int(np.sum(run[:, 1] > run[:, 2]))
        leads += (run[first, 2] - run[first, 1])[1:].tolist()
    what = f"{len(paths) - 1} heard together for {played_s / 60:.1f} minutes"
    line(what, f"{gaps} gaps, {late} too late, the nearest {min(leads):.1f} s ahead", "no dropout")


def yardstick(paths: list[Path]) -> tuple[float, float]:
    """Wall times in s of the same on the command line, and of reading each with one spectrum in one thread."""
    command, spectra = program("align", *paths), one_spectrum_of_each(paths)
    line("command line; one spectrum of each in one thread", f"{command:.1f} s; {spectra:.1f} s", "")
    return command, spectra


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--count", type=int, default=72)
    parser.add_argument("--minutes", type=float, default=4.0)
    parser.add_argument("--frames", action="store_true")
    parser.add_argument("--listen", action="store_true")
    given = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="gullywind-bench-") as name:
        folder = Path(name)
        # The database runs as another user.
        folder.chmod(0o755)
        (folder / "files").mkdir()
        paths = recordings(folder / "files", given.count, given.minutes)
        if given.frames or given.listen:
            (folder / "watched").mkdir()
            served = Served(folder / "watched", folders=folder / "files")
            served.start()
            try:
                (bench_frames if given.frames else bench_listening)(served, paths)
            finally:
                served.stop()
            return
        program("align", *paths[:2])
        # Before and after each way: the machine's speed drifts by a third within minutes.
        yardsticks = [yardstick(paths)]
        for how, bring_in in {"as uploads": upload, "by their paths": take_in}.items():
            data = folder / how.replace(" ", "-")
            data.mkdir()
            served = Served(data, folders=folder / "files")
            served.start()
            times = in_application(served, paths, bring_in)
            if bring_in is take_in:
                bench_mix(served)
            served.stop()
            yardsticks.append(yardstick(paths))
            command, spectra = np.mean(yardsticks[-2:], axis=0)
            told = ", ".join(f"{what} {seconds:.1f} s" for what, seconds in times.items())
            line(f"{given.count} recordings {how}", told, "")
            line(f"{how}: application against command line", f"{times['all placed'] / command:.2f} times", "1.3")
            line(f"{how}: against one spectrum of each", f"{times['all placed'] / spectra:.2f} times", "1.0")


if __name__ == "__main__":
    main()
