"""Start everything: database, migrations, demo, server, workers; Ctrl-C stops all of it.

Run by `make demo` and `make dev`. Port: GULLYWIND_PORT (8470). Folder for data: .local
"""

import argparse
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from scripts.cluster import Cluster, ClusterError

ROOT = Path(__file__).resolve().parent.parent
WORKERS = max(1, os.cpu_count() or 1)


def main() -> int:
    parser = argparse.ArgumentParser()
    parser.add_argument("--demo", action="store_true", help="load the demo unless it is there")
    parser.add_argument("--dev", action="store_true", help="also run the interface's development server")
    parser.add_argument("--data", type=Path, default=ROOT / ".local")
    given = parser.parse_args()
    port = int(os.environ.get("GULLYWIND_PORT", "8470"))
    if _taken(port):
        print(
            f"Port {port} is taken by another program. Stop it, or choose another: GULLYWIND_PORT=8471 make demo",
            file=sys.stderr,
        )
        return 1
    cluster = Cluster(given.data / "postgres")
    children: list[subprocess.Popen[bytes]] = []
    # A terminal's hang-up and a plain kill stop all as Ctrl-C does.
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, _interrupt)
    try:
        cluster.start()
        environment = os.environ | {
            "GULLYWIND_DATABASE_URL": cluster.url(),
            "GULLYWIND_MEDIA_DIR": str(given.data / "media"),
            "GULLYWIND_WEB_DIR": str(ROOT / "web" / "dist"),
            "GULLYWIND_API_PORT": str(port),
            # Two workers on two cores: one thread each for the libraries' own pools.
            "OMP_NUM_THREADS": "1",
            "OPENBLAS_NUM_THREADS": "1",
        }
        os.environ.update(environment)
        from gullywind.store.migrate import migrate

        migrate(cluster.url())
        children += [_child("gullywind.jobs") for _ in range(WORKERS)]
        children.append(_child("gullywind.api.serve", str(port)))
        _wait_until_up(port, children)
        if given.demo:
            from scripts.load_demo import load_demo

            load_demo(given.data / "demo")
        if given.dev:
            children.append(
                subprocess.Popen(["npm", "run", "--silent", "dev"], cwd=ROOT / "web", start_new_session=True)
            )
        print(f"Gullywind is ready: http://127.0.0.1:{port}   (Ctrl-C stops it)", flush=True)
        while all(child.poll() is None for child in children):
            time.sleep(0.5)
            if not cluster.is_running():
                print("The database stopped; starting it again.", file=sys.stderr)
                cluster.start()
        print("A part of the program ended; stopping the rest.", file=sys.stderr)
        return 1
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("\nstopping", flush=True)
        return 0
    finally:
        for child in children:
            if child.poll() is None:
                os.killpg(child.pid, signal.SIGTERM)
        for child in children:
            try:
                child.wait(8)
            except subprocess.TimeoutExpired:
                os.killpg(child.pid, signal.SIGKILL)
        if cluster.port:
            cluster.stop()


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _child(module: str, *arguments: str) -> subprocess.Popen[bytes]:
    # Its own session: Ctrl-C reaches only this program, which then stops the parts in order.
    return subprocess.Popen([sys.executable, "-m", module, *arguments], cwd=ROOT, start_new_session=True)


def _taken(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return True
    return False


def _wait_until_up(port: int, children: list[subprocess.Popen[bytes]]) -> None:
    while all(child.poll() is None for child in children):
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/health", timeout=1):
                return
        except OSError:
            time.sleep(0.1)


if __name__ == "__main__":
    sys.exit(main())
