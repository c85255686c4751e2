"""Files on their way in: dropped, refused, stopped; the first steps in an empty project; work that is stopped."""

import base64
import signal
import tempfile
import unittest
from pathlib import Path

from playwright.sync_api import Locator, expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest, upload
from tests.signals import busy, clocked

EVENT = busy(20.0, 88)
DESK, CAMERA = wav_bytes(EVENT), wav_bytes(clocked(EVENT, 3.0, 1.0, 12.0))
DROP = """([name, text]) => {
  const all = new DataTransfer()
  all.items.add(new File([Uint8Array.from(atob(text), (c) => c.charCodeAt(0))], name))
  return all
}"""


class BringingInTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        # Listened for all along: begun with the key, the browser sometimes closed the choice before it was told.
        cls.page.on("filechooser", lambda chosen: None)

    def setUp(self):
        super().setUp()
        self.page.goto(self.url)
        self.start_project("Threshing day")

    def row(self, name: str) -> Locator:
        return self.page.get_by_test_id("recording-row").filter(has_text=name)

    def test_files_are_dropped_onto_the_page(self):
        files = self.page.evaluate_handle(DROP, ["Desk.wav", base64.b64encode(DESK).decode()])
        page = self.page.get_by_text("Drop all recordings of the event here")
        page.dispatch_event("dragenter", {"dataTransfer": files})
        expect(self.page.get_by_text("Let go to bring them in")).to_be_visible()
        page.dispatch_event("drop", {"dataTransfer": files})
        expect(self.page.get_by_text("Let go to bring them in")).to_have_count(0)
        expect(self.row("Desk")).to_contain_text("0:20")
        # With sound there, the next question is which one is the reference.
        expect(self.page.get_by_text("Which of these is the reference?")).to_be_visible()
        expect(self.page.get_by_role("button", name="Find the place of")).to_be_disabled()

    def test_a_key_opens_the_choice_of_files(self):
        for name, body, length in (("Desk.wav", DESK, "0:20"), ("Camera.wav", CAMERA, "0:12")):
            with self.page.expect_file_chooser() as chosen:
                self.page.keyboard.press("a")
            chosen.value.set_files([upload(name, body)])
            expect(self.row(name.removesuffix(".wav"))).to_contain_text(length)

    def test_what_cannot_be_taken_says_why_and_is_dismissed(self):
        self.bring_in({"Nothing.wav": b"", "Desk.wav": DESK})
        refusal = self.page.get_by_role("alert")
        expect(refusal).to_contain_text("empty")
        expect(self.row("Desk")).to_be_visible()
        # Another project has nothing to do with it.
        self.page.keyboard.press("Escape")
        self.start_project("Another day")
        expect(refusal).to_have_count(0)
        self.page.go_back()
        self.page.get_by_role("link", name="Threshing day").first.click()
        self.page.get_by_role("button", name="Dismiss").click()
        expect(refusal).to_have_count(0)

    def test_an_upload_is_stopped_and_the_next_goes_on(self):
        slow = self.page.context.new_cdp_session(self.page)
        slow.send("Network.enable")
        limits = {"offline": False, "latency": 0, "downloadThroughput": -1}
        slow.send("Network.emulateNetworkConditions", limits | {"uploadThroughput": 40_000})
        # What is asked for from now on is slow: the first upload once was not.
        self.page.reload()
        self.bring_in({"Mistake.wav": DESK, "Second.wav": DESK, "Camera.wav": CAMERA})
        expect(self.page.get_by_text("Mistake.wav")).to_be_visible()
        # One that waits, then the one that is under way.
        self.page.get_by_role("button", name="Stop bringing in Second.wav").click()
        self.page.get_by_role("button", name="Stop bringing in Mistake.wav").click()
        slow.send("Network.emulateNetworkConditions", limits | {"uploadThroughput": -1})
        expect(self.row("Camera")).to_contain_text("0:12")
        expect(self.page.get_by_text("Mistake.wav")).to_have_count(0)
        expect(self.page.get_by_test_id("recording-row")).to_have_count(1)
        expect(self.page.get_by_role("alert")).to_have_count(0)
        # Nothing of it is left on the disk.
        self.assertEqual(list((self.settings.media_dir / "incoming").iterdir()), [])

    def test_looking_for_places_is_stopped_and_taken_up_again(self):
        self.bring_in({"Desk.wav": DESK, "Camera.wav": CAMERA})
        self.row("Desk").get_by_role("button", name="Make it the reference").click()
        expect(self.row("Camera")).to_contain_text("0:12")
        # A worker that stands still leaves the work in the queue.
        self.worker.send_signal(signal.SIGSTOP)
        self.addCleanup(self.worker.send_signal, signal.SIGCONT)
        self.page.get_by_role("button", name="Find the place of 1").click()
        self.page.get_by_role("button", name="Stop looking for 1").click()
        again = self.page.get_by_role("button", name="Find the place of 1")
        expect(again).to_be_enabled()
        expect(self.row("Camera")).to_have_attribute("data-status", "waiting")
        self.worker.send_signal(signal.SIGCONT)
        again.click()
        expect(self.row("Camera")).to_have_attribute("data-status", "placed")


class FolderTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory())).resolve()
        (folder / "Cards").mkdir()
        (folder / "Cards" / "Desk.wav").write_bytes(DESK)
        (folder / "Cards" / "Camera.wav").write_bytes(CAMERA)
        cls.folders = (folder,)
        super().setUpClass()

    def test_a_folder_is_brought_in_and_remembered(self):
        self.page.goto(self.url)
        self.start_project("From cards")
        self.page.get_by_role("button", name="A folder of this machine").click()
        self.page.get_by_role("button", name=str(self.folders[0])).click()
        self.page.get_by_role("button", name="Cards").click()
        self.page.get_by_role("button", name="Bring in these 2 recordings").click()
        row = self.page.get_by_test_id("recording-row")
        expect(row).to_have_count(2)
        expect(row.filter(has_text="Camera")).to_contain_text("0:12")
        self.page.get_by_role("button", name="From a folder").click()
        expect(self.page.get_by_test_id("folder-path")).to_have_text(str(self.folders[0] / "Cards"))
        self.page.get_by_role("button", name="up", exact=True).click()
        expect(self.page.get_by_role("button", name="Cards")).to_be_visible()


if __name__ == "__main__":
    unittest.main()
