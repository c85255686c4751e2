"""Whoever comes with a keyboard, a screen reader, a small window or twice the size: WCAG 2.2 AA, by axe and by hand."""

import re

from playwright.sync_api import expect

from tests.files import wav_bytes
from tests.interface.axe import MORE_RULES, RULES, violations
from tests.interface.server import InterfaceTest
from tests.signals import RATE_HZ, busy

#: The last is 1280x800 at 200 %.
SIZES = ((1024, 700), (2560, 1440), (640, 400))


class AccessTest(InterfaceTest):
    bypass_csp = True

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        event = busy(30.0, 71)
        cls.page.goto(cls.url)
        cls.start_project("Open evening")
        cls.bring_in(
            {
                "Desk.wav": wav_bytes(event),
                "A camera with a long name, left of the wheel, second card.wav": wav_bytes(event[4 * RATE_HZ :]),
                "Phone.wav": wav_bytes(event[: 20 * RATE_HZ]),
                "Mill stream.wav": wav_bytes(busy(12.0, 99)),
            }
        )
        row = cls.page.get_by_test_id("recording-row").filter(has_text="Desk")
        row.get_by_role("button", name="Make it the reference").click()
        cls.page.get_by_role("button", name="Find the place of 3").click()
        expect(cls.page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.overview = cls.page.url
        cls.bench = cls.url + cls.page.get_by_role("link", name="Phone").get_attribute("href")
        cls.pages = {
            "projects": (cls.url, lambda: cls.page.get_by_role("link", name="Open evening")),
            "overview": (cls.overview, lambda: cls.page.get_by_test_id("reference-row")),
            "bench": (cls.bench, lambda: cls.page.get_by_test_id("loupe").nth(2)),
            "deliver": (f"{cls.overview}/deliver", lambda: cls.page.get_by_text("Files that drop in")),
        }

    def tearDown(self):
        self.page.set_viewport_size({"width": 1280, "height": 800})
        super().tearDown()

    def visit(self, name: str) -> None:
        address, shows = self.pages[name]
        self.page.goto(address)
        expect(shows()).to_be_visible()

    def test_no_page_breaks_a_rule_in_light_or_dark(self):
        for mode in ("Dark", "Light"):
            self.visit("projects")
            self.page.get_by_role("button", name=mode).click()
            for name in self.pages:
                with self.subTest(page=name, mode=mode):
                    self.visit(name)
                    self.assertEqual(violations(self.page, MORE_RULES), [])

    def test_menus_and_the_list_of_keys_break_none(self):
        self.visit("overview")
        self.page.get_by_role("button", name="More for Phone").click()
        expect(self.page.get_by_role("menuitem", name="Rename")).to_be_visible()
        self.assertEqual(violations(self.page, RULES), [])
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("Shift+?")
        expect(self.page.get_by_role("dialog")).to_be_visible()
        self.assertEqual(violations(self.page, RULES), [])

    def test_nothing_is_out_of_reach_in_any_window(self):
        for width, height in SIZES:
            self.page.set_viewport_size({"width": width, "height": height})
            for name in self.pages:
                with self.subTest(page=name, width=width):
                    self.visit(name)
                    size = self.page.evaluate("[document.body.scrollWidth, document.body.scrollHeight]")
                    self.assertLessEqual(size[0], width, "nothing goes beyond the side")
                    self.assertLessEqual(size[1], height, "the page itself does not scroll, its parts do")
                    for button in self.page.locator("button, [role=button]").all():
                        # Scrolls to it and looks whether a click would meet it and nothing else.
                        if button.is_enabled():
                            button.click(trial=True, timeout=5000)

    def test_the_focus_stays_where_the_hand_was_when_its_row_goes(self):
        self.visit("overview")
        row = self.page.get_by_test_id("recording-row")
        count = row.count()
        self.page.get_by_role("button", name="More for Mill stream").focus()
        self.page.keyboard.press("Enter")
        self.page.get_by_role("menuitem", name="Remove from the project").click()
        expect(row).to_have_count(count - 1)
        self.page.wait_for_function("document.activeElement !== document.body")
        inside = self.page.evaluate("document.activeElement.closest('main, [data-row]') !== null")
        self.assertTrue(inside)

    def test_the_focus_stays_near_what_is_no_longer_offered(self):
        self.visit("bench")
        undo = self.page.get_by_role("button", name=re.compile("^Undo"))
        undo.focus()
        self.page.keyboard.press("Enter")
        expect(undo).to_be_disabled()
        self.page.wait_for_function("document.activeElement !== document.body")
        self.assertTrue(self.page.evaluate("document.activeElement.closest('header') !== null"))
        self.page.keyboard.press("Control+Shift+z")
        expect(undo).to_be_enabled()
