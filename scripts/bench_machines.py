"""Two workers with a cache of their own against one: an object store and the database are all that they share.

Each worker has one core. Run: python -m scripts.bench_machines [--recordings 72]
"""

import argparse
import logging
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from uuid import UUID

import boto3
import numpy as np
from fastapi.testclient import TestClient
from moto.server import ThreadedMotoServer

from gullywind.api.app import create_app
from gullywind.settings import Settings
from gullywind.store.migrate import migrate
from gullywind.store.objects import ObjectStore
from gullywind.store.works import open_works
from material.devices import clocked
from material.speech import talk
from scripts.cluster import Cluster
from scripts.figures import line

KEYS = {"AWS_ACCESS_KEY_ID": "bench", "AWS_SECRET_ACCESS_KEY": "bench", "AWS_DEFAULT_REGION": "us-east-1"}
RATE_HZ, LENGTH_S = 48000, 90.0


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--recordings", type=int, default=72)
    count = parser.parse_args().recordings
    os.environ.update(KEYS)
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    sounds = list(_sounds(count))
    one, two = (_timed(sounds, machines) for machines in (1, 2))
    for k, what in enumerate(("listened to", "placed")):
        line(
            f"{count} recordings {what}: one worker against two",
            f"{one[k]:.1f} s, {two[k]:.1f} s: {one[k] / two[k]:.2f} times",
            "1.8 times where cores allow",
        )


def _timed(sounds: list[bytes], machines: int) -> tuple[float, float]:
    """Time until all are listened to, and until all are placed, s."""
    with tempfile.TemporaryDirectory(prefix="gullywind-bench-") as name:
        folder = Path(name)
        os.chmod(folder, 0o755)
        cluster = Cluster(folder / "postgres")
        cluster.start()
        store = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
        store.start()
        try:
            host, port = store.get_host_and_port()
            bucket = f"machines-{machines}"
            boto3.client("s3", endpoint_url=f"http://{host}:{port}").create_bucket(Bucket=bucket)
            address = f"http://{host}:{port}/{bucket}"
            settings = Settings(cluster.url(), folder / "media-0", None, objects=ObjectStore.at(address))
            migrate(settings.database_url)
            with TestClient(create_app(settings), base_url="http://127.0.0.1") as client:
                return _run(client, settings, address, sounds, machines)
        finally:
            store.stop()
            cluster.stop()


def _run(
    client: TestClient, settings: Settings, address: str, sounds: list[bytes], machines: int
) -> tuple[float, float]:
    project = client.post("/api/projects", json={"name": "Machines"}).json()
    path = f"/api/projects/{project['id']}"
    for k, body in enumerate(sounds):
        client.post(f"{path}/recordings", params={"file_name": f"R{k}.wav"}, content=body).raise_for_status()
    with _workers(settings, address, machines):
        began = time.perf_counter()
        _until_idle(settings, UUID(project["id"]))
        heard = time.perf_counter() - began
        reference = client.get(path).json()["recordings"][0]
        chosen = {"version": project["version"], "reference_id": reference["id"]}
        client.patch(path, json=chosen).raise_for_status()
        began = time.perf_counter()
        client.post(f"{path}/alignments", json={}).raise_for_status()
        _until_idle(settings, UUID(project["id"]))
        placed = time.perf_counter() - began
    found = client.get(path).json()
    wrong = [one["name"] for one in found["recordings"][1:] if one["status"] != "placed"]
    if wrong:
        print(f"not placed: {wrong}")
    return heard, placed


@contextmanager
def _workers(settings: Settings, address: str, machines: int) -> Iterator[None]:
    workers = []
    for k in range(machines):
        own = replace(settings, media_dir=settings.media_dir.with_name(f"media-{k + 1}"))
        environment = os.environ | {
            "GULLYWIND_DATABASE_URL": own.database_url,
            "GULLYWIND_MEDIA_DIR": str(own.media_dir),
            "GULLYWIND_OBJECTS": address,
            "OMP_NUM_THREADS": "1",
            "OPENBLAS_NUM_THREADS": "1",
        }
        command = ["taskset", "-c", str(k), sys.executable, "-m", "gullywind.jobs"]
        workers.append(subprocess.Popen(command, env=environment))
    try:
        yield
    finally:
        for one in workers:
            one.terminate()
        for one in workers:
            one.wait()


def _until_idle(settings: Settings, project_id: UUID) -> None:
    context = settings.context()
    try:
        while True:
            # The whole project, asked for again and again, would take a good part of a core.
            with context.database.session() as session:
                if not open_works(session, project_id):
                    return
            time.sleep(0.1)
    finally:
        context.database.dispose()
        context.queue.close()


def _sounds(count: int) -> Iterator[bytes]:
    """The reference first, then recordings of the same talk, each with its own start, clock and noise."""
    import io

    import soundfile

    rng = np.random.default_rng(4)
    event = talk(9, 2 * LENGTH_S).astype(np.float64)
    for k in range(count + 1):
        sound = event
        if k:
            start, rate = float(rng.uniform(0, LENGTH_S)), 1 + float(rng.normal(0, 30e-6))
            sound = clocked(event, start, rate, LENGTH_S - 1)
            sound = sound + rng.standard_normal(sound.size) * 0.3 * event.std()
        file = io.BytesIO()
        soundfile.write(file, sound, RATE_HZ, format="WAV", subtype="PCM_16")
        yield file.getvalue()


if __name__ == "__main__":
    main()
