"""The whole program as `make demo` starts it, killed in every way; judged by what is left a little later."""

import json
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import urllib.error
import urllib.request
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from scripts.cluster import Cluster, free_port
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy

ROOT = Path(__file__).resolve().parent.parent.parent
#: A generous end for waiting on other processes; nothing is judged by how long it took.
PATIENCE_S = 90


@unittest.skipUnless("GULLYWIND_TEST_DATABASE" in os.environ, "run by `make test`")
class ProgramTest(unittest.TestCase):
    def setUp(self):
        folder = self.enterContext(tempfile.TemporaryDirectory(prefix="gullywind-program-"))
        # The database's user must be able to enter.
        Path(folder).chmod(0o755)
        self.data, self.port = Path(folder), free_port()
        self.program = None
        self.addCleanup(self.end)

    def start(self) -> None:
        environment = os.environ | {"GULLYWIND_PORT": str(self.port)}
        self.program = subprocess.Popen(
            [sys.executable, "-m", "scripts.serve", "--data", str(self.data)],
            cwd=ROOT,
            env=environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        self.until(self.is_up)

    def end(self) -> None:
        if self.program and self.program.poll() is None:
            self.program.terminate()
            self.program.wait(PATIENCE_S)
        for path in (self.data / "run").glob("*.pid"):
            self.kill(path.stem)
        Cluster(self.data / "postgres").stop()

    def is_up(self) -> bool:
        try:
            return self.ask("GET", "/health")["status"] == "up"
        except OSError:
            return False

    def ask(self, method: str, path: str, body: bytes | dict | None = None):
        data = json.dumps(body).encode() if isinstance(body, dict) else body
        kind = "application/json" if isinstance(body, dict) else "application/octet-stream"
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/api{path}", data, {"Content-Type": kind}, method=method
        )
        with urllib.request.urlopen(request, timeout=20) as answer:
            return json.loads(answer.read() or b"null")

    def until(self, condition) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while not condition():
            self.assertLess(time.monotonic(), deadline, "waited in vain")
            time.sleep(0.05)

    def pid(self, name: str) -> int:
        return int((self.data / "run" / f"{name}.pid").read_text().split()[0])

    def kill(self, name: str) -> None:
        try:
            os.kill(self.pid(name), signal.SIGKILL)
        except (ProcessLookupError, FileNotFoundError):
            return

    def bring_in(self, seconds: float = 60.0) -> str:
        """A project with a reference and two recordings, all still to be listened to; returns its id."""
        event = busy(seconds, 21)
        project = self.ask("POST", "/projects", {"name": "Evening"})
        made = [
            self.ask("POST", f"/projects/{project['id']}/recordings?file_name={name}.wav", wav_bytes(part))
            for name, part in {
                "Desk": event,
                "Camera": event[5 * RATE_HZ :],
                "Phone": event[9 * RATE_HZ : 40 * RATE_HZ],
            }.items()
        ]
        self.ask("PATCH", f"/projects/{project['id']}", {"version": project["version"], "reference_id": made[0]["id"]})
        self.ask("POST", f"/projects/{project['id']}/alignments", {})
        return project["id"]

    def all_placed(self, project_id: str) -> bool:
        try:
            project = self.ask("GET", f"/projects/{project_id}")
        except (urllib.error.HTTPError, OSError):
            return False
        offsets = {one["name"]: one["map"]["offset_s"] for one in project["recordings"] if one["map"]}
        return not project["works"] and offsets == {"Camera": 5.0, "Phone": 9.0}

    def test_what_dies_is_started_again_and_no_work_is_lost(self):
        self.start()
        project_id = self.bring_in()
        for name in ("worker-0", "server", "worker-1", "worker-0"):
            before = self.pid(name) if (self.data / "run" / f"{name}.pid").exists() else None
            if before is None:
                continue
            self.kill(name)
            self.until(lambda name=name, before=before: self.pid(name) != before)
        self.until(self.is_up)
        self.until(lambda: self.all_placed(project_id))

    def test_the_database_may_die_at_any_moment(self):
        self.start()
        project_id = self.bring_in()
        for _ in range(2):
            postmaster = int((self.data / "postgres" / "data" / "postmaster.pid").read_text().split("\n")[0])
            os.kill(postmaster, signal.SIGKILL)
            self.until(lambda was=postmaster: _other_postmaster(self.data, was) and self.is_up())
        self.until(lambda: self.all_placed(project_id))

    def test_a_killed_start_command_leaves_nothing_that_disturbs_the_next(self):
        self.start()
        project_id = self.bring_in()
        parts = [self.pid(path.stem) for path in (self.data / "run").glob("*.pid")]
        self.program.kill()
        self.program.wait()
        self.start()
        for pid in parts:
            self.until(lambda pid=pid: not Path(f"/proc/{pid}").exists() or _is_zombie(pid))
        self.until(lambda: self.all_placed(project_id))

    def test_a_stop_under_load_leaves_work_that_is_taken_up(self):
        self.start()
        project_id = self.bring_in(240.0)
        self.program.terminate()
        self.program.wait(PATIENCE_S)
        self.assertEqual(list((self.data / "run").glob("*.pid")), [])
        self.start()
        self.until(lambda: self.all_placed(project_id))

    def test_one_that_is_started_while_another_stops_waits_for_it_and_two_never_run(self):
        self.start()
        environment = os.environ | {"GULLYWIND_PORT": str(free_port())}
        command = [sys.executable, "-m", "scripts.serve", "--data", str(self.data)]
        second = subprocess.run(command, cwd=ROOT, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual((second.returncode, "runs already" in second.stderr), (1, True), second.stderr)
        self.assertTrue(self.is_up())
        first = self.program
        first.terminate()
        self.start()
        first.wait(PATIENCE_S)
        self.until(self.is_up)
        self.assertIsNone(self.program.poll())
        project_id = self.bring_in()
        self.until(lambda: self.all_placed(project_id))

    def test_deleting_while_it_is_listened_to_hangs_nothing(self):
        self.start()
        for _ in range(3):
            project = self.ask("POST", "/projects", {"name": "Short"})
            made = self.ask("POST", f"/projects/{project['id']}/recordings?file_name=a.wav", wav_bytes(busy(200.0, 22)))
            self.until(lambda key=project["id"]: self.ask("GET", f"/projects/{key}")["works"][:1] != [])
            self.ask("DELETE", f"/recordings/{made['id']}")
            self.ask("DELETE", f"/projects/{project['id']}")
        project_id = self.bring_in()
        self.until(lambda: self.all_placed(project_id))
        left = {path.name for path in (self.data / "media" / "originals").rglob("*") if path.is_file()}
        self.assertEqual(len(left), 3)

    def test_clients_that_race_hang_nothing_and_meet_no_error_of_the_program(self):
        self.start()
        project = self.ask("POST", "/projects", {"name": "Races"})
        path, body = f"/projects/{project['id']}", wav_bytes(busy(12.0, 23))
        statuses: Counter[int] = Counter()

        def send(method: str, address: str, wish: bytes | dict | None = None):
            try:
                answer = self.ask(method, address, wish)
                statuses[200] += 1
                return answer
            except urllib.error.HTTPError as error:
                statuses[error.code] += 1
                return None

        def client(seed: int) -> None:
            chance = random.Random(seed)
            for _ in range(40):
                now = send("GET", path)
                one = chance.choice(now["recordings"]) if now and now["recordings"] else None
                what = chance.randrange(7)
                if one is None or what == 0:
                    send("POST", f"{path}/recordings?file_name=r.wav", body)
                elif what == 1:
                    send("DELETE", f"/recordings/{one['id']}")
                elif what == 2:
                    send("PATCH", path, {"version": now["version"], "reference_id": one["id"]})
                elif what == 3:
                    send("POST", f"{path}/alignments", {})
                elif what == 4:
                    send("POST", f"{path}/deliveries", {})
                else:
                    kind = chance.choice(("undo", "redo"))
                    send("POST", f"/recordings/{one['id']}/map-edits", {"version": one["version"], "kind": kind})

        with ThreadPoolExecutor(6) as pool:
            list(pool.map(client, range(6)))
        self.assertGreater(statuses[200], 200)
        self.assertEqual({status for status in statuses if status >= 500}, set())
        self.until(lambda: not self.ask("GET", path)["works"])


def _other_postmaster(data: Path, was: int) -> bool:
    try:
        return int((data / "postgres" / "data" / "postmaster.pid").read_text().split("\n")[0]) != was
    except (OSError, ValueError):
        return False


def _is_zombie(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True
