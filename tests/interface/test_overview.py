"""What needs a person, and what is done with a whole project: rivals, names, clocks, deliveries, all projects."""

import csv
import io
import re
import unittest
import zipfile

import numpy as np
import soundfile
from playwright.sync_api import Locator, expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ, busy, clocked

BARS, BAR_S = 8, 4.0


class OverviewTest(InterfaceTest):
    """A round dance of equal bars, with one recording that is placed, one that fits several times, and one stray."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        song = np.concatenate([np.tile(busy(BAR_S, 12), BARS), busy(20.0, 13)])
        cls.song = song
        page = cls.page
        page.goto(cls.url)
        cls.start_project("Round dance", "29.97")
        cls.bring_in(
            {
                "Dulcimer.wav": wav_bytes(song),
                "Hall.wav": wav_bytes(clocked(song, 2.0, 1.00008, 48.0)),
                "Drum.wav": wav_bytes(song[: int(2 * BAR_S * RATE_HZ)]),
                "Mill stream.wav": wav_bytes(busy(15.0, 99)),
            }
        )
        cls.row(cls, "Dulcimer").get_by_role("button", name="Make it the reference").click()
        page.get_by_role("button", name="Find the place of 3").click()
        expect(page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.overview = page.url

    def row(self, name: str) -> Locator:
        return self.page.get_by_test_id("recording-row").filter(has_text=name)

    def setUp(self):
        super().setUp()
        self.page.goto(self.overview)
        expect(self.page.get_by_test_id("summary")).to_be_visible()

    def menu(self, name: str, item: str) -> None:
        self.page.get_by_role("button", name=f"More for {name}", exact=True).click()
        self.page.get_by_role("menuitem", name=item).click()

    def test_a_rival_is_taken_and_a_stray_set_aside_in_their_rows(self):
        drum, stray = self.row("Drum"), self.row("Mill stream")
        expect(drum.get_by_test_id("rival")).to_have_count(5)
        drum.get_by_test_id("rival").nth(2).click()
        expect(drum).to_have_attribute("data-status", "placed")
        expect(drum).to_contain_text("by hand")
        self.page.keyboard.press("Control+z")
        expect(drum).to_have_attribute("data-status", "unsure")
        stray.get_by_role("button", name="Set aside").click()
        expect(stray).to_contain_text("as you said")
        self.assertEqual(self.page.get_by_test_id("recording-row").last.get_attribute("data-status"), "unplaced")
        expect(self.page.get_by_role("radio", name="need you 1")).to_be_visible()
        stray.get_by_role("button", name="It may belong").click()
        expect(stray).to_contain_text("nothing sounds like it")

    def test_what_needs_a_person_comes_first(self):
        rows = self.page.get_by_test_id("recording-row")
        statuses = [rows.nth(i).get_attribute("data-status") for i in range(rows.count())]
        self.assertEqual(statuses, ["unsure", "unplaced", "placed"])
        expect(self.page.get_by_text("Needs you")).to_be_visible()
        expect(self.page.get_by_test_id("summary")).to_have_text("1 placed · 1 unsure · 1 does not belong")
        expect(self.row("Mill stream")).to_contain_text("Does not belong here")

    def test_recordings_are_found_by_name_and_state(self):
        rows = self.page.get_by_test_id("recording-row")
        self.page.keyboard.press("/")
        self.page.keyboard.type("stream MI")
        expect(rows).to_have_count(1)
        expect(rows).to_contain_text("Mill stream")
        self.page.keyboard.press("Escape")
        expect(rows).to_have_count(3)
        self.page.get_by_role("radio", name="need you 2").click()
        expect(rows).to_have_count(2)
        self.page.get_by_label("Find by name").fill("hall")
        expect(self.page.get_by_text("no name or note has “hall” in it")).to_be_visible()
        self.page.get_by_role("button", name="Show all").click()
        expect(rows).to_have_count(3)

    def test_time_is_zoomed_and_panned_and_never_beyond_the_event(self):
        ruler = self.page.get_by_test_id("ruler")

        def view() -> tuple[float, float]:
            return tuple(float(ruler.get_attribute(name)) for name in ("data-start-s", "data-seconds-per-px"))

        start, whole = view()
        self.page.keyboard.press("+")
        expect(ruler).not_to_have_attribute("data-seconds-per-px", str(whole))
        self.assertAlmostEqual(view()[1], whole / 2)
        box = ruler.bounding_box()
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.move(*middle)
        before = view()
        under = before[0] + box["width"] / 2 * before[1]
        self.page.mouse.wheel(0, -400)
        expect(ruler).not_to_have_attribute("data-seconds-per-px", str(before[1]))
        after = view()
        self.assertLess(after[1], before[1])
        self.assertAlmostEqual(after[0] + box["width"] / 2 * after[1], under, delta=2 * after[1])
        # Dragged far beyond the end, it stops there.
        self.page.mouse.down()
        self.page.mouse.move(middle[0] - 5000, middle[1])
        self.page.mouse.up()
        end = view()[0] + box["width"] * after[1]
        self.assertAlmostEqual(end, start + box["width"] * whole, delta=2 * after[1])
        self.page.keyboard.press("0")
        expect(ruler).to_have_attribute("data-seconds-per-px", str(whole))

    def test_any_step_of_what_was_done_is_gone_to(self):
        self.page.get_by_role("link", name="Hall").click()
        typed = self.page.get_by_label("Starts at, seconds")
        placed = typed.input_value()
        turn = self.page.get_by_role("button", name=re.compile("^turn(ed)? over$"))
        for k in range(10):
            turn.click()
            expect(turn).to_have_attribute("aria-pressed", "false" if k % 2 else "true")
        history = self.page.get_by_test_id("history")
        self.assertGreater(history.get_by_role("listitem").count(), 9, "all steps, not the last eight")
        history.get_by_text("placed by its sound").last.click()
        expect(typed).to_have_value(placed)
        expect(history.get_by_text("(undone)").first).to_be_visible()
        history.get_by_text("as it was brought in").click()
        expect(self.page.get_by_role("button", name="Find its place")).to_be_visible()
        # The list shows the step in force when it hears of it: a click before that may hit what moves away.
        expect(history.locator("[aria-current]")).to_contain_text("as it was brought in")
        history.get_by_text("placed by its sound").last.click()
        expect(typed).to_have_value(placed)

    def test_a_rival_is_tried_with_one_click_and_taken_back(self):
        self.page.get_by_role("link", name="Drum").click()
        candidates = self.page.get_by_test_id("candidate")
        expect(candidates.first).to_contain_text("here")
        self.assertGreaterEqual(candidates.count(), 3)
        typed = self.page.get_by_label("Starts at, seconds")
        first = float(typed.input_value())
        candidates.nth(1).get_by_role("button", name="Try it").click()
        expect(candidates.nth(1)).to_contain_text("here")
        second = float(typed.input_value())
        bars = (second - first) / BAR_S
        self.assertAlmostEqual(bars, round(bars), delta=1e-3)
        self.assertNotEqual(round(bars), 0)
        # The next one by its key, then back by undoing both.
        self.page.keyboard.press("n")
        expect(candidates.nth(2)).to_contain_text("here")
        self.page.keyboard.press("Control+z")
        expect(candidates.nth(1)).to_contain_text("here")
        self.page.keyboard.press("Control+z")
        expect(typed).to_have_value(f"{first:.6f}")
        self.page.get_by_role("link", name="Round dance").click()
        expect(self.row("Drum")).to_have_attribute("data-status", "unsure")

    def test_names_are_changed_in_place(self):
        name = self.page.get_by_label("Name", exact=True)
        for old, new, key, then in [
            ("Hall", "Hall, balcony", "Enter", "Hall, balcony"),
            ("Hall, balcony", "Nonsense", "Escape", "Hall, balcony"),
            ("Hall, balcony", "Hall", "Enter", "Hall"),
            ("Dulcimer", "Dulcimer, far left", "Enter", "Dulcimer, far left"),
            ("Dulcimer, far left", "Dulcimer", "Enter", "Dulcimer"),
        ]:
            self.menu(old, "Rename")
            expect(name).to_be_focused()
            name.fill(new)
            name.press(key)
            expect(self.page.get_by_text(then, exact=True)).to_be_visible()
            expect(name).to_have_count(0)

    def test_clocks_of_all_are_left_alone_and_used_again(self):
        expect(self.row("Hall")).to_contain_text("+80.0")
        self.page.get_by_role("button", name="Clocks", exact=True).click()
        self.page.get_by_role("menuitem", name="Leave the clocks of all alone").click()
        expect(self.row("Hall")).not_to_contain_text("+80.0")
        self.page.get_by_role("button", name="Clocks", exact=True).click()
        self.page.get_by_role("menuitem", name="Use the measured clock of all").click()
        expect(self.row("Hall")).to_contain_text("+80.0")

    def test_a_place_is_looked_for_again(self):
        self.page.get_by_role("link", name="Hall").click()
        typed = self.page.get_by_label("Starts at, seconds")
        typed.fill("7")
        typed.press("Enter")
        expect(typed).to_have_value("7.000000")
        self.page.get_by_role("link", name="Round dance").click()
        expect(self.row("Hall")).to_contain_text("0:07.000")
        self.menu("Hall", "Find its place again")
        expect(self.row("Hall")).to_contain_text("0:02.000", timeout=60_000)

    def test_all_are_written_and_taken_home_with_the_report(self):
        self.page.get_by_role("button", name="Deliver").click()
        expect(self.page.get_by_text("unsure")).to_be_visible()
        self.page.get_by_role("radio", name="WAV, 24-bit").click()
        self.page.get_by_role("button", name="Write all 2 as a ZIP").click()
        line = self.page.get_by_test_id("delivery").first
        with self.page.expect_download() as waiting:
            line.get_by_role("link", name="Download").click()
        with zipfile.ZipFile(waiting.value.path()) as archive:
            names = archive.namelist()
            self.assertLessEqual({"Hall.wav", "Drum.wav", "report.csv", "report.json"}, set(names))
            sound, rate_hz = soundfile.read(io.BytesIO(archive.read("Hall.wav")))
            rows = list(csv.DictReader(io.StringIO(archive.read("report.csv").decode())))
        self.assertEqual((rate_hz, sound.size), (RATE_HZ, self.song.size))
        inside = slice(5 * RATE_HZ, 45 * RATE_HZ)
        self.assertGreater(np.corrcoef(sound[inside], self.song[inside])[0, 1], 0.999)
        self.assertEqual({row["name"] for row in rows} >= {"Hall", "Drum"}, True)
        # The choice is remembered.
        self.page.reload()
        expect(self.page.get_by_role("radio", name="WAV, 24-bit")).to_have_attribute("aria-checked", "true")

    def test_another_reference_keeps_all_places_and_is_undone_like_anything(self):
        bar = self.page
        start = self.row("Drum").inner_text()
        self.menu("Hall", "Make it the reference")
        expect(self.page.get_by_test_id("reference-row")).to_contain_text("Hall")
        expect(self.row("Dulcimer")).to_have_attribute("data-status", "placed")
        expect(self.row("Drum")).to_have_attribute("data-status", "unsure")
        bar.get_by_role("button", name="What was done").click()
        history = self.page.get_by_role("dialog").get_by_test_id("history")
        expect(history.locator("[aria-current]")).to_contain_text("reference is Hall")
        history.get_by_role("button", name="placed by sound").click()
        expect(self.page.get_by_test_id("reference-row")).to_contain_text("Dulcimer")
        expect(self.row("Drum")).to_have_attribute("data-status", "unsure")
        history.get_by_role("button", name="reference is Hall").click()
        expect(self.page.get_by_test_id("reference-row")).to_contain_text("Hall")
        self.page.keyboard.press("Escape")
        expect(history).to_have_count(0)
        expect(bar.get_by_role("button", name="Undo: reference is Hall")).to_be_visible()
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("reference-row")).to_contain_text("Dulcimer")
        self.assertEqual(self.row("Drum").inner_text().split()[:2], start.split()[:2])

    def test_the_reference_is_removed_and_comes_back_with_all_places(self):
        self.menu("Dulcimer", "Remove from the project")
        expect(self.page.get_by_test_id("reference-row")).to_have_count(0)
        expect(self.row("Hall")).to_have_attribute("data-status", "waiting")
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("reference-row")).to_contain_text("Dulcimer")
        expect(self.row("Hall")).to_have_attribute("data-status", "placed")

    def test_what_undo_does_not_bring_back_is_asked_first(self):
        self.bring_in({"Extra.wav": wav_bytes(busy(3.0, 5))})
        expect(self.row("Extra")).to_be_visible()
        self.menu("Extra", "Remove from the project")
        expect(self.row("Extra")).to_have_count(0)
        expect(self.row("Hall")).to_have_attribute("data-status", "placed")
        self.page.get_by_role("link", name="Projects").click()
        room, question = self.page.get_by_test_id("room"), self.page.get_by_role("alertdialog")
        room.get_by_role("button", name="Delete them for good").click()
        expect(question).to_contain_text("Undo cannot bring them back")
        self.page.keyboard.press("Escape")
        expect(question).to_have_count(0)
        # The key was the question's; it did not leave the page as well.
        room.get_by_role("button", name="Delete them for good").click()
        question.get_by_role("button", name="Delete them").click()
        expect(room).not_to_contain_text("removed")

    def test_projects_say_how_far_they_are_and_are_deleted_only_when_asked_twice(self):
        self.page.get_by_role("link", name="Projects").click()
        expect(self.page.get_by_label("Frames a second")).to_have_value("30000/1001")
        expect(self.page.get_by_text("1 of 3 placed")).to_be_visible()
        expect(self.page.get_by_text("2 need you")).to_be_visible()
        self.start_project("A slip")
        self.page.get_by_role("link", name="Projects").click()
        slip = self.page.locator("div.group").filter(has_text="A slip")
        slip.get_by_role("button", name="Delete").click()
        slip.get_by_role("button", name="Keep").click()
        expect(slip).to_be_visible()
        slip.get_by_role("button", name="Delete").click()
        slip.get_by_role("button", name="Delete for good").click()
        expect(slip).to_have_count(0)
        expect(self.page.get_by_text("Round dance")).to_be_visible()

    def test_the_dark_side_is_remembered(self):
        ground = "() => getComputedStyle(document.body).backgroundColor"
        light = self.page.evaluate(ground)
        self.page.get_by_role("button", name="Dark", exact=True).click()
        expect(self.page.get_by_role("button", name="Light", exact=True)).to_be_visible()
        self.page.reload()
        expect(self.page.get_by_role("button", name="Light", exact=True)).to_be_visible()
        self.assertNotEqual(self.page.evaluate(ground), light)
        self.page.get_by_role("button", name="Light", exact=True).click()
        expect(self.page.get_by_role("button", name="Dark", exact=True)).to_be_visible()
        self.assertEqual(self.page.evaluate(ground), light)

    def test_an_address_that_leads_nowhere_says_so(self):
        self.page.goto(f"{self.url}/projects/00000000-0000-0000-0000-000000000000")
        expect(self.page.get_by_role("alert")).to_have_text("This project does not exist any more.")


if __name__ == "__main__":
    unittest.main()
