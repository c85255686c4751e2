"""The whole program for interface tests: a real server process, a real worker, real PostgreSQL, a real browser."""

import os
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page

from scripts.browser import chromium, new_page
from tests.database import DatabaseTest

ROOT = Path(__file__).resolve().parent.parent.parent


class InterfaceTest(DatabaseTest):
    """Sets `page` and `url` for the class; page errors fail the test in which they come."""

    page: Page
    url: str

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        cls.url = f"http://127.0.0.1:{port}"
        environment = os.environ | {
            "GULLYWIND_DATABASE_URL": cls.settings.database_url,
            "GULLYWIND_MEDIA_DIR": str(cls.settings.media_dir),
            "GULLYWIND_WEB_DIR": str(ROOT / "web" / "dist"),
        }
        for arguments in (["gullywind.api.serve", str(port)], ["gullywind.jobs"]):
            child = subprocess.Popen([sys.executable, "-m", *arguments], cwd=ROOT, env=environment)
            cls.addClassCleanup(_end, child)
        _wait_for(f"{cls.url}/api/health")
        cls.page = new_page(cls.enterClassContext(chromium()))

    def setUp(self):
        self.errors: list[str] = []
        self.page.on("pageerror", self._note)
        self.addCleanup(self.page.remove_listener, "pageerror", self._note)

    def tearDown(self):
        self.assertEqual(self.errors, [])

    def _note(self, error: object) -> None:
        self.errors.append(str(error))


def _end(child: "subprocess.Popen[bytes]") -> None:
    child.terminate()
    try:
        child.wait(10)
    except subprocess.TimeoutExpired:
        child.kill()
        child.wait()


def _wait_for(address: str) -> None:
    """Ask until the server answers; gives up after a minute."""
    deadline = time.monotonic() + 60
    while True:
        try:
            with urllib.request.urlopen(address, timeout=2):
                return
        except OSError:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.05)
