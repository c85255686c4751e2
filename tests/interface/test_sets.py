"""Sets are offered, tied and locked in the overview; strips are dragged and settle; rivals are heard by a key."""

import numpy as np
from playwright.sync_api import Locator, expect
from scipy.ndimage import shift

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import busy, clocked

EVENT = busy(60.0, 610)
LEFT = clocked(EVENT, 12.0, 1.0, 30.0)
RIGHT = -shift(LEFT, 60, order=5)
VERSE = busy(6.0, 611)
SONG = np.concatenate([EVENT, VERSE, VERSE, VERSE])


class SetsTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        hiss = np.random.default_rng(612).standard_normal((2, LEFT.size)) * 3e-4
        cls.page.goto(cls.url)
        cls.start_project("Stage")
        cls.bring_in(
            {
                "Desk.wav": wav_bytes(SONG),
                "Stage left.wav": wav_bytes(LEFT + hiss[0]),
                "Stage right.wav": wav_bytes(RIGHT + hiss[1]),
                "Verse.wav": wav_bytes(VERSE),
                "Stray.wav": wav_bytes(busy(9.0, 613)),
            }
        )
        cls.row(cls, "Desk").get_by_role("button", name="Make it the reference").click()
        cls.page.get_by_role("button", name="Find the place of").click()
        expect(cls.page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.overview = cls.page.url

    def setUp(self):
        super().setUp()
        self.page.goto(self.overview)
        expect(self.page.get_by_test_id("summary")).to_be_visible()

    def row(self, name: str) -> Locator:
        return self.page.get_by_test_id("recording-row").filter(has_text=name)

    def drag(self, name: str, by_px: float, *, alt: bool = False) -> None:
        box = self.row(name).get_by_test_id("strip-drag").bounding_box()
        assert box
        mouse, x, y = self.page.mouse, box["x"] + box["width"] * 0.4, box["y"] + 15
        if alt:
            self.page.keyboard.down("Alt")
        mouse.move(x, y)
        mouse.down()
        mouse.move(x + by_px / 2, y, steps=4)
        mouse.move(x + by_px, y, steps=4)
        expect(self.row(name).get_by_role("status")).to_contain_text("starts at")
        mouse.up()
        if alt:
            self.page.keyboard.up("Alt")

    def per_px(self) -> float:
        return float(self.page.get_by_test_id("ruler").get_attribute("data-seconds-per-px") or 0)

    def test_1_an_offer_is_taken_and_both_move_and_are_locked_as_one(self):
        page = self.page
        offer = page.get_by_test_id("set-offer")
        expect(offer).to_contain_text("Stage left, Stage right: microphones of one recorder?")
        offer.get_by_role("button", name="Tie as a set").click()
        expect(page.locator('[data-bracket="first"]')).to_contain_text("Stage left")
        expect(page.locator('[data-bracket="last"]')).to_contain_text("Stage right")
        expect(offer).to_have_count(0)
        # Dragged far off, it lies where it was let go, and its set with it.
        self.drag("Stage left", 60, alt=True)
        moved = f"0:{12.0 + 60 * self.per_px():05.2f}"[:5]
        expect(self.row("Stage left")).to_contain_text(moved)
        expect(self.row("Stage right")).to_contain_text(moved)
        # Brought back to some pixels, it settles, to the sample.
        self.drag("Stage left", -56)
        expect(self.row("Stage left")).to_contain_text("0:12.000")
        expect(self.row("Stage right")).to_contain_text("0:12.000")
        self.row("Stage left").get_by_role("button", name="More for").click()
        page.get_by_role("menuitem", name="Lock").click()
        expect(self.row("Stage right")).to_contain_text("locked")
        self.drag("Stage right", 40)
        expect(page.get_by_text("Stage right is locked: unlock it before it is changed.")).to_be_visible()
        expect(self.row("Stage right")).to_contain_text("0:12.000")
        self.row("Stage right").get_by_role("button", name="More for").click()
        page.get_by_role("menuitem", name="Unlock").click()
        expect(self.row("Stage left")).not_to_contain_text("locked")

    def test_2_the_bench_tells_delay_and_polarity_inside(self):
        page = self.page
        self.row("Stage right").get_by_role("link").click()
        right = page.get_by_test_id("set-member").filter(has_text="Stage right")
        expect(right).to_contain_text("hears 1.250 ms, 60.0 samples, 0.42 m of air later than Stage left, inverted")
        right.get_by_role("button", name="Take the delay out").click()
        expect(page.get_by_label("Starts at, seconds")).to_have_value("11.998750")
        right.get_by_role("button", name="As recorded again").click()
        expect(page.get_by_label("Starts at, seconds")).to_have_value("12.000000")
        # A finished recording says so where somebody tries.
        page.keyboard.press("x")
        expect(page.get_by_role("button", name="Unlock (X)")).to_be_visible()
        page.keyboard.press("ArrowRight")
        expect(page.get_by_text("Stage right is locked: unlock it before it is changed.")).to_be_visible()
        page.keyboard.press("x")
        expect(page.get_by_role("button", name="Lock (X)", exact=True)).to_be_visible()
        page.get_by_role("button", name="Take the set apart").click()
        expect(page.get_by_test_id("set-member")).to_have_count(0)

    def test_3_places_are_heard_by_a_key_and_taken_by_another(self):
        verse = self.row("Verse")
        expect(verse.get_by_test_id("rival")).to_have_count(3)
        self.page.keyboard.press("t")
        expect(self.page.get_by_text("Hear a place first")).to_be_visible()
        for index in (0, 1):
            with self.page.expect_response(lambda answer, k=index: f"rival={k}" in answer.url and answer.ok):
                self.page.keyboard.press("n")
            expect(verse.get_by_test_id("rival").nth(index)).to_have_attribute("data-tried", "true")
        told = verse.get_by_test_id("rival").nth(1).inner_text()
        self.page.keyboard.press("t")
        expect(verse).to_have_attribute("data-status", "placed")
        expect(verse).to_contain_text(told.split(".")[0])

    def test_4_what_has_no_place_is_set_down_where_one_clicks(self):
        stray = self.row("Stray")
        stray.get_by_test_id("set-down").click(position={"x": 200, "y": 15})
        expect(stray).to_have_attribute("data-status", "placed")
        self.assertIn(f"0:{200 * self.per_px():04.1f}"[:4], stray.inner_text())

    def test_5_a_set_is_tied_by_hand(self):
        self.row("Stray").get_by_role("button", name="More for").click()
        self.page.get_by_role("menuitem", name="Tie as a set with").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_text("Verse").click()
        dialog.get_by_text("Parts of one file, in this order").click()
        dialog.get_by_role("button", name="Tie 2 as a set").click()
        expect(self.page.locator("[data-bracket]")).to_have_count(2)
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.locator("[data-bracket]")).to_have_count(0)
