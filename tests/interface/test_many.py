"""Several recordings are chosen and worked on at once; rows are sorted; notes are kept; what was removed comes back."""

from playwright.sync_api import Locator, expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.signals import busy, clocked

EVENT = busy(40.0, 720)


class ManyTest(InterfaceTest):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.page.goto(cls.url)
        cls.start_project("Many")
        starts = {"Take 10": 3.0, "Take 2": 9.0, "Take 1": 15.0}
        takes = {f"{name}.wav": wav_bytes(clocked(EVENT, start, 1.0, 20.0)) for name, start in starts.items()}
        cls.bring_in({"Desk.wav": wav_bytes(EVENT), **takes, "Stray.wav": wav_bytes(busy(8.0, 721))})
        cls.row(cls, "Desk").get_by_role("button", name="Make it the reference").click()
        cls.page.get_by_role("button", name="Find the place of").click()
        expect(cls.page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.overview = cls.page.url

    def setUp(self):
        super().setUp()
        self.page.goto(self.overview)
        expect(self.page.get_by_test_id("summary")).to_be_visible()

    def row(self, name: str) -> Locator:
        rows = self.page.get_by_test_id("recording-row")
        return rows.filter(has=self.page.get_by_role("checkbox", name=f"Choose {name}", exact=True))

    def names(self) -> list[str]:
        return [
            row.get_by_role("link").inner_text().split("\n")[0]
            for row in self.page.get_by_test_id("recording-row").all()
        ]

    def choose(self, *names: str) -> Locator:
        for name in names:
            self.page.get_by_role("checkbox", name=f"Choose {name}", exact=True).click()
        bar = self.page.get_by_test_id("chosen-bar")
        # A key pressed sooner than it is drawn would act on what was chosen before.
        expect(bar).to_contain_text(f"{len(names)} recording")
        return bar

    def test_a_range_is_locked_by_a_key_and_let_go_of(self):
        page = self.page
        bar = self.choose("Take 10")
        page.get_by_role("checkbox", name="Choose Take 1", exact=True).click(modifiers=["Shift"])
        expect(bar).to_contain_text("3 recordings chosen")
        page.keyboard.press("x")
        for name in ("Take 10", "Take 2", "Take 1"):
            expect(self.row(name)).to_contain_text("locked")
        bar.get_by_role("button", name="Unlock").click()
        expect(page.get_by_text("locked")).to_have_count(0)
        page.keyboard.press("Escape")
        expect(bar).to_have_count(0)
        expect(page.get_by_test_id("summary")).to_be_visible()

    def test_all_that_are_shown_get_one_gain_and_those_without_a_place_are_named(self):
        page = self.page
        page.keyboard.press("Control+a")
        bar = page.get_by_test_id("chosen-bar")
        expect(bar).to_contain_text("4 recordings chosen")
        gain = bar.get_by_label("Gain of all that are chosen, dB")
        gain.fill("loud")
        gain.press("Enter")
        expect(page.get_by_text("is no number of dB")).to_be_visible()
        gain.fill("-3")
        gain.press("Enter")
        expect(page.get_by_text("Left as it is: Stray (This recording has no place yet")).to_be_visible()
        self.row("Take 2").get_by_role("link").click()
        expect(page.get_by_label("Gain, dB")).to_have_value("−3.0")
        page.go_back()
        page.get_by_role("button", name="Undo").click()
        self.row("Take 2").get_by_role("link").click()
        expect(page.get_by_label("Gain, dB")).to_have_value("0.0")

    def test_what_was_removed_comes_back(self):
        page = self.page
        self.choose("Take 2", "Stray")
        page.keyboard.press("Delete")
        expect(page.get_by_test_id("recording-row")).to_have_count(2)
        expect(page.get_by_test_id("chosen-bar")).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_test_id("recording-row")).to_have_count(4)
        expect(self.row("Take 2")).to_contain_text("0:09.000")

    def test_rows_are_sorted_and_the_order_is_remembered(self):
        page = self.page
        self.assertEqual(self.names()[0], "Stray")
        page.get_by_role("button", name="recording", exact=True).click()
        expect(page.get_by_test_id("recording-row").first).to_contain_text("Stray")
        self.assertEqual(self.names(), ["Stray", "Take 1", "Take 2", "Take 10"])
        page.get_by_role("button", name="starts at").click()
        page.get_by_role("button", name="starts at").click()
        expect(page.get_by_test_id("recording-row").first).to_contain_text("Take 1")
        page.reload()
        expect(page.get_by_test_id("recording-row").first).to_contain_text("Take 1")
        self.assertEqual(self.names(), ["Take 1", "Take 2", "Take 10", "Stray"])
        page.get_by_role("button", name="starts at").click()
        expect(page.get_by_test_id("recording-row").first).to_contain_text("Stray")

    def test_a_note_is_kept_shown_and_found(self):
        page = self.page
        self.row("Take 10").get_by_role("link").click()
        note = page.get_by_label("Note")
        note.fill("cough at the end")
        note.blur()
        page.get_by_role("link", name="Many").click()
        expect(self.row("Take 10")).to_contain_text("cough at the end")
        page.get_by_label("Find by name").fill("cough")
        expect(page.get_by_test_id("recording-row")).to_have_count(1)

    def test_those_that_are_chosen_are_written(self):
        bar = self.choose("Take 1", "Take 2")
        bar.get_by_role("button", name="Write files").click()
        expect(self.page.get_by_test_id("delivery").first.get_by_role("link", name="Download")).to_be_visible(
            timeout=30_000
        )
