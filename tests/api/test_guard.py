import base64
import dataclasses
import os
import subprocess
import unittest
from pathlib import Path
from typing import ClassVar

import psycopg
import sqlalchemy as sa
from fastapi.testclient import TestClient

from gullywind.api.app import create_app
from gullywind.settings import Settings
from tests.api.case import ApiCase
from tests.database import DatabaseTest
from tests.files import wav_bytes
from tests.signals import busy


class GuardTest(ApiCase):
    files: ClassVar = {"Desk.wav": wav_bytes(busy(2.0))}

    def post(self, **headers: str) -> int:
        return self.client.post("/api/projects", json={"name": "Evening"}, headers=headers).status_code

    def test_only_known_names_are_served(self):
        for name in ("evil.example", "127.0.0.1.evil.example", "localhost.evil.example:8470", "[bad", ""):
            with self.subTest(name):
                self.assertEqual(self.client.get("/api/projects", headers={"Host": name}).status_code, 421)
        for name in ("localhost:8470", "127.0.0.1", "[::1]:8470", "LOCALHOST"):
            self.assertEqual(self.client.get("/api/projects", headers={"Host": name}).status_code, 200)

    def test_changes_come_from_the_program_s_own_pages(self):
        self.assertEqual(self.post(), 201)
        self.assertEqual(self.post(Origin="http://127.0.0.1", **{"Sec-Fetch-Site": "same-origin"}), 201)
        self.assertEqual(self.post(Origin="https://evil.example"), 403)
        self.assertEqual(self.post(Origin="http://127.0.0.1:9999"), 403)
        self.assertEqual(self.post(Origin="null"), 403)
        self.assertEqual(self.post(**{"Sec-Fetch-Site": "cross-site"}), 403)
        self.assertEqual(self.post(**{"Sec-Fetch-Site": "same-site"}), 403)

    def test_a_form_of_another_page_is_no_upload(self):
        project = self.new_project()
        path = f"/api/projects/{project['id']}/recordings?file_name=a.wav"
        for kind in ("text/plain", "multipart/form-data; boundary=x", "application/x-www-form-urlencoded"):
            answer = self.client.post(path, content=self.files["Desk.wav"], headers={"Content-Type": kind})
            self.assertEqual(answer.status_code, 415)
        self.assertEqual(self.project(project)["recordings"], [])

    def test_pages_run_no_foreign_script_and_stand_in_no_frame(self):
        for path in ("/", "/api/projects", "/api/nothing"):
            headers = self.client.get(path).headers
            policy = headers["content-security-policy"]
            self.assertIn("script-src 'self';", policy)
            self.assertIn("frame-ancestors 'none'", policy)
            self.assertEqual(headers["x-content-type-options"], "nosniff")

    def test_odd_addresses_are_answered(self):
        for path in ("/%00", "/" + "a" * 5000, "/..%2f..%2fetc%2fpasswd", "/%ff", "/projects/%00"):
            with self.subTest(path[:20]):
                answer = self.client.get(path)
                self.assertEqual(answer.status_code, 200)
                self.assertIn('<div id="root">', answer.text)
        for name in ("x", "%00" * 64, "a" * 5000, "..%2f..%2fsecret"):
            answer = self.client.get(f"/api/media/{name}/peaks/256/0")
            self.assertIn(answer.status_code, (404, 422))

    def test_asking_makes_no_folders(self):
        before = sorted(self.settings.media_dir.rglob("*"))
        self.client.get(f"/api/media/{'0' * 64}/peaks/256/0")
        self.client.get(f"/api/media/{'0' * 64}/peaks/1/0")
        self.assertEqual(sorted(self.settings.media_dir.rglob("*")), before)

    def test_an_access_key_is_asked_for_where_one_is_set(self):
        settings = dataclasses.replace(self.settings, access_key="mill-race")
        with TestClient(create_app(settings), base_url="http://127.0.0.1") as client:
            asked = client.get("/api/projects")
            self.assertEqual(asked.status_code, 401)
            self.assertIn("Basic", asked.headers["www-authenticate"])
            for given, status in (("x:mill-race", 200), (":mill-race", 200), ("x:other", 401), ("mill-race", 401)):
                key = base64.b64encode(given.encode()).decode()
                answer = client.get("/api/projects", headers={"Authorization": f"Basic {key}"})
                self.assertEqual(answer.status_code, status, given)
            self.assertEqual(client.get("/", headers={"Authorization": "Basic !"}).status_code, 401)

    def test_a_team_s_host_names_are_a_setting(self):
        settings = dataclasses.replace(self.settings, hosts=frozenset({"mill.example"}))
        with TestClient(create_app(settings), base_url="http://mill.example") as client:
            self.assertEqual(client.get("/api/projects").status_code, 200)
            self.assertEqual(client.post("/api/projects", json={"name": "x"}).status_code, 201)
            self.assertEqual(client.get("/api/projects", headers={"Host": "127.0.0.1"}).status_code, 421)


class SettingsTest(unittest.TestCase):
    def test_host_names_are_read_with_commas_between(self):
        kept = dict(os.environ)
        self.addCleanup(lambda: (os.environ.clear(), os.environ.update(kept)))
        os.environ.update(
            GULLYWIND_DATABASE_URL="x",
            GULLYWIND_MEDIA_DIR="/m",
            GULLYWIND_HOSTS="Mill.example, race ,",
            GULLYWIND_ACCESS_KEY="",
        )
        settings = Settings.from_environment()
        self.assertEqual(settings.hosts, {"127.0.0.1", "localhost", "::1", "mill.example", "race"})
        self.assertIsNone(settings.access_key)


class DatabaseDoorTest(DatabaseTest):
    def test_nobody_comes_in_without_the_password(self):
        url = sa.make_url(self.settings.database_url)
        for user, password in (("gullywind", None), ("postgres", None), ("gullywind", "x"), ("postgres", "")):
            with self.subTest(user=user), self.assertRaisesRegex(psycopg.OperationalError, "password"):
                psycopg.connect(
                    host=url.host,
                    port=url.port,
                    dbname=url.database,
                    user=user,
                    password=password,
                    passfile="/dev/null",
                ).close()

    def test_the_program_s_role_is_no_superuser_and_runs_no_programs(self):
        with self.context.database.session() as session:
            is_super = session.scalar(sa.text("SELECT rolsuper FROM pg_roles WHERE rolname = current_user"))
        self.assertFalse(is_super)
        with self.assertRaisesRegex(sa.exc.ProgrammingError, "must be superuser"), self.context.database.session() as s:
            s.execute(sa.text("COPY (SELECT 1) TO PROGRAM 'cat'"))

    @unittest.skipUnless(os.geteuid() == 0, "only root can be another user")
    def test_another_user_of_the_machine_cannot_read_the_password(self):
        folder = Path(__file__).resolve().parent.parent.parent / ".local" / "test-postgres"
        for role in ("gullywind", "postgres"):
            read = subprocess.run(
                ["runuser", "-u", "nobody", "--", "cat", str(folder / f"password-{role}")], capture_output=True
            )
            self.assertNotEqual(read.returncode, 0)
            self.assertEqual(read.stdout, b"")
