"""A person has a double follow the lead, and corrects it by hand on the bench."""

import re

from playwright.sync_api import expect

from material.performances import music_pair, speech_pair
from material.spoken import VOICES
from tests.files import wav_bytes
from tests.interface.axe import MORE_RULES, violations
from tests.interface.server import InterfaceTest

CASE = speech_pair(8, VOICES, sentences=2)


class BendingOnTheBenchTest(InterfaceTest):
    bypass_csp = True

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        page = cls.page
        page.goto(cls.url)
        cls.start_project("Bending")
        other = music_pair(1, "plucked", "struck", duration_s=8.0).recording
        files = {"Lead.wav": CASE.reference, "Double.wav": CASE.recording, "Strings.wav": other}
        cls.bring_in({name: wav_bytes(sound * 0.5) for name, sound in files.items()})
        row = page.get_by_test_id("recording-row").filter(has_text="Lead")
        row.get_by_role("button", name="Make it the reference").click()
        page.get_by_role("link", name="Strings").click()
        cls.strings = page.url
        page.go_back()
        page.get_by_role("link", name="Double").click()
        page.get_by_role("button", name="Follow it as another performance").click()
        expect(page.get_by_test_id("sentence")).to_contain_text("bent along", timeout=60_000)
        cls.bench = page.url

    def setUp(self) -> None:
        super().setUp()
        self.page.goto(self.bench)
        self.sentence = self.page.get_by_test_id("sentence")
        self.trace = self.page.get_by_role("img", name=re.compile("ties are followed"))
        expect(self.trace).to_be_visible()
        expect(self.sentence).to_contain_text(re.compile(r"bent along \d+ ties"))
        expect(self.sentence).to_contain_text("left over", timeout=60_000)
        self.tie = self.page.get_by_test_id("chosen-tie")

    def undone(self, times: int) -> None:
        for _ in range(times):
            self.page.keyboard.press("Control+z")
        expect(self.step("matched as another performance")).to_be_visible()

    def step(self, name):
        """What would be taken back next; the list of all steps says it as well."""
        return self.page.get_by_role("button", name=name).first

    def late_ms(self) -> float:
        return float(self.page.get_by_label("Late by, ms").input_value())

    def test_what_a_bend_does_not_need_is_not_there(self):
        expect(self.page.get_by_label("Clock", exact=True)).to_have_count(0)
        expect(self.page.get_by_role("button", name="Cut here")).to_have_count(0)
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)

    def test_closeness_is_turned_live_and_taken_back(self):
        slider = self.page.get_by_role("slider", name="Closeness, per cent")
        slider.focus()
        for _ in range(4):
            self.page.keyboard.press("ArrowLeft")
        expect(self.sentence).to_contain_text("bent by 80")
        # Pressed again at once: one change.
        self.undone(1)
        expect(self.sentence).not_to_contain_text("bent by")

    def test_figures_are_typed_and_refused_ones_do_not_stay(self):
        leave = self.page.get_by_label("Leave alone below, ms")
        leave.fill("25")
        leave.press("Enter")
        expect(self.step(re.compile("below 25 ms left alone"))).to_be_visible()
        limit = self.page.get_by_label("Bend at most, per cent")
        limit.fill("none")
        limit.press("Enter")
        expect(limit).to_have_value("30")
        self.page.get_by_role("radio", name="starts only").click()
        expect(self.step(re.compile("ends kept"))).to_be_visible()
        self.undone(2)

    def test_from_tie_to_tie_held_split_and_removed_by_keys(self):
        self.page.keyboard.press("y")
        expect(self.tie).to_be_visible()
        self.page.keyboard.press("y")
        self.page.keyboard.press("y")
        expect(self.page.get_by_test_id("loupe").nth(1)).to_contain_text("this tie")
        expect(self.page.get_by_test_id("loupe").nth(1)).to_contain_text(re.compile(r"\d ms"))
        self.page.keyboard.press("h")
        expect(self.tie).to_contain_text("held")
        self.page.keyboard.press("h")
        expect(self.tie).not_to_contain_text("held")
        self.page.keyboard.press("i")
        expect(self.step(re.compile("difference split"))).to_be_visible()
        ties = int(re.search(r"of (\d+) ties", self.trace.get_attribute("aria-label")).group(1))
        self.page.keyboard.press("Delete")
        expect(self.page.get_by_role("img", name=re.compile(f"of {ties - 1} ties"))).to_be_visible()
        expect(self.tie).to_have_count(0)
        self.undone(4)

    def test_arrows_move_the_chosen_tie_as_one_change(self):
        self.page.keyboard.press("y")
        expect(self.tie).to_be_visible()
        before = self.late_ms()
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        expect(self.step(re.compile("tie at .* moved"))).to_be_visible()
        # A tie that is heard later was performed less late against it.
        expect(self.page.get_by_label("Late by, ms")).to_have_value(f"{before - 3:.1f}")
        self.undone(1)

    def test_no_rule_of_access_is_broken_in_light_or_dark(self):
        for mode in ("Dark", "Light"):
            self.page.get_by_role("button", name=mode).click()
            self.page.keyboard.press("y")
            expect(self.tie).to_be_visible()
            with self.subTest(mode=mode):
                self.assertEqual(violations(self.page, MORE_RULES), [])

    def test_a_selected_stretch_is_left_as_performed(self):
        box = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.move(box["x"] + 300, box["y"] + 6)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 600, box["y"] + 6, steps=4)
        self.page.mouse.up()
        stretch = self.page.get_by_test_id("chosen-stretch")
        stretch.get_by_role("button", name="Leave as performed").click()
        expect(self.step(re.compile("ties: not at all"))).to_be_visible()
        stretch.get_by_role("button", name="Hold its edges").click()
        expect(self.step(re.compile("held at its edges"))).to_be_visible()
        self.undone(2)

    def test_a_figure_is_typed_over(self):
        self.page.keyboard.press("y")
        self.page.keyboard.press("y")
        expect(self.tie).to_be_visible()
        before = self.late_ms()
        field = self.page.get_by_label("Late by, ms")
        field.fill(f"{before + 12:.1f}")
        field.press("Enter")
        expect(self.tie).to_contain_text("by hand")
        self.assertAlmostEqual(self.late_ms(), before + 12, delta=0.2)
        self.undone(1)

    def test_a_tie_is_dragged_in_the_waves_and_in_the_trace(self):
        bend = self.page.request.get(f"{self.url}/api/recordings/{self.bench.split('/')[-1]}/bend").json()
        index = next(k for k, tie in enumerate(bend["ties"]) if tie["followed"] and k > len(bend["ties"]) / 3)
        mirror = self.page.get_by_test_id("mirror")
        box = mirror.bounding_box()
        start_s, per_px = (float(mirror.get_attribute(name)) for name in ("data-start-s", "data-seconds-per-px"))
        x = box["x"] + (bend["ties"][index]["lies_s"] - start_s) / per_px
        for y in (box["y"] + box["height"] * 0.8, None):
            if y is None:
                trace = self.trace.bounding_box()
                scale = next(
                    one
                    for one in (10, 20, 50, 100, 200, 500, 1e3, 2e3, 5e3)
                    if one >= 1.1 * max(abs(t["late_ms"]) for t in bend["ties"])
                )
                late = bend["ties"][index]["late_ms"]
                x = box["x"] + (bend["ties"][index]["t_ref"] - start_s) / per_px
                y = trace["y"] + (trace["height"] - 9) / 2 - late / scale * (trace["height"] - 33) / 2
                to = (x, y - 6)
            else:
                to = (x + 8, y)
            self.page.mouse.move(x, y)
            self.page.mouse.down()
            self.page.mouse.move(*to, steps=4)
            self.page.mouse.up()
            expect(self.step(re.compile("tie at .* moved"))).to_be_visible()
            self.undone(1)

    def test_a_tie_is_put_at_the_playhead(self):
        label = self.trace.get_attribute("aria-label")
        ties = int(re.search(r"of (\d+) ties", label).group(1))
        # Between two words, where the program found nothing.
        box = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + 60)
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("w")
        expect(self.step(re.compile("tied by hand"))).to_be_visible()
        now = int(re.search(r"of (\d+) ties", self.trace.get_attribute("aria-label")).group(1))
        self.assertLessEqual(abs(now - ties), 1)
        self.undone(1)

    def test_what_cannot_be_followed_says_why(self):
        self.page.goto(self.strings)
        self.page.get_by_role("button", name="Follow the reference").click()
        expect(self.page.get_by_text("Nothing in it is enough like the reference")).to_be_visible(timeout=60_000)
        expect(self.page.get_by_role("button", name="Try again")).to_be_visible()

    def test_all_that_are_chosen_follow_at_once(self):
        self.page.goto(self.bench.split("/recordings/")[0])
        row = self.page.get_by_test_id("recording-row").filter(has_text="Double")
        row.get_by_role("checkbox").first.click(force=True)
        self.page.get_by_role("button", name="Follow as performances").click()
        expect(row).to_contain_text("matched", timeout=60_000)
        expect(row).to_contain_text("bent")
