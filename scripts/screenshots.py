"""Pictures of the main views, made from the demo that is being served (`make demo`), into docs/screenshots."""

import os
import sys
from pathlib import Path

from playwright.sync_api import Page, expect

from scripts.browser import chromium, new_page

FOLDER = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
NAME, SONG_NAME, VOICES_NAME = "The miller's talk", "The wheel song", "The wheel song: voices"


def main() -> int:
    base = f"http://127.0.0.1:{os.environ.get('GULLYWIND_PORT', '8470')}"
    with chromium() as browser:
        page = new_page(browser)
        page.goto(base)
        page.get_by_text(NAME).click()
        find = page.get_by_role("button", name="Find the place of")
        page.get_by_test_id("summary").wait_for()
        if find.count():
            find.click()
        expect(page.get_by_text("all looked for")).to_be_visible(timeout=120_000)
        tie = page.get_by_role("button", name="Tie as a set")
        if tie.count():
            tie.click()
        expect(page.locator("[data-bracket]")).to_have_count(2)
        expect(page.get_by_text("…", exact=True)).to_have_count(0, timeout=60_000)
        settle(page)
        page.screenshot(path=FOLDER / "overview.png")
        page.get_by_role("button", name="Dark").click()
        settle(page)
        page.screenshot(path=FOLDER / "overview-dark.png")
        page.get_by_role("button", name="Light").click()
        page.get_by_role("button", name="Mix").click()
        for name, level, position in (("Camera north", "-8", "-0.7"), ("Pocket recorder", "-3.5", "0.4")):
            page.get_by_label(f"Level of {name}, dB").fill(level)
            page.get_by_label(f"Position of {name}").fill(position)
        page.get_by_role("button", name="Mute Lapel").click()
        settle(page)
        page.screenshot(path=FOLDER / "overview-mix.png")
        page.get_by_role("button", name="All plain").click()
        page.get_by_role("button", name="Mix").click()
        page.get_by_role("link", name="Camera north").click()
        expect(page.get_by_test_id("loupe").nth(2)).to_contain_text(" ms", timeout=20_000)
        page.get_by_role("button", name="Beside the mirror").click()
        mirror = page.get_by_test_id("mirror").bounding_box()
        assert mirror
        page.mouse.click(mirror["x"] + 300, mirror["y"] + 6)
        expect(page.get_by_test_id("doubling")).to_be_visible()
        page.mouse.move(640, 20)
        settle(page)
        page.screenshot(path=FOLDER / "bench-picture.png")
        page.get_by_role("button", name="In the side panel").click()
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Pocket recorder").click()
        expect(page.get_by_test_id("loupe")).to_have_count(3)
        expect(page.get_by_test_id("loupe").nth(2)).to_contain_text(" ms", timeout=20_000)
        settle(page)
        page.screenshot(path=FOLDER / "bench.png")
        box = page.get_by_test_id("mirror").bounding_box()
        assert box
        page.mouse.move(box["x"] + 486, box["y"] + 60)
        for _ in range(19):
            page.mouse.wheel(0, -300)
        settle(page)
        page.screenshot(path=FOLDER / "bench-close.png")
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Phone, carried about").click()
        expect(page.get_by_test_id("loupe").nth(2)).to_contain_text(" ms", timeout=20_000)
        page.get_by_role("button", name="as recorded").click()
        page.mouse.move(640, 20)
        settle(page)
        page.screenshot(path=FOLDER / "bench-wandering.png")
        page.get_by_role("button", name="left over").click()
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Stage right").click()
        expect(page.get_by_test_id("set-member")).to_have_count(2)
        expect(page.get_by_test_id("loupe").nth(2)).to_contain_text(" ms", timeout=20_000)
        settle(page)
        page.screenshot(path=FOLDER / "bench-set.png")
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Phone, back row").click()
        expect(page.get_by_test_id("loupe").nth(2)).to_contain_text(" ms", timeout=20_000)
        page.get_by_test_id("piece").nth(1).get_by_role("button").first.click()
        page.get_by_role("button", name="as recorded").click()
        page.mouse.move(640, 20)
        settle(page)
        page.screenshot(path=FOLDER / "bench-pieces.png")
        page.get_by_role("button", name="left over").click()
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="What was done").click()
        page.get_by_role("dialog").get_by_test_id("history").wait_for()
        settle(page)
        page.screenshot(path=FOLDER / "history.png")
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)
        page.get_by_role("button", name="Deliver").click()
        page.get_by_test_id("pictures").wait_for()
        if not page.get_by_role("link", name="Download").count():
            page.get_by_role("button", name="Write all 2 videos").click()
            expect(page.get_by_role("link", name="Download")).to_have_count(2, timeout=120_000)
        page.screenshot(path=FOLDER / "deliver.png")
        page.get_by_role("link", name="Projects").click()
        page.get_by_text(NAME).wait_for()
        settle(page)
        page.screenshot(path=FOLDER / "projects.png")
        page.get_by_text(VOICES_NAME).click()
        bend(page)
        page.goto(base)
        page.get_by_text(SONG_NAME, exact=True).click()
        page.get_by_test_id("summary").wait_for()
        if find.count():
            find.click()
        expect(page.get_by_text("all looked for")).to_be_visible(timeout=120_000)
        expect(page.get_by_test_id("rival")).not_to_have_count(0)
        page.get_by_test_id("summary").click()
        for index in (0, 1):
            page.keyboard.press("n")
            expect(page.get_by_test_id("rival").nth(index)).to_have_attribute("data-tried", "true")
        settle(page)
        page.screenshot(path=FOLDER / "tray.png")
    return 0


def bend(page: Page) -> None:
    """The doubles follow the guide voice; one of them on the bench."""
    page.get_by_test_id("summary").wait_for()
    double = page.get_by_test_id("recording-row").filter(has_text="Tilda")
    if not double.get_by_text("matched").count():
        page.keyboard.press("Control+a")
        page.get_by_role("button", name="Follow as performances").click()
        expect(page.get_by_text("matched", exact=True)).to_have_count(3, timeout=120_000)
    double.get_by_role("link").click()
    expect(page.get_by_test_id("sentence")).to_contain_text("left over", timeout=60_000)
    for _ in range(3):
        page.keyboard.press("+")
    for _ in range(30):
        page.keyboard.press("y")
    expect(page.get_by_test_id("chosen-tie")).to_be_visible()
    page.mouse.move(640, 20)
    settle(page)
    page.screenshot(path=FOLDER / "bench-bend.png")


def settle(page: Page) -> None:
    """Long enough for peaks to come and be drawn; without the news of what is done, which lies over what is seen."""
    page.wait_for_timeout(1200)
    news = page.get_by_role("button", name="Dismiss")
    if news.count():
        news.click()
        expect(news).to_have_count(0)


if __name__ == "__main__":
    sys.exit(main())
