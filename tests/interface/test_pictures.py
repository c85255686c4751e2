"""A camera's picture goes home with the desk's sound; channels are chosen by a picture of their levels."""

import io
import tempfile
from pathlib import Path

import av
import numpy as np
from playwright.sync_api import expect

from material.pictures import video
from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ, busy, clocked

EVENT = busy(40.0, 710)


class PicturesTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        camera = clocked(EVENT, 5.0, 1.00003, 20.0)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "camera.mp4"
            video(path, camera, seconds=20.0, hue=0.5, codec="aac", time_s=0.0)
            body = path.read_bytes()
        pair = np.stack([clocked(EVENT, 9.0, 1.0, 20.0), np.zeros(20 * RATE_HZ)])
        cls.page.goto(cls.url)
        cls.start_project("Pictures")
        cls.bring_in({"Desk.wav": wav_bytes(EVENT), "Camera.mp4": body, "Pair.wav": wav_bytes(pair)})
        row = cls.page.get_by_test_id("recording-row").filter(has_text="Desk")
        row.get_by_role("button", name="Make it the reference").click()
        cls.page.get_by_role("button", name="Find the place of").click()
        expect(cls.page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.overview = cls.page.url

    def setUp(self):
        super().setUp()
        self.page.goto(self.overview)

    def test_a_video_is_written_with_the_sound_that_was_chosen(self):
        page = self.page
        page.get_by_role("button", name="Deliver").click()
        row = page.get_by_test_id("picture-row")
        expect(row).to_have_count(1)
        expect(row).to_contain_text("Camera")
        # The reference's sound is there first, any other can be chosen.
        expect(row.get_by_label("Sound for Camera")).to_have_value(
            row.get_by_role("option", name="Desk").get_attribute("value") or ""
        )
        row.get_by_role("button", name="Write this one").click()
        link = page.get_by_role("link", name="Download")
        expect(link).to_have_count(1, timeout=30_000)
        with page.expect_download() as download:
            link.click()
        self.assertEqual(download.value.suggested_filename, "Camera.mp4")
        with av.open(io.BytesIO(Path(download.value.path()).read_bytes())) as container:
            self.assertEqual([stream.type for stream in container.streams][:3], ["video", "audio", "audio"])

    def test_channels_show_their_levels_and_are_chosen(self):
        page = self.page
        page.get_by_role("link", name="Pair").click()
        silent = page.get_by_role("button", name="Channel 2, silent")
        expect(silent).to_be_visible()
        first = page.get_by_role("button", name="Channel 1", exact=True)
        first.click()
        expect(first).to_have_attribute("aria-pressed", "true")
        expect(silent).to_have_attribute("aria-pressed", "false")
        silent.click(modifiers=["Shift"])
        expect(page.get_by_role("button", name="all 2")).to_have_attribute("aria-pressed", "true")
