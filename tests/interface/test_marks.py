"""Marks: found ones are chosen and made one moment, own ones put, named and removed; a stray is set down by hand."""

import numpy as np
from playwright.sync_api import expect

from material.claps import clapped, going_on
from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ


def with_clap(at_s: float, seed: int) -> bytes:
    """Twenty seconds of noise, quiet at first, and a clap that nobody else heard."""
    noise = going_on("pink", seed, 20.0) * 0.02
    noise[: round(1.25 * RATE_HZ)] *= 0.001
    clap = clapped([at_s], "hands", 20.0, np.random.default_rng(seed))[: noise.size]
    return wav_bytes(noise + clap * 0.08)


class MarksTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.page.goto(cls.url)
        cls.start_project("Marks")
        cls.bring_in({"Desk.wav": with_clap(9.0, 21), "Phone.wav": with_clap(4.0, 22)})
        desk = cls.page.get_by_test_id("recording-row").filter(has_text="Desk")
        desk.get_by_role("button", name="Make it the reference").click()
        cls.page.get_by_role("button", name="Find the place of").click()
        expect(cls.page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.page.get_by_role("link", name="Phone").click()

    def test_a_stray_is_set_down_marked_and_moved_to_its_mark(self):
        page = self.page
        marks = page.get_by_test_id("mark")
        expect(page.get_by_text("It was looked for everywhere")).to_be_visible()
        page.get_by_role("button", name="Set it down at the playhead").click()
        starts = page.get_by_label("Starts at, seconds")
        expect(starts).to_have_value("0.000000")
        # Both claps were found; a key chooses each, one more makes them one moment.
        page.keyboard.press("r")
        page.keyboard.press("v")
        expect(page.locator('[data-testid="mark"][data-chosen="true"]')).to_have_count(2)
        expect(page.locator('[data-testid="mark"][data-chosen="true"]').first).to_contain_text("0:09.0")
        page.keyboard.press("e")
        expect(starts).not_to_have_value("0.000000")
        self.assertAlmostEqual(float(starts.input_value()), 5.0, delta=0.002)
        self.assertIn("set to the reference's 9.0", page.get_by_test_id("sentence").inner_text())
        # Its first sound, 1.25 s in, at the playhead, which the second around the last mark left on it.
        page.keyboard.press("s")
        expect(page.get_by_test_id("sentence")).to_contain_text("its 1.2")
        page.keyboard.press("Control+z")
        expect(page.get_by_test_id("sentence")).to_contain_text("set to the reference's 9.0")
        before = marks.count()
        page.keyboard.press("m")
        expect(page.get_by_text("The playhead is where this recording has no sound")).to_be_visible()
        page.keyboard.press("v")
        page.keyboard.press("ArrowRight")
        page.keyboard.press("m")
        expect(marks).to_have_count(before + 1)
        own = marks.filter(has_text="mark")
        own.get_by_role("button").first.dblclick()
        page.get_by_label("Name of the mark").fill("door")
        page.keyboard.press("Enter")
        expect(marks.filter(has_text="door")).to_have_count(1)
        marks.filter(has_text="door").get_by_role("button", name="Remove the mark").click()
        expect(marks).to_have_count(before)
