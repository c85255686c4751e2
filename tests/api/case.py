"""What the tests of the API share: a client, a project with files, jobs done to the end."""

import asyncio
from typing import ClassVar

from fastapi.testclient import TestClient

from gullywind.api.app import create_app
from gullywind.jobs.worker import work
from tests.database import DatabaseTest


class ApiCase(DatabaseTest):
    """A client of the application, and a project with the files of the class, the first of them the reference."""

    files: ClassVar[dict[str, bytes]]

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.client = cls.enterClassContext(TestClient(create_app(cls.settings), base_url="http://127.0.0.1"))

    def run_jobs(self) -> None:
        asyncio.run(work(self.settings, wait=False))

    def new_project(self, name: str = "Evening") -> dict:
        return self.client.post("/api/projects", json={"name": name}).json()

    def upload(self, project: dict, name: str, body: bytes):
        return self.client.post(f"/api/projects/{project['id']}/recordings", params={"file_name": name}, content=body)

    def project(self, project: dict) -> dict:
        return self.client.get(f"/api/projects/{project['id']}").json()

    def recording(self, project: dict, name: str) -> dict:
        return next(one for one in self.project(project)["recordings"] if one["name"] == name)

    def filled(self) -> dict:
        project = self.new_project()
        for name, body in self.files.items():
            self.assertEqual(self.upload(project, name, body).status_code, 201)
        self.run_jobs()
        desk = self.recording(project, "Desk")
        changed = self.client.patch(
            f"/api/projects/{project['id']}", json={"version": project["version"], "reference_id": desk["id"]}
        )
        self.assertEqual(changed.status_code, 200, changed.text)
        return changed.json()

    def placed(self) -> dict:
        project = self.filled()
        # What another project of the same files has measured is known already.
        waiting = [one for one in project["recordings"] if one["status"] == "waiting"]
        queued = self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.assertEqual((queued.status_code, len(queued.json())), (202, max(0, len(waiting) - 1)))
        self.run_jobs()
        return self.project(project)

    def windows(self, recording: dict) -> list[dict]:
        """Of its newest proof."""
        return self.client.get(f"/api/recordings/{recording['id']}/proof-windows").json()["windows"]

    def edit(self, recording: dict, **wish: object):
        body = {"version": recording["version"], **wish}
        return self.client.post(f"/api/recordings/{recording['id']}/map-edits", json=body)
