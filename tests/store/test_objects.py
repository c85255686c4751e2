"""Media in an object store: a simulated server that speaks its interface, and two machines with a cache each."""

import asyncio
import logging
import os
import tempfile
from dataclasses import replace
from pathlib import Path
from typing import ClassVar
from unittest import TestCase
from unittest.mock import patch

import boto3
import numpy as np
from fastapi.testclient import TestClient
from moto.server import ThreadedMotoServer

from gullywind.actions.projects.sweep import sweep
from gullywind.api.app import create_app
from gullywind.core.ground.errors import InputError, StorageError, UnreadableError
from gullywind.jobs.worker import work
from gullywind.store.files import IncomingFile, MediaFolder
from gullywind.store.objects import ObjectStore
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy

KEYS = {"AWS_ACCESS_KEY_ID": "test", "AWS_SECRET_ACCESS_KEY": "test", "AWS_DEFAULT_REGION": "us-east-1"}


def start_store(case, bucket: str) -> str:
    """The address of an empty bucket; the server and the keys last as long as the class."""
    case.enterClassContext(patch.dict(os.environ, KEYS))
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    case.addClassCleanup(server.stop)
    host, port = server.get_host_and_port()
    boto3.client("s3", endpoint_url=f"http://{host}:{port}").create_bucket(Bucket=bucket)
    return f"http://{host}:{port}/{bucket}/team"


class ObjectStoreTest(TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store = ObjectStore.at(start_store(cls, "shelf"))

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_addresses_are_read(self):
        self.assertEqual(ObjectStore.at("s3://hall/takes/"), ObjectStore(None, "hall", "takes/"))
        self.assertEqual(ObjectStore.at("http://box:9000/hall"), ObjectStore("http://box:9000", "hall"))
        for wrong in ("hall", "http://box:9000", "ftp://box/hall", "s3:///x"):
            with self.assertRaises(InputError):
                ObjectStore.at(wrong)

    def test_what_is_put_is_fetched_listed_and_deleted(self):
        one = self.folder / "one"
        one.write_bytes(b"sound" * 1000)
        for key in ("a/1", "a/2", "b/1"):
            self.store.put(key, one)
        self.assertEqual([(x.key, x.size_bytes) for x in self.store.under("a/")], [("a/1", 5000), ("a/2", 5000)])
        self.assertTrue(self.store.fetch("a/2", self.folder / "deep" / "two"))
        self.assertEqual((self.folder / "deep" / "two").read_bytes(), one.read_bytes())
        self.assertFalse(self.store.fetch("a/3", self.folder / "three"))
        self.assertEqual(sorted(path.name for path in self.folder.rglob("*") if path.is_file()), ["one", "two"])
        self.store.delete("a/")
        self.assertEqual([x.key for x in self.store.under("")], ["b/1"])

    def test_a_store_that_does_not_answer_is_told_in_a_sentence(self):
        away = ObjectStore("http://127.0.0.1:9", "media")
        with self.assertRaisesRegex(StorageError, "object store does not answer"):
            list(away.under(""))

    def test_a_file_that_arrives_on_one_machine_is_read_on_another(self):
        here, there = (MediaFolder(self.folder / name, self.store) for name in ("here", "there"))
        content_hash, _ = IncomingFile.take_all(here, [b"voice" * 99])
        self.assertEqual(there.whole_original(content_hash).read_bytes(), b"voice" * 99)
        there.delete(content_hash)
        here.original(content_hash).unlink()
        with self.assertRaisesRegex(UnreadableError, "gone"):
            here.whole_original(content_hash)


class TwoMachinesTest(ApiCase):
    """The server on one machine, the workers on others; nothing but database and object store is common."""

    event = busy(30.0, 170)
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(event),
        "Camera.wav": wav_bytes(event[4 * RATE_HZ :]),
        "Phone.wav": wav_bytes(event[9 * RATE_HZ : 25 * RATE_HZ]),
    }

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        objects = ObjectStore.at(start_store(cls, "hall"))
        folders = [Path(cls.enterClassContext(tempfile.TemporaryDirectory())) for _ in range(3)]
        cls.machines = [replace(cls.settings, media_dir=folder, objects=objects) for folder in folders]
        cls.settings = cls.machines[0]
        cls.client = cls.enterClassContext(TestClient(create_app(cls.settings), base_url="http://127.0.0.1"))
        cls.objects = objects

    def run_jobs(self) -> None:
        async def both() -> None:
            await asyncio.gather(*(work(one, wait=False) for one in self.machines[1:]))

        asyncio.run(both())

    def test_files_are_heard_placed_drawn_played_and_written_wherever_it_falls(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        self.assertEqual((camera["status"], camera["map"]["offset_s"]), ("placed", 4.0))
        peaks = self.client.get(f"/api/media/{camera['media']['content_hash']}/peaks/256/0")
        self.assertGreater(len(peaks.content), 1000)
        answer = self.client.get(
            f"/api/recordings/{camera['id']}/sound", params={"first": 5 * RATE_HZ, "samples": 4800}
        )
        np.testing.assert_allclose(
            np.frombuffer(answer.content, "<f4"), self.event[5 * RATE_HZ : 5 * RATE_HZ + 4800], atol=1e-6
        )
        self.assertEqual(len(self.client.get(f"/api/recordings/{camera['id']}/loupes").json()), 3)
        asked = self.client.post(f"/api/projects/{project['id']}/deliveries", json={}).json()
        self.run_jobs()
        written = self.client.get(f"/api/deliveries/{asked['id']}/file")
        self.assertEqual(written.status_code, 200, written.text[:200] if written.status_code != 200 else "")
        # What is gone from a cache is fetched again.
        for path in self.settings.media_dir.rglob("*"):
            if path.is_file():
                path.unlink()
        again = self.client.get(f"/api/media/{camera['media']['content_hash']}/peaks/256/0")
        self.assertEqual(again.content, peaks.content)
        # And what belongs to nobody goes everywhere.
        self.assertEqual(self.client.delete(f"/api/projects/{project['id']}").status_code, 204)
        self.assertEqual([one.key for one in self.objects.under("originals/")], [])
        for one in self.machines:
            context = one.context()
            sweep(context, young_s=-1.0)
            context.database.dispose()
            context.queue.close()
        self.assertEqual([one.key for one in self.objects.under("")], [])
        left = [path for one in self.machines for path in one.media_dir.rglob("*") if path.is_file()]
        self.assertEqual(left, [])
