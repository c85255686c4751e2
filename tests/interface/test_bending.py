"""A person has a double follow the lead, and corrects it by hand on the bench."""

import re

import numpy as np
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
        files["Room.wav"] = np.concatenate([CASE.recording * 0.3, np.zeros(4800)])
        cls.bring_in({name: wav_bytes(sound * 0.5) for name, sound in files.items()})
        row = page.get_by_test_id("recording-row").filter(has_text="Lead")
        row.get_by_role("button", name="Make it the reference").click()
        for name in ("strings", "room"):
            page.get_by_role("link", name=name.title()).click()
            setattr(cls, name, page.url)
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
        """What would be taken back next: the button, not the list of all steps, which says more than that."""
        what = name.pattern if isinstance(name, re.Pattern) else re.escape(name)
        return self.page.get_by_role("button", name=re.compile(f"^Undo: .*{what}")).first

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
        # One that lies where it should: of others the limit keeps some back.
        ties = self.asked("bend")["ties"]
        index = next(k for k, one in enumerate(ties) if one["left_ms"] is not None and abs(one["left_ms"]) < 0.04)
        for _ in range(index + 1):
            self.page.keyboard.press("y")
        expect(self.tie).to_contain_text(" 0.0 ms left")
        late = self.page.get_by_label("Late by, ms")
        expect(late).to_have_value(f"{ties[index]['late_ms']:.1f}")
        for _ in range(3):
            self.page.keyboard.press("ArrowRight")
        expect(self.step(re.compile("tie at .* moved"))).to_be_visible()
        # A tie that is heard later was performed less late against it.
        expect(late).to_have_value(f"{-ties[index]['moved_ms'] - 3:.1f}")
        self.undone(1)

    def test_no_rule_of_access_is_broken_in_light_or_dark(self):
        for mode in ("Dark", "Light"):
            self.page.get_by_role("button", name=mode).click()
            self.page.keyboard.press("y")
            expect(self.tie).to_be_visible()
            with self.subTest(mode=mode):
                self.assertEqual(violations(self.page, MORE_RULES), [])

    def select(self) -> None:
        """A stretch, along the axis of the mirror."""
        box = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.move(box["x"] + 300, box["y"] + 6)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 600, box["y"] + 6, steps=4)
        self.page.mouse.up()

    def test_a_selected_stretch_is_left_as_performed(self):
        self.select()
        stretch = self.page.get_by_test_id("chosen-stretch")
        slider = stretch.get_by_role("slider")
        expect(slider).to_have_attribute("aria-valuenow", "100")
        slider.focus()
        # As one change, once the hand rests.
        slider.press("ArrowLeft")
        slider.press("Home")
        expect(self.step(re.compile("ties: not at all"))).to_be_visible()
        expect(slider).to_have_attribute("aria-valuenow", "0")
        stretch.get_by_role("button", name="As close as all").click()
        expect(self.step(re.compile("ties: as all"))).to_be_visible()
        expect(slider).to_have_attribute("aria-valuenow", "100")
        stretch.get_by_role("button", name="Hold its edges").click()
        expect(self.step(re.compile("held at its edges"))).to_be_visible()
        self.undone(3)

    def test_a_selected_stretch_is_matched_anew(self):
        self.select()
        self.page.get_by_role("button", name="Match it anew").click()
        expect(self.step(re.compile("matched, its edges held"))).to_be_visible(timeout=60_000)
        self.undone(1)

    def test_figures_are_turned_and_one_turning_is_one_change(self):
        field = self.page.get_by_label("Leave alone below, ms")
        for _ in range(2):
            self.page.get_by_role("button", name="Leave more alone").click()
        expect(field).to_have_value("10")
        field.press("ArrowUp")
        expect(self.step(re.compile("below 15 ms left alone"))).to_be_visible()
        self.assertEqual(self.asked("bend")["leave_below_ms"], 15.0)
        self.page.get_by_role("button", name="Bend less").click()
        expect(self.step(re.compile("by 25.% at most"))).to_be_visible()
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
        self.dragged((x, box["y"] + box["height"] * 0.8), (8, 0))
        self.undone(1)
        # In the trace, as it is while a tie is chosen, to a little beside what begins nearby: it settles there.
        trace, scale_ms = self.trace.bounding_box(), float(self.trace.get_attribute("data-scale-ms"))
        px_per_s = (trace["height"] - 33) / 2 / scale_ms * 1000
        tie = bend["ties"][index]
        moments = self.moments()
        goal = moments[np.argmin(np.abs(moments - tie["t_ref"] - 14 / px_per_s))]
        x = box["x"] + (tie["t_ref"] - start_s) / per_px
        y = trace["y"] + (trace["height"] - 9) / 2 - tie["late_ms"] / 1000 * px_per_s
        self.dragged((x, y), (0, (goal - tie["t_ref"]) * px_per_s + 0.3))
        moved = next(one for one in self.asked("bend")["ties"] if one["by_hand"])
        self.undone(1)
        self.assertAlmostEqual(moved["t_ref"], goal, delta=1e-6)

    def dragged(self, at: tuple[float, float], by: tuple[float, float]) -> None:
        """A tie by the mouse, page pixels; on the screen and at the server."""
        self.page.mouse.move(*at)
        self.page.mouse.down()
        self.page.mouse.move(at[0] + by[0], at[1] + by[1], steps=4)
        self.page.mouse.up()
        expect(self.step(re.compile("tie at .* moved"))).to_be_visible()
        expect(self.tie).to_contain_text("by hand")

    def moments(self) -> np.ndarray:
        """What begins or ends in the reference, s."""
        project = self.page.request.get(f"{self.url}/api/projects/{self.bench.split('/')[-3]}").json()
        lead = next(one for one in project["recordings"] if one["name"] == "Lead")
        return np.array(self.page.request.get(f"{self.url}/api/recordings/{lead['id']}/moments").json()["times_s"])

    def x_of(self, at_s: float) -> float:
        mirror = self.page.get_by_test_id("mirror")
        start_s, per_px = (float(mirror.get_attribute(name)) for name in ("data-start-s", "data-seconds-per-px"))
        return mirror.bounding_box()["x"] + (at_s - start_s) / per_px

    def asked(self, what: str) -> dict:
        return self.page.request.get(f"{self.url}/api/recordings/{self.bench.split('/')[-1]}/{what}").json()

    def test_a_dragged_tie_settles_on_what_begins_there_unless_alt_is_held(self):
        moments = self.moments()
        box = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 60)
        for _ in range(3):
            self.page.mouse.wheel(0, -300)
        self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + 60)
        self.page.keyboard.press("y")
        expect(self.tie).to_be_visible()
        ties = self.asked("bend")["ties"]
        late_ms = self.late_ms()
        index = int(np.argmin([abs(one["late_ms"] - late_ms) for one in ties]))
        y = box["y"] + box["height"] * 0.8
        for alt in (False, True):
            per_px = float(self.page.get_by_test_id("mirror").get_attribute("data-seconds-per-px"))
            goal = moments[np.argmin(np.abs(moments - ties[index]["lies_s"] - 9 * per_px))]
            self.page.mouse.move(self.x_of(ties[index]["lies_s"]), y)
            self.page.mouse.down()
            if alt:
                self.page.keyboard.down("Alt")
            self.page.mouse.move(self.x_of(goal) + 3, y, steps=6)
            self.page.mouse.up()
            self.page.keyboard.up("Alt")
            expect(self.tie).to_contain_text("by hand")
            off_s = abs(next(one["t_ref"] for one in self.asked("bend")["ties"] if one["by_hand"]) - goal)
            self.assertLess(off_s, 1e-6) if not alt else self.assertAlmostEqual(off_s, 3 * per_px, delta=2 * per_px)
            self.undone(1)
            # Drawn where it was before, and not only told.
            expect(self.page.get_by_label("Late by, ms")).to_have_value(f"{late_ms:.1f}")

    def test_the_other_point_of_a_syllable_is_one_key_away(self):
        ties = self.asked("bend")["ties"]
        index = next(k for k, one in enumerate(ties) if one["kind"] == "opening" and one["syllable"] is not None)
        for _ in range(index + 1):
            self.page.keyboard.press("y")
        expect(self.tie).to_contain_text("opening of a vowel")
        self.page.keyboard.press("d")
        expect(self.tie).to_contain_text("start")
        self.page.keyboard.press("d")
        expect(self.tie).to_contain_text("opening of a vowel")

    def test_the_second_microphone_is_bent_exactly_as_the_first_which_lies_behind_it(self):
        self.page.goto(self.room)
        self.page.get_by_label("Bend exactly as").select_option("Double")
        expect(self.sentence).to_contain_text("bent along")
        expect(self.step("bent as Double")).to_be_visible()
        self.page.keyboard.press("g")
        mirror = self.page.get_by_test_id("mirror")
        expect(mirror).to_contain_text("behind it Double")
        self.page.get_by_role("button", name="Put the other doubles away").click()
        expect(mirror).not_to_contain_text("behind it")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_label("Bend exactly as")).to_be_visible()

    def test_what_the_pointer_passes_is_heard_while_a_key_is_held(self):
        box = self.page.get_by_test_id("mirror").bounding_box()
        self.page.mouse.move(box["x"] + 200, box["y"] + 60)
        self.page.mouse.move(box["x"] + 240, box["y"] + 60)
        expect(self.page.get_by_role("button", name="Play (space)")).to_be_visible()
        self.page.keyboard.down("z")
        before = self.page.get_by_test_id("playhead").inner_text()
        self.page.mouse.move(box["x"] + 600, box["y"] + 60, steps=3)
        self.page.keyboard.up("z")
        expect(self.page.get_by_test_id("playhead")).not_to_have_text(before)

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

    def test_what_is_another_performance_says_so_and_is_followed_when_asked(self):
        self.page.goto(self.url)
        self.start_project("Offered")
        self.bring_in({"Lead.wav": wav_bytes(CASE.reference * 0.5), "Double.wav": wav_bytes(CASE.recording * 0.5)})
        rows = self.page.get_by_test_id("recording-row")
        rows.filter(has_text="Lead").get_by_role("button", name="Make it the reference").click()
        self.page.get_by_role("button", name="Find the place of 1").click()
        double = rows.filter(has_text="Double")
        expect(double).to_contain_text("Performs the part anew", timeout=60_000)
        double.get_by_role("button", name="Have it follow").click()
        expect(double).to_have_attribute("data-status", "placed", timeout=60_000)
        expect(double).to_contain_text("bent")
        expect(double.get_by_role("button", name="Have it follow")).to_have_count(0)

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
