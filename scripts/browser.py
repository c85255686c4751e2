"""Debian's Chromium under Playwright, without network beyond loopback and without a sound card."""

import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Browser, Page, ViewportSize, sync_playwright

QUIET = [
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-quic",
    "--no-first-run",
    "--disable-gpu",
    "--autoplay-policy=no-user-gesture-required",
]
WIDTH, HEIGHT = 1280, 800


@contextmanager
def chromium() -> Iterator[Browser]:
    """A headless browser."""
    program = shutil.which("chromium")
    if program is None:
        raise RuntimeError("Chromium is not installed; `make setup` installs it")
    arguments = QUIET + (["--no-sandbox"] if os.geteuid() == 0 else [])
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=program, args=arguments)
        try:
            yield browser
        finally:
            browser.close()


def new_page(browser: Browser, *, bypass_csp: bool = False) -> Page:
    """A page of the size that the interface must work at; animations off.

    `bypass_csp`: scripts of the test's own may run inside the page, which the program's policy refuses.
    """
    size: ViewportSize = {"width": WIDTH, "height": HEIGHT}
    context = browser.new_context(viewport=size, reduced_motion="reduce", bypass_csp=bypass_csp)
    page = context.new_page()
    page.set_default_timeout(20_000)
    return page
