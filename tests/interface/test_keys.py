"""Keys and pointers: what they mean depends on what has the focus, and what was begun can be taken back."""

import re

from playwright.sync_api import expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ, busy


class KeysTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        event = busy(40.0, 31)
        cls.page.goto(cls.url)
        cls.start_project("Keys")
        cls.bring_in({"Desk.wav": wav_bytes(event), "Camera.wav": wav_bytes(-event[5 * RATE_HZ : 35 * RATE_HZ])})
        row = cls.page.get_by_test_id("recording-row").filter(has_text="Desk")
        row.get_by_role("button", name="Make it the reference").click()
        cls.page.get_by_role("button", name="Find the place of 1").click()
        cls.page.get_by_role("link", name="Camera").click(timeout=60_000)
        expect(cls.page.get_by_test_id("loupe")).to_have_count(3)
        cls.bench = cls.page.url

    def setUp(self):
        super().setUp()
        self.page.goto(self.bench)
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)
        self.start = self.page.get_by_label("Starts at, seconds")
        expect(self.start).to_have_value("5.000000")
        self.page.get_by_role("radio", name="1 ms", exact=True).click()

    def tearDown(self):
        # Each test leaves the recording where it was found.
        while float(self.start.input_value()) != 5.0:
            before = self.start.input_value()
            self.page.keyboard.press("Control+z")
            expect(self.start).not_to_have_value(before)
        super().tearDown()

    def per_px(self) -> float:
        return float(self.page.get_by_test_id("mirror").get_attribute("data-seconds-per-px"))

    def test_edits_are_made_in_the_order_in_which_they_were_asked_for(self):
        for keys in ("ArrowRight", "Control+z", "Shift+ArrowRight"):
            self.page.keyboard.press(keys)
        expect(self.page.get_by_test_id("sentence")).to_contain_text("moved 10 ms later")
        expect(self.start).to_have_value("5.010000")

    def test_a_held_key_is_one_change(self):
        for _ in range(30):
            self.page.keyboard.down("ArrowRight")
        self.page.keyboard.up("ArrowRight")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("moved 30 ms later")
        self.page.keyboard.press("Control+z")
        expect(self.start).to_have_value("5.000000")

    def test_zooming_by_keys_ends_where_nothing_more_is_to_be_seen(self):
        whole = self.per_px()
        for _ in range(40):
            self.page.keyboard.press("-")
        self.assertLessEqual(self.per_px(), 1.6 * whole)
        for _ in range(60):
            self.page.keyboard.press("Shift+=")
        close = self.per_px()
        self.assertLess(close, 1e-5)
        self.assertGreater(close, 1e-6)
        self.page.keyboard.press("0")

    def test_escape_takes_back_the_drag_and_stays_on_the_bench(self):
        box = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.move(box["x"] + 400, box["y"] + 180)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 440, box["y"] + 180, steps=4)
        expect(self.start).not_to_have_value("5.000000")
        self.page.keyboard.press("Escape")
        expect(self.start).to_have_value("5.000000")
        self.page.mouse.up()
        expect(self.start).to_have_value("5.000000")
        self.assertEqual(self.page.url, self.bench)

    def test_a_choice_is_one_stop_of_the_tab_key_with_arrows_inside(self):
        self.page.get_by_role("button", name="Follow the reference").focus()
        self.page.keyboard.press("Tab")
        chosen = self.page.get_by_role("radio", name="1 ms", exact=True)
        expect(chosen).to_be_focused()
        self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_role("radio", name="10 ms")).to_be_checked()
        expect(self.page.get_by_role("radio", name="10 ms")).to_be_focused()
        expect(self.start).to_have_value("5.000000")
        # Clicked, it leaves the arrows to the recording.
        chosen.click()
        self.page.keyboard.press("ArrowRight")
        expect(self.start).to_have_value("5.001000")

    def test_space_presses_what_was_reached_by_tab_and_plays_after_a_click(self):
        self.page.get_by_test_id("mirror").click(position={"x": 480, "y": 60})
        self.page.get_by_role("button", name="Cut here").focus()
        self.page.keyboard.press("Tab")
        self.page.keyboard.press("Shift+Tab")
        self.page.keyboard.press("Space")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("Set by hand: cut at")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("sentence")).not_to_contain_text("Set by hand")
        self.page.get_by_role("radio", name="1 ms", exact=True).click()
        self.page.keyboard.press("Space")
        expect(self.page.get_by_role("button", name="Stop (space)")).to_be_visible()
        self.page.keyboard.press("Space")

    def test_times_are_typed_in_the_forms_in_which_they_are_shown(self):
        for typed, value in (
            ("0:07.25", "7.250000"),
            ("00:00:06:05", "6.200000"),
            ("−1,5", "-1.500000"),
            ("5", "5.000000"),
        ):
            self.start.fill(typed)
            self.start.press("Enter")
            expect(self.start).to_have_value(value)

    def test_what_cannot_be_read_is_taken_back_and_said(self):
        self.start.fill("half past six")
        self.start.press("Enter")
        expect(self.start).to_have_value("5.000000")
        refusal = self.page.get_by_role("alert").filter(has_text="cannot be read")
        expect(refusal).to_contain_text("timecode")
        # Beside the field, which stays readable.
        field, told = self.start.bounding_box(), refusal.bounding_box()
        self.assertLess(told["x"], field["x"] + field["width"])
        self.assertGreater(told["x"] + told["width"], field["x"])
        gaps = (told["y"] - field["y"] - field["height"], field["y"] - told["y"] - told["height"])
        self.assertTrue(0 <= max(gaps) < 40, gaps)

    def test_an_inverted_recording_is_turned_over_and_can_be_turned_back(self):
        turned = self.page.get_by_role("button", name="turned over")
        expect(turned).to_have_attribute("aria-pressed", "true")
        expect(self.page.get_by_text("Recorded inverted against the reference: put right.")).to_be_visible()
        turned.click()
        expect(self.page.get_by_role("button", name="turn over")).to_have_attribute("aria-pressed", "false")
        expect(self.page.get_by_role("button", name="Undo: polarity as it was recorded")).to_be_visible()
        self.page.keyboard.press("Control+z")
        expect(turned).to_be_visible()

    def test_waves_lie_one_over_the_other_by_a_key(self):
        toggle = self.page.get_by_role("button", name="one over the other")
        self.page.keyboard.press("o")
        expect(toggle).to_have_attribute("aria-pressed", "true")
        self.page.keyboard.press("o")
        expect(toggle).to_have_attribute("aria-pressed", "false")

    def test_pages_of_what_is_gone_say_so_and_lead_back(self):
        for path in ("/nowhere", "/projects/not-a-project", f"/projects/{'0' * 8}-0000-4000-8000-{'0' * 12}"):
            self.page.goto(self.url + path)
            expect(self.page.get_by_role("alert")).to_contain_text(
                re.compile("There is no such|does not exist any more")
            )
            expect(self.page).to_have_title("Not here · Gullywind")
        self.page.get_by_role("link", name="To the projects").click()
        expect(self.page.get_by_role("heading", level=1)).to_have_text("Gullywind")
        self.page.goto(self.bench)
        expect(self.start).to_have_value("5.000000")
