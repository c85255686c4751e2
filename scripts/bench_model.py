"""Measure what the tables cost: migrating a long history, another reference for 72 recordings, long maps.

Run: python -m scripts.bench_model
"""

import os
import tempfile
import time
from pathlib import Path
from uuid import UUID

import numpy as np
from fastapi.testclient import TestClient

from gullywind.api.app import create_app
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.maps.version import Version
from gullywind.settings import Settings
from gullywind.store.history import Part, record_change
from gullywind.store.migrate import migrate
from gullywind.store.recordings import get_recording
from scripts.cluster import Cluster
from scripts.figures import line
from scripts.old_project import fill

RECORDINGS, VERSIONS, KNOTS = 72, 200, 10_000


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="gullywind-bench-") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder) / "postgres")
        cluster.start()
        try:
            settings = Settings(cluster.url(), Path(folder) / "media", None)
            migrate(settings.database_url, "0004")
            context = settings.context()
            with context.database.session() as session:
                project, ids = fill(session, RECORDINGS, VERSIONS)
            began = time.perf_counter()
            migrate(settings.database_url)
            took = time.perf_counter() - began
            line(f"migrating {RECORDINGS} recordings of {VERSIONS} versions", f"{took:.2f} s", "under 10 s")
            with TestClient(create_app(settings), base_url="http://127.0.0.1") as client:
                _bench(client, project, ids)
                with context.database.session() as session:
                    _long(session, ids[1])
                _bench_edits(client, ids[1], ids[2])
            context.database.dispose()
            context.queue.close()
        finally:
            cluster.stop()


def _bench(client: TestClient, project: UUID, ids: list[UUID]) -> None:
    path = f"/api/projects/{project}"
    began = time.perf_counter()
    told = client.get(path)
    took = time.perf_counter() - began
    line("the whole project as the page asks for it", f"{took * 1e3:.0f} ms, {len(told.content) / 1e3:.0f} kB", "none")
    began = time.perf_counter()
    body = {"version": told.json()["version"], "reference_id": str(ids[1])}
    changed = client.patch(path, json=body)
    took = time.perf_counter() - began
    placed = sum(one["status"] == "placed" for one in changed.json()["recordings"])
    line(f"another reference, {placed} places drawn anew, no sound read", f"{took:.2f} s", "2 s")
    began = time.perf_counter()
    client.post(f"{path}/changes", json={"kind": "undo"}).raise_for_status()
    line("the same taken back", f"{time.perf_counter() - began:.2f} s", "none")


def _long(session, recording_id: UUID) -> None:  # type: ignore[no-untyped-def]
    t_rec = np.linspace(0.0, 3600.0, KNOTS)
    pairs = np.stack([t_rec + 5 + 0.01 * np.sin(t_rec / 7), t_rec], axis=1)
    row = get_recording(session, recording_id, lock=True)
    record_change(session, row.project_id, "bent", [Part(row, Version(TimeMap((Piece(pairs),))), "bent")])


def _bench_edits(client: TestClient, long_id: UUID, short_id: UUID) -> None:
    """An edit and the fetching of what it made, as the page does both."""

    def edit(recording_id: UUID) -> float:
        version = client.get(f"/api/recordings/{recording_id}").json()["version"]
        began = time.perf_counter()
        answer = client.post(
            f"/api/recordings/{recording_id}/map-edits", json={"version": version, "kind": "nudge", "by_s": 0.001}
        ).json()
        if answer["map"]["pieces"] is None:
            client.get(f"/api/recordings/{recording_id}/versions/{answer['map']['id']}").raise_for_status()
        return time.perf_counter() - began

    long_s, short_s = (float(np.median([edit(one) for _ in range(9)])) for one in (long_id, short_id))
    line(
        f"an edit of {KNOTS} knots, stored and fetched",
        f"{long_s * 1e3:.0f} ms, of 2 knots {short_s * 1e3:.0f}",
        "100 ms",
    )


if __name__ == "__main__":
    main()
