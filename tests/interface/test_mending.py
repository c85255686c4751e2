"""A person mends clock and pieces on the bench."""

import re
import unittest

import numpy as np
from playwright.sync_api import expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ, busy, clocked

OFFSET_S, CUT_S, PAUSE_S = 4.0, 25.0, 1.5


class MendingOnTheBenchTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        event = busy(60.0, 71)
        taken = clocked(event, OFFSET_S, 1.00008, 50.0)
        paused = np.concatenate([taken[: int(CUT_S * RATE_HZ)], taken[int((CUT_S + PAUSE_S) * RATE_HZ) :]])
        page = cls.page
        page.goto(cls.url)
        cls.start_project("Mending")
        cls.bring_in({"Desk.wav": wav_bytes(event), "Phone.wav": wav_bytes(paused)})
        row = page.get_by_test_id("recording-row").filter(has_text="Desk")
        row.get_by_role("button", name="Make it the reference").click()
        page.get_by_role("button", name="Find the place of 1").click()
        phone = page.get_by_test_id("recording-row").filter(has_text="Phone")
        expect(phone).to_have_attribute("data-status", "placed", timeout=60_000)
        page.get_by_role("link", name="Phone").click()
        cls.bench = page.url

    def setUp(self) -> None:
        super().setUp()
        self.page.goto(self.bench)
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)
        self.sentence = self.page.get_by_test_id("sentence")
        expect(self.sentence).to_contain_text("paused for 1.50 s")
        expect(self.sentence).to_contain_text("left over", timeout=20_000)

    def undone(self, times: int = 1) -> None:
        for _ in range(times):
            self.page.keyboard.press("Control+z")
        expect(self.sentence).not_to_contain_text("Set by hand")

    def clock(self) -> str:
        return self.page.get_by_label("Clock", exact=True).input_value()

    def test_the_start_is_held_the_end_dragged_and_the_clock_follows(self):
        measured = self.clock()
        self.assertRegex(measured, r"^\+(79\.9|80\.0)\d$")
        start = self.page.get_by_label("Starts at, seconds").input_value()
        self.page.keyboard.press("h")
        last = self.page.get_by_test_id("loupe").nth(2)
        box = last.bounding_box()
        self.page.mouse.move(box["x"] + 100, box["y"] + 120)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 140, box["y"] + 120, steps=4)
        # Drawn before anything is stored, and more at the end than in the middle.
        expect(last).to_contain_text(re.compile(r"\+[23]\.\d+ ms"))
        expect(self.page.get_by_test_id("loupe").nth(0)).not_to_contain_text(re.compile(r"[+−][1-9]\.\d+ ms"))
        self.page.mouse.up()
        expect(self.sentence).to_contain_text("later: clock")
        expect(self.sentence).to_contain_text(re.compile(r"\d ms left over"), timeout=20_000)
        self.assertNotEqual(self.clock(), measured)
        self.assertAlmostEqual(
            float(self.page.get_by_label("Starts at, seconds").input_value()), float(start), delta=0.002
        )
        self.page.get_by_role("button", name="as measured").click()
        expect(self.page.get_by_label("Clock", exact=True)).to_have_value(measured)
        self.undone(2)

    def test_the_end_is_moved_by_keys_and_the_clock_follows(self):
        self.page.get_by_role("radio", name="1 ms", exact=True).click()
        self.page.keyboard.press("Alt+ArrowRight")
        expect(self.sentence).to_contain_text("moved 1 ms later: clock")
        expect(self.page.get_by_test_id("loupe").nth(2)).to_contain_text(re.compile(r"\+(0\.99\d|1\.00) ms"))
        expect(self.page.get_by_test_id("loupe").nth(0)).to_contain_text(re.compile(r"[+−]?0\.00\d ms"))
        self.undone()

    def test_a_clock_is_typed_as_ppm_or_as_a_ratio(self):
        field = self.page.get_by_label("Clock", exact=True)
        field.fill("12,5")
        field.press("Enter")
        expect(self.sentence).to_contain_text("clock set to 12.50 ppm fast")
        field.fill("24/25")
        field.press("Enter")
        expect(self.page.get_by_text("Pitch moves with the speed")).to_be_visible()
        self.page.get_by_role("button", name="stays").click()
        expect(self.page.get_by_text("Pitch is kept, as chosen.")).to_be_visible()
        field.fill("fast")
        field.press("Enter")
        expect(field).to_have_value("96.0000")
        # A figure is meant in the unit that is shown.
        field.fill("97.5")
        field.press("Enter")
        expect(self.sentence).to_contain_text("clock set to 97.5000 % of its speed")
        self.undone(4)

    def test_a_chosen_piece_slides_by_the_arrow_keys_and_nothing_else_moves(self):
        self.page.get_by_role("radio", name="1 ms", exact=True).click()
        self.page.get_by_test_id("piece").nth(1).get_by_role("button").first.click()
        self.page.keyboard.press("ArrowRight")
        expect(self.sentence).to_contain_text("slid 1 ms later")
        expect(self.page.get_by_test_id("loupe").nth(2)).to_contain_text(re.compile(r"\+(0\.999|1\.00) ms"))
        expect(self.page.get_by_test_id("loupe").nth(0)).to_contain_text(re.compile(r"[+−]?0\.00\d ms"))
        self.undone()

    def test_cut_remove_and_join(self):
        self.page.keyboard.press("t")
        mirror = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.click(mirror["x"] + mirror["width"] * 0.25, mirror["y"] + 60)
        self.page.keyboard.press("c")
        expect(self.page.get_by_test_id("piece")).to_have_count(3)
        expect(self.sentence).to_contain_text("cut at")
        self.page.get_by_role("button", name="Remove piece 1").click()
        expect(self.page.get_by_test_id("piece")).to_have_count(2)
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("piece")).to_have_count(3)
        self.page.get_by_role("button", name="Join").nth(1).click()
        expect(self.page.get_by_test_id("piece")).to_have_count(2)
        expect(self.sentence).to_contain_text("moved 1.500 s earlier")
        self.page.keyboard.press("t")
        self.undone(2)

    def test_an_edge_is_trimmed_by_dragging_it(self):
        mirror = self.page.get_by_test_id("mirror")
        box, per_px = mirror.bounding_box(), float(mirror.get_attribute("data-seconds-per-px"))
        first_s = float(mirror.get_attribute("data-start-s"))
        x = box["x"] + (OFFSET_S - first_s) / per_px
        self.page.mouse.move(x + 2, box["y"] + 200)
        self.page.mouse.down()
        self.page.mouse.move(x + 60, box["y"] + 200, steps=4)
        self.page.mouse.up()
        expect(self.sentence).to_contain_text("start of the piece set to")
        # Its sound stays where it is.
        expect(self.page.get_by_label("Starts at, seconds")).to_have_value(re.compile(r"^(4\.000|3\.999)"))
        self.undone()

    def test_a_click_on_the_trace_is_heard(self):
        trace = self.page.get_by_role("img", name=re.compile("windows agree"))
        box = trace.bounding_box()
        self.page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + 20)
        expect(self.page.get_by_role("button", name="Stop (space)")).to_be_visible()
        expect(self.page.get_by_test_id("playhead")).to_have_text(re.compile("^00:00:(29|30|31)"))
        self.page.keyboard.press("Space")


if __name__ == "__main__":
    unittest.main()
