"""The whole program for interface tests: a real server process, a real worker, real PostgreSQL, a real browser."""

import os
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, expect

from scripts.browser import chromium, new_page
from tests.database import DatabaseTest

ROOT = Path(__file__).resolve().parent.parent.parent
# Other modules' tests run at the same time: how long an answer takes is no test's matter here.
expect.set_options(timeout=20_000)


def upload(name: str, body: bytes) -> dict:
    """A file as the browser is given it."""
    return {"name": name, "mimeType": "application/octet-stream", "buffer": body}


class InterfaceTest(DatabaseTest):
    """Sets `page`, `url` and `worker` for the class; page errors fail the test in which they come."""

    page: Page
    url: str
    worker: "subprocess.Popen[bytes]"
    #: Folders that recordings may be taken in from by their path.
    folders: tuple[Path, ...] = ()
    #: Whether the test runs scripts of its own inside the page.
    bypass_csp = False

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
            "GULLYWIND_FOLDERS": os.pathsep.join(map(str, cls.folders)),
        }
        for arguments in (["gullywind.api.serve", str(port)], ["gullywind.jobs"]):
            child = subprocess.Popen([sys.executable, "-m", *arguments], cwd=ROOT, env=environment)
            cls.addClassCleanup(_end, child)
        cls.worker = child
        _wait_for(f"{cls.url}/api/health")
        cls.page = new_page(cls.enterClassContext(chromium()), bypass_csp=cls.bypass_csp)

    @classmethod
    def start_project(cls, name: str, frame_rate: str = "25") -> None:
        """From the list of projects, which is open, into a new one."""
        cls.page.get_by_placeholder("Name of the event").fill(name)
        cls.page.get_by_label("Frames a second").select_option(frame_rate)
        cls.page.get_by_role("button", name="Start").click()
        expect(cls.page.get_by_text("Drop all recordings of the event here")).to_be_visible()

    @classmethod
    def bring_in(cls, files: dict[str, bytes]) -> None:
        """Choose files in the project that is open."""
        cls.page.get_by_test_id("file-input").set_input_files([upload(name, body) for name, body in files.items()])

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
