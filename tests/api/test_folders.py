"""Files taken in from a folder of the server's machine: without a copy, only from where that is allowed."""

import dataclasses
import os
import tempfile
from pathlib import Path
from typing import ClassVar

from fastapi.testclient import TestClient

from gullywind.actions.projects.sweep import room, sweep
from gullywind.api.app import create_app
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import busy


class FoldersTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {}

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        above = Path(cls.enterClassContext(tempfile.TemporaryDirectory())).resolve()
        cls.folder = above / "Event"
        (cls.folder / "Cameras").mkdir(parents=True)
        for name, seed in (("Desk.wav", 1), ("Second.WAV", 2), ("Cameras/One.wav", 3)):
            (cls.folder / name).write_bytes(wav_bytes(busy(3.0, seed)))
        (cls.folder / "notes.txt").write_text("not sound")
        (cls.folder / ".hidden.wav").write_bytes(b"x")
        (above / "outside.wav").write_bytes(wav_bytes(busy(2.0, 4)))
        (cls.folder / "way-out.wav").symlink_to(above / "outside.wav")
        settings = dataclasses.replace(cls.settings, folders=(cls.folder,))
        cls.client = cls.enterClassContext(TestClient(create_app(settings), base_url="http://127.0.0.1"))

    def take_in(self, project: dict, path: object):
        return self.client.post(f"/api/projects/{project['id']}/recordings/in-place", json={"path": str(path)})

    def test_folders_and_recordings_are_listed_and_nothing_else(self):
        roots = self.client.get("/api/folders").json()
        self.assertEqual([one["path"] for one in roots["folders"]], [str(self.folder)])
        found = self.client.get("/api/folders", params={"path": str(self.folder)}).json()
        self.assertEqual([one["name"] for one in found["folders"]], ["Cameras"])
        self.assertEqual([one["name"] for one in found["files"]], ["Desk.wav", "Second.WAV", "way-out.wav"])
        self.assertIsNone(found["parent"])
        below = self.client.get("/api/folders", params={"path": str(self.folder / "Cameras")}).json()
        self.assertEqual(below["parent"], str(self.folder))

    def test_what_is_outside_is_refused_however_it_is_written(self):
        project = self.new_project()
        for path in (
            self.folder.parent,
            self.folder / ".." / "outside.wav",
            self.folder / "way-out.wav",
            "/etc/passwd",
        ):
            with self.subTest(path=path):
                for answer in (
                    self.take_in(project, path),
                    self.client.get("/api/folders", params={"path": str(path)}),
                ):
                    self.assertEqual(answer.status_code, 404)
                    self.assertIn("not among those", answer.json()["detail"])
        for path in ("nothing/here", "\0", "x" * 4000):
            self.assertEqual(self.take_in(project, path).status_code, 404)
        self.assertEqual(self.project(project)["recordings"], [])

    def test_nothing_is_copied_and_removing_leaves_the_file(self):
        project, path = self.new_project(), self.folder / "Desk.wav"
        answer = self.take_in(project, path)
        self.assertEqual(answer.status_code, 201, answer.text)
        self.run_jobs()
        made = self.recording(project, "Desk")
        self.assertEqual((made["media"]["state"], made["media"]["duration_s"]), ("ready", 3.0))
        self.assertLess(room(self.context).originals, 1000)
        sweep(self.context)
        sound = self.client.get(f"/api/recordings/{made['id']}/sound", params={"first": 0, "samples": 100})
        self.assertEqual(sound.status_code, 200)
        self.client.delete(f"/api/recordings/{made['id']}")
        self.assertEqual(self.client.post("/api/room/forgetting").status_code, 200)
        self.assertFalse(self.context.media.original(made["media"]["content_hash"]).is_symlink())
        self.assertTrue(path.exists())

    def test_the_same_content_is_stored_once_and_an_upload_replaces_the_link(self):
        project, path = self.new_project(), self.folder / "Second.WAV"
        self.take_in(project, path)
        uploaded = self.upload(project, "Copy.wav", path.read_bytes())
        content_hash = uploaded.json()["media"]["content_hash"]
        self.assertEqual({one["media"]["content_hash"] for one in self.project(project)["recordings"]}, {content_hash})
        original = self.context.media.original(content_hash)
        self.assertFalse(original.is_symlink())
        self.take_in(project, path)
        self.assertFalse(original.is_symlink())

    def test_a_file_that_was_changed_or_moved_says_so(self):
        for what, words in (("changed", "was changed since"), ("moved", "put it back")):
            project, path = self.new_project(), self.folder / f"{what}.wav"
            path.write_bytes(wav_bytes(busy(2.0, len(what))))
            self.take_in(project, path)
            if what == "changed":
                os.utime(path, (1, 1))
            else:
                path.unlink()
            self.run_jobs()
            (made,) = self.project(project)["recordings"]
            self.assertEqual(made["status"], "failed")
            self.assertIn(words, made["media"]["reason"])
            path.unlink(missing_ok=True)
