"""The whole program in a folder of its own, for trials and benches; started as `make demo` does, asked over HTTP."""

import http.client
import json
import os
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from scripts.cluster import Cluster, free_port

ROOT = Path(__file__).resolve().parent.parent
PATIENCE_S = 60.0
#: Answers by status, and those that did not come by the error's name.
STATUSES: Counter[object] = Counter()


def until(condition: Callable[[], bool], patience_s: float = PATIENCE_S) -> bool:
    """Whether it came true in time."""
    deadline = time.monotonic() + patience_s
    while not condition():
        if time.monotonic() > deadline:
            return False
        time.sleep(0.1)
    return True


class Served:
    """The whole program in a folder, as `make demo` starts it."""

    def __init__(self, folder: Path, *, folders: Path | None = None) -> None:
        """`folders`: whose files may be taken in by their path."""
        folder.chmod(0o755)
        self.folders = folders
        self.data, self.port = folder, free_port()
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "scripts.serve", "--data", str(self.data)],
            cwd=ROOT,
            env=os.environ | {"GULLYWIND_PORT": str(self.port), "GULLYWIND_FOLDERS": str(self.folders or "")},
            stdout=subprocess.DEVNULL,
            stderr=(self.data / "told").open("ab"),
        )
        until(lambda: self.ask("GET", "/health") is not None)

    def stop(self) -> None:
        if self.process:
            self.process.terminate()
            self.process.wait(30)
        Cluster(self.data / "postgres").stop()

    def ask(self, method: str, path: str, body: bytes | dict | None = None) -> object | None:
        """The answer; None where there is none, or a refusal. Statuses are counted."""
        return self.answered(method, path, body)[0]

    def answered(self, method: str, path: str, body: bytes | dict | None = None) -> tuple[object | None, int | str]:
        """The answer, where it is JSON, and its status, or the name of what kept it from coming."""
        data = json.dumps(body).encode() if isinstance(body, dict) else body
        kind = "application/json" if isinstance(body, dict) else "application/octet-stream"
        address = f"http://127.0.0.1:{self.port}/api{path}"
        found: object | None = None
        status: int | str
        try:
            request = urllib.request.Request(address, data, {"Content-Type": kind}, method=method)
            with urllib.request.urlopen(request, timeout=20) as answer:
                status = answer.status
                whole = answer.read()
                if answer.headers.get_content_type() == "application/json":
                    found = json.loads(whole)
        except urllib.error.HTTPError as error:
            status = error.code
        except (OSError, http.client.HTTPException, ValueError) as error:
            status = type(error).__name__
        STATUSES[status] += 1
        return found, status

    def kill(self, name: str) -> None:
        """End one part with -9: `server`, `worker-0`, `database` or `start`."""
        try:
            if name == "database":
                pid = int((self.data / "postgres" / "data" / "postmaster.pid").read_text().split("\n")[0])
            elif name == "start":
                pid = self.process.pid if self.process else 0
            else:
                pid = int((self.data / "run" / f"{name}.pid").read_text().split()[0])
            os.kill(pid, signal.SIGKILL)
        except (OSError, ValueError):
            return
