"""The long forms of what `make test` tries in short: kills at random moments, racing clients, malformed files.

Run: python -m scripts.trial kills [--times 50] | races [--seconds 120] | walks [--seconds 120] | files [--count 300]
"""

import argparse
import json
import random
import resource
import subprocess
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
import soundfile

from material.bad_files import bad_files
from material.speech import talk
from scripts.figures import line
from scripts.served import ROOT, STATUSES, Served, until
from scripts.trial_walks import walks

PROGRAM = ROOT / ".venv" / "bin" / "gullywind"
RATE_HZ = 48000


def wav(sound: np.ndarray, folder: Path) -> bytes:
    path = folder / f"{threading.get_ident()}.wav"
    soundfile.write(path, sound, RATE_HZ, subtype="PCM_16")
    return path.read_bytes()


def kills(folder: Path, times: int) -> None:
    """Uploads, listening, placing, edits and deletes go on while parts are killed."""
    event, chance = talk(5, 120.0), random.Random(3)
    bodies = [wav(event, folder), wav(event[9 * RATE_HZ :], folder)]
    served = Served(folder)
    served.start()
    acknowledged: set[str] = set()
    stop = threading.Event()

    def client() -> None:
        while not stop.is_set():
            project = served.ask("POST", "/projects", {"name": "Trial"})
            if not isinstance(project, dict):
                time.sleep(0.2)
                continue
            key = project["id"]
            made = [
                served.ask("POST", f"/projects/{key}/recordings?file_name={n}.wav", b) for n, b in enumerate(bodies)
            ]
            kept = [one["id"] for one in made if isinstance(one, dict)]
            acknowledged.update(kept)
            if len(kept) == len(bodies):
                served.ask("PATCH", f"/projects/{key}", {"version": project["version"], "reference_id": kept[0]})
                served.ask("POST", f"/projects/{key}/alignments", {})
            time.sleep(1.0)

    clients = [threading.Thread(target=client, daemon=True) for _ in range(2)]
    for one in clients:
        one.start()
    for i in range(times):
        time.sleep(chance.uniform(0.2, 3.0))
        name = ("worker-0", "server", "database", "start", "worker-1")[i % 5]
        served.kill(name)
        if name == "start" and served.process:
            served.process.wait()
            served.start()
    stop.set()
    for one in clients:
        one.join(60)
    until(lambda: served.ask("GET", "/health") is not None)

    def projects() -> list[dict]:
        found = served.ask("GET", "/projects")
        whole = [served.ask("GET", f"/projects/{one['id']}") for one in found] if isinstance(found, list) else []
        return [one for one in whole if isinstance(one, dict)]

    ended = until(lambda: all(not one["works"] for one in projects()))
    there = {one["id"] for project in projects() for one in project["recordings"]}
    parts = list((served.data / "media").rglob("*.part*"))
    line("kills: acknowledged uploads lost", f"{len(acknowledged - there)} of {len(acknowledged)}", "0")
    line("kills: no work open a minute after the last", str(ended), "True")
    line("kills: half files left", str(len(parts)), "0")
    served.stop()


def races(folder: Path, seconds: float) -> None:
    """Eight clients upload, delete, edit, undo, change the reference and deliver in one project at once."""
    event = talk(6, 40.0)
    bodies = [wav(event[k * 3 * RATE_HZ :], folder) for k in range(3)]
    served = Served(folder)
    served.start()
    project = served.ask("POST", "/projects", {"name": "Races"})
    assert isinstance(project, dict)
    path, deadline = f"/projects/{project['id']}", time.monotonic() + seconds

    def client(seed: int) -> None:
        chance = random.Random(seed)
        while time.monotonic() < deadline:
            now = served.ask("GET", path)
            some = now["recordings"] if isinstance(now, dict) else []
            one = chance.choice(some) if some else None
            what = chance.randrange(8)
            if what == 0 or one is None:
                served.ask("POST", f"{path}/recordings?file_name=r.wav", chance.choice(bodies))
            elif what == 1:
                served.ask("DELETE", f"/recordings/{one['id']}")
            elif what == 2 and isinstance(now, dict):
                served.ask("PATCH", path, {"version": now["version"], "reference_id": one["id"]})
            elif what == 3:
                served.ask("POST", f"{path}/alignments", {})
            elif what == 4:
                served.ask("POST", f"{path}/deliveries", {})
            else:
                kind = chance.choice(("undo", "redo", "nudge", "move"))
                more = {"nudge": {"by_s": 0.001}, "move": {"offset_s": 1.0}}.get(kind, {})
                body = {"version": one["version"], "kind": kind, **more}
                served.ask("POST", f"/recordings/{one['id']}/map-edits", body)

    STATUSES.clear()
    clients = [threading.Thread(target=client, args=(k,), daemon=True) for k in range(8)]
    for one in clients:
        one.start()
    for one in clients:
        one.join(seconds + 60)
    hung = sum(one.is_alive() for one in clients)
    bad = {status: n for status, n in STATUSES.items() if not isinstance(status, int) or status >= 500}
    line("races: requests", str(sum(STATUSES.values())), "")
    line("races: clients that hang", str(hung), "0")
    line("races: answers of 500 and above, or none", str(bad or 0), "0")
    served.stop()


def files(folder: Path, count: int) -> None:
    """Malformed files with four good ones among them, on the command line."""
    event = talk(7, 60.0)
    soundfile.write(folder / "reference.wav", event, RATE_HZ)
    good = [folder / f"good{k}.wav" for k in range(4)]
    for k, path in enumerate(good):
        soundfile.write(path, event[(5 + 7 * k) * RATE_HZ : (25 + 7 * k) * RATE_HZ], RATE_HZ)
    bad = []
    for name, body in bad_files(folder, count):
        bad.append(folder / "bad" / name)
        bad[-1].parent.mkdir(exist_ok=True)
        bad[-1].write_bytes(body)
    order = [*bad[:50], good[0], *bad[50:100], *good[1:3], *bad[100:], good[3]]
    out = folder / "result.json"
    done = subprocess.run(
        [str(PROGRAM), "align", str(folder / "reference.wav"), *map(str, order), "--json", str(out)],
        capture_output=True,
    )
    found = {Path(one["path"]).name: one for one in json.loads(out.read_text())["recordings"]}
    right = sum(abs((found[p.name]["offset_s"] or 0) - (5 + 7 * k)) < 1e-3 for k, p in enumerate(good))
    silent = sum(one["status"] == "failed" and not one["notes"] for one in found.values())
    peak_mb = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    line(f"{len(bad)} malformed files: good ones placed right", f"{right} of 4", "4")
    line(
        "malformed files: failures without a sentence, tracebacks",
        f"{silent}, {done.stderr.count(b'Traceback')}",
        "0, 0",
    )
    line("malformed files: most memory of a process", f"{peak_mb:.0f} MB", "1000")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=["kills", "races", "walks", "files"])
    parser.add_argument("--times", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=120.0)
    parser.add_argument("--count", type=int, default=300)
    given = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="gullywind-trial-") as folder:
        if given.what == "kills":
            kills(Path(folder), given.times)
        elif given.what == "races":
            races(Path(folder), given.seconds)
        elif given.what == "walks":
            walks(Path(folder), given.seconds)
        else:
            files(Path(folder), given.count)


if __name__ == "__main__":
    main()
