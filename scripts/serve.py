"""Start everything: database, migrations, demo, server, workers; Ctrl-C stops all of it.

Run by `make demo` and `make dev`. Port: GULLYWIND_PORT (8470). Folder for data: .local
"""

import argparse
import fcntl
import os
import signal
import socket
import sys
import time
import urllib.request
from pathlib import Path
from typing import TextIO

from scripts.cluster import Cluster, ClusterError
from scripts.parts import Part, end_orphans, stop_all

ROOT = Path(__file__).resolve().parent.parent
WORKERS = max(1, os.cpu_count() or 1)
LOOK_EVERY_S = 0.3
#: Parts of a program that was killed end by themselves, but not at once.
PORT_PATIENCE_S = 6.0
#: One that was stopped is gone after so long.
STOP_PATIENCE_S = 10.0


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--demo", action="store_true", help="load the demo unless it is there")
    parser.add_argument("--dev", action="store_true", help="also run the interface's development server")
    parser.add_argument("--data", type=Path, default=ROOT / ".local")
    given = parser.parse_args()
    port = int(os.environ.get("GULLYWIND_PORT", "8470"))
    run_dir = given.data / "run"
    alone = _alone(given.data)
    if alone is None:
        print(f"Gullywind runs already with the data in {given.data}. Stop it first: Ctrl-C there.", file=sys.stderr)
        return 1
    end_orphans(run_dir)
    if not _comes_free(port):
        print(
            f"Port {port} is taken by another program. Stop it, or choose another: GULLYWIND_PORT=8471 make demo",
            file=sys.stderr,
        )
        return 1
    cluster = Cluster(given.data / "postgres")
    parts: list[Part] = []
    # A terminal's hang-up and a plain kill stop all as Ctrl-C does.
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _interrupt)
    try:
        cluster.start()
        os.environ.update(
            {
                "GULLYWIND_DATABASE_URL": cluster.url(),
                "GULLYWIND_MEDIA_DIR": str(given.data / "media"),
                "GULLYWIND_WEB_DIR": str(ROOT / "web" / "dist"),
                "GULLYWIND_API_PORT": str(port),
                # Two workers on two cores: one thread each for the libraries' own pools.
                "OMP_NUM_THREADS": "1",
                "OPENBLAS_NUM_THREADS": "1",
            }
        )
        from gullywind.store.migrate import migrate

        migrate(cluster.url())
        python = [sys.executable, "-m"]
        parts += [Part(f"worker-{i}", [*python, "gullywind.jobs"], ROOT, run_dir) for i in range(WORKERS)]
        parts.append(Part("server", [*python, "gullywind.api.serve", str(port)], ROOT, run_dir))
        for part in parts:
            part.start()
        _wait_until_up(port, parts)
        if given.demo:
            from scripts.load_demo import load_demo

            load_demo(given.data / "demo")
        if given.dev:
            parts.append(Part("interface", ["npm", "run", "--silent", "dev"], ROOT / "web", run_dir))
            parts[-1].start()
        print(f"Gullywind is ready: http://127.0.0.1:{port}   (Ctrl-C stops it)", flush=True)
        while True:
            time.sleep(LOOK_EVERY_S)
            _look_after(cluster, parts)
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nstopping", flush=True)
        return 0
    finally:
        # A second Ctrl-C must not leave parts behind.
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        stop_all(parts)
        if cluster.port:
            cluster.stop()
        alone.close()


def _look_after(cluster: Cluster, parts: list[Part]) -> None:
    """What died is started again; the rest goes on."""
    if not cluster.is_running():
        print("The database stopped; starting it again.", file=sys.stderr, flush=True)
        try:
            cluster.start()
        except ClusterError as error:
            # It may still be clearing up after itself: the next look tries again.
            print(error, file=sys.stderr, flush=True)
    for part in parts:
        if part.start_again_if_dead():
            print(f"The {part.name} ended; it was started again.", file=sys.stderr, flush=True)


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _alone(data: Path) -> TextIO | None:
    """What one start command holds as long as it runs: who ends last would stop the other's database. One that is being
    stopped is waited for; None where another goes on.
    """
    data.mkdir(parents=True, exist_ok=True)
    lock, deadline = (data / "in-use").open("w"), time.monotonic() + STOP_PATIENCE_S
    while True:
        try:
            # Of this process alone: what it forks would hold it on after a kill.
            fcntl.lockf(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return lock
        except OSError:
            if time.monotonic() > deadline:
                lock.close()
                return None
            time.sleep(0.1)


def _comes_free(port: int) -> bool:
    deadline = time.monotonic() + PORT_PATIENCE_S
    while _taken(port):
        if time.monotonic() > deadline:
            return False
        time.sleep(0.1)
    return True


def _taken(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return True
    return False


def _wait_until_up(port: int, parts: list[Part]) -> None:
    while True:
        for part in parts:
            part.start_again_if_dead()
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=1):
                return
        except OSError:
            time.sleep(0.1)


if __name__ == "__main__":
    sys.exit(main())
