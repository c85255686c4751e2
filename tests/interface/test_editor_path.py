"""A person's path through the program: from two files to an aligned WAV."""

import io
import re
import unittest

import numpy as np
import soundfile
from playwright.sync_api import expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ, busy, clocked

OFFSET_S = 6.5


class EditorPathTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.event = busy(40.0, 61)
        desk, camera = wav_bytes(cls.event), wav_bytes(clocked(cls.event, OFFSET_S, 1.00005, 25.0))
        page = cls.page
        page.goto(cls.url)
        cls.start_project("Evening at the mill")
        cls.bring_in({"Desk.wav": desk, "Camera.wav": camera, "Junk.mov": b"nothing to hear" * 999})
        page.get_by_test_id("recording-row").filter(has_text="Desk").get_by_role(
            "button", name="Make it the reference"
        ).click()
        page.get_by_role("button", name="Find the place of 1").click()
        expect(page.get_by_test_id("recording-row").filter(has_text="Camera")).to_have_attribute(
            "data-status", "placed"
        )
        cls.overview = page.url

    def bench(self) -> None:
        self.page.goto(self.overview)
        self.page.get_by_role("link", name="Camera").click()
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)

    def offset(self) -> float:
        return float(self.page.get_by_label("Starts at, seconds").input_value())

    def test_overview_says_where_everything_is(self):
        self.page.goto(self.overview)
        row = self.page.get_by_test_id("recording-row").filter(has_text="Camera")
        expect(row).to_contain_text("0:06.500")
        expect(row).to_contain_text("+50.0")
        junk = self.page.get_by_test_id("recording-row").filter(has_text="Junk")
        expect(junk).to_contain_text("Cannot be used: is not a sound or video file")
        expect(self.page.get_by_test_id("summary")).to_have_text("1 placed · 1 cannot be read")

    def test_nudges_by_keyboard_are_exact_and_undone(self):
        self.bench()
        start = self.offset()
        self.page.get_by_role("radio", name="0.1 ms").click()
        self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(f"{start + 0.0001:.6f}")
        self.page.keyboard.press("Shift+ArrowLeft")
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(f"{start - 0.0009:.6f}")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("Set by hand: moved 1 ms earlier")
        expect(self.page.get_by_test_id("loupe").first).to_contain_text(re.compile("−0.(899|900|901) ms"))
        self.page.keyboard.press("Control+z")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(f"{start:.6f}")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("left over")

    def test_steps_change_with_the_brackets(self):
        self.bench()
        self.page.get_by_role("radio", name="1 ms", exact=True).click()
        self.page.keyboard.press("]")
        expect(self.page.get_by_role("radio", name="10 ms")).to_be_checked()
        self.page.keyboard.press("[")
        self.page.keyboard.press("[")
        expect(self.page.get_by_role("radio", name="0.1 ms")).to_be_checked()

    def test_dragging_the_lower_half_moves_the_recording(self):
        self.bench()
        start = self.offset()
        mirror = self.page.get_by_test_id("mirror")
        box = mirror.bounding_box()
        per_px = float(mirror.get_attribute("data-seconds-per-px"))
        y = box["y"] + box["height"] * 0.8
        self.page.mouse.move(box["x"] + 300, y)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 350, y, steps=4)
        self.page.mouse.up()
        expect(self.page.get_by_test_id("sentence")).to_contain_text("later")
        self.assertAlmostEqual(self.offset(), start + 50 * per_px, delta=0.002)
        self.page.get_by_role("button", name=re.compile("^Undo: moved")).click()
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(f"{start:.6f}")

    def test_typing_an_offset(self):
        self.bench()
        start = self.offset()
        field = self.page.get_by_label("Starts at, seconds")
        field.fill("7,25")
        field.press("Enter")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("Starts 7.250 s in")
        field.fill("rubbish")
        field.press("Enter")
        expect(field).to_have_value("7.250000")
        self.page.keyboard.press("Control+z")
        expect(field).to_have_value(f"{start:.6f}")

    def test_the_loupes_go_along_when_the_recording_is_set_down_elsewhere(self):
        self.bench()
        first = self.page.get_by_test_id("loupe").first
        expect(first).to_contain_text(re.compile(r"start 0:[01]\d"))
        field = self.page.get_by_label("Starts at, seconds")
        field.fill("35")
        field.press("Enter")
        expect(first).to_contain_text(re.compile(r"start 0:3[5-9]"))
        self.page.keyboard.press("Control+z")
        expect(first).to_contain_text(re.compile(r"start 0:[01]\d"))

    def test_zooms_from_the_event_to_single_samples(self):
        self.bench()
        mirror = self.page.get_by_test_id("mirror")
        box = mirror.bounding_box()
        self.page.mouse.move(box["x"] + 400, box["y"] + 60)
        for _ in range(40):
            self.page.mouse.wheel(0, -400)
        expect(mirror).to_have_attribute("data-seconds-per-px", re.compile(r"^0\.00000|e-0?[67]$"))
        self.assertLess(float(mirror.get_attribute("data-seconds-per-px")), 1 / RATE_HZ)
        self.page.keyboard.press("0")
        expect(mirror).not_to_have_attribute("data-seconds-per-px", re.compile(r"e-0?[67]$"))

    def test_plays_in_every_way_and_stops(self):
        self.bench()
        for key, name in [("1", "Reference 1"), ("2", "Recording 2"), ("4", "One in each ear 4"), ("3", "Both 3")]:
            self.page.keyboard.press(key)
            expect(self.page.get_by_role("radio", name=name)).to_be_checked()
        self.page.keyboard.press("Space")
        expect(self.page.get_by_role("button", name="Stop (space)")).to_be_visible()
        expect(self.page.get_by_test_id("playhead")).not_to_have_text(re.compile("^00:00:00:0"))
        self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("Set by hand")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("left over")
        self.page.keyboard.press("Space")
        expect(self.page.get_by_role("button", name="Play (space)")).to_be_visible()
        expect(self.page.get_by_role("alert")).to_have_count(0)

    def test_a_second_tab_gets_told_not_overwritten(self):
        self.bench()
        start = self.offset()
        answer = self.page.evaluate(
            """async () => {
              const id = location.pathname.split('/').pop()
              const one = await (await fetch(`/api/recordings/${id}`)).json()
              const body = JSON.stringify({ version: one.version, kind: 'nudge', by_s: 0.25 })
              const headers = { 'Content-Type': 'application/json' }
              const send = () => fetch(`/api/recordings/${id}/map-edits`, { method: 'POST', body, headers })
              return [(await send()).status, (await send()).status]
            }"""
        )
        self.assertEqual(answer, [200, 409])
        # The other tab's edit arrives here by itself.
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(f"{start + 0.25:.6f}")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(f"{start:.6f}")

    def test_takes_home_a_wav_that_drops_in_at_zero(self):
        self.page.goto(self.overview)
        self.page.get_by_role("button", name="Deliver").click()
        self.page.get_by_role("radio", name="32-bit float").click()
        self.page.get_by_role("button", name="Write this one").click()
        with self.page.expect_download() as waiting:
            self.page.get_by_role("link", name="Download").first.click()
        sound, rate_hz = soundfile.read(io.BytesIO(waiting.value.path().read_bytes()))
        self.assertEqual((waiting.value.suggested_filename, rate_hz, sound.size), ("Camera.wav", RATE_HZ, 40 * RATE_HZ))
        inside = slice(8 * RATE_HZ, 30 * RATE_HZ)
        self.assertGreater(np.corrcoef(sound[inside], self.event[inside])[0, 1], 0.999)

    def test_keys_are_shown_on_question_mark(self):
        self.page.goto(self.overview)
        expect(self.page.get_by_test_id("summary")).to_be_visible()
        self.page.keyboard.press("Shift+?")
        expect(self.page.get_by_role("dialog")).to_contain_text("play or stop")
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("dialog")).to_have_count(0)


if __name__ == "__main__":
    unittest.main()
