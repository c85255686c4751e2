"""Measure the interface and the server that it asks; needs a demo that is being served and placed."""

import json
import os
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Error, Page

from scripts.browser import chromium, new_page
from scripts.figures import line

RATE_HZ = 48000
FRAMES = """() => {
  window.frames_ = []
  let last = performance.now()
  const run = (window.frameRun_ = (window.frameRun_ ?? 0) + 1)
  const tick = (now) => {
    if (run !== window.frameRun_) return
    window.frames_.push(now - last)
    last = now
    requestAnimationFrame(tick)
  }
  requestAnimationFrame(tick)
}"""


def base_url() -> str:
    return f"http://127.0.0.1:{os.environ.get('GULLYWIND_PORT', '8470')}"


def bench_sound(folder: Path) -> None:
    """Chunks of 4 s from a running server; needs a demo that is being served and placed."""
    import urllib.request

    base = f"{base_url()}/api"

    def get(path: str) -> bytes:
        with urllib.request.urlopen(base + path) as answer:
            return bytes(answer.read())

    try:
        project = json.loads(get(f"/projects/{json.loads(get('/projects'))[0]['id']}"))
    except OSError:
        line("chunk of 4 s from the server, warm", "not measured: no server runs", "50 ms at p95")
        return
    times: list[float] = []
    for recording in [one for one in project["recordings"] if one["map"]]:
        for i in range(30):
            start = time.perf_counter()
            first = (30 + i) * 4 * RATE_HZ % (200 * RATE_HZ)
            get(f"/recordings/{recording['id']}/sound?first={first}&samples={4 * RATE_HZ}")
            if i >= 3:
                times.append(time.perf_counter() - start)
    line(
        "chunk of 4 s from the server, warm", f"{np.percentile(times, 95) * 1e3:.1f} ms at the 95th percentile", "50 ms"
    )


def on_the_bench(page: Page, what: str, name: str = "Pocket recorder") -> bool:
    """Open a recording of the demo on the bench; False, and a line that says so, where no server runs."""
    try:
        page.goto(base_url())
    except Error as error:
        line(what, f"not measured: {type(error).__name__}", "a served demo")
        return False
    page.get_by_text("The miller's talk").click()
    page.get_by_role("link", name=name).click()
    page.get_by_test_id("loupe").nth(2).wait_for()
    return True


def bench_frames(folder: Path) -> None:
    """Frame times of the mirror while zooming and panning; needs a demo that is being served and placed."""
    with chromium() as browser:
        page = new_page(browser, bypass_csp=True)
        if not on_the_bench(page, "zoom and pan of the mirror"):
            return
        box = page.get_by_test_id("mirror").bounding_box()
        assert box
        page.mouse.move(box["x"] + 480, box["y"] + 60)
        page.evaluate(FRAMES)
        for k in range(240):
            page.mouse.wheel(0, -90 if k % 120 < 60 else 90)
            if k % 3 == 0:
                page.mouse.wheel(60 if k % 6 else -60, 0)
        times = np.array(page.evaluate("window.frames_"))[3:]
        line(
            "mirror: frame times while zooming and panning",
            f"median {np.median(times):.1f}, worst {times.max():.1f}, {np.sum(times > 50)} of {times.size} over 50 ms",
            "16.7, worst 50",
        )


SEEN = """() => {
  const video = document.querySelector('[data-testid=picture] video')
  window.seen_ = 0
  const onFrame = () => { window.seen_ = performance.now(); video.requestVideoFrameCallback(onFrame) }
  video.requestVideoFrameCallback(onFrame)
  window.addEventListener('pointerup', () => { window.sought_ = performance.now(); window.seen_ = 0 }, true)
}"""


def bench_seek(folder: Path) -> None:
    """From a click on the axis to the frame that is seen there; needs a demo that is being served and placed."""
    seen_ms: list[float] = []
    with chromium() as browser:
        page = new_page(browser, bypass_csp=True)
        if not on_the_bench(page, "a seek of the picture", "Camera north"):
            return
        box = page.get_by_test_id("mirror").bounding_box()
        assert box
        page.wait_for_function("document.querySelector('[data-testid=picture] video')?.readyState >= 2")
        page.evaluate(SEEN)
        for k in range(30):
            page.mouse.click(box["x"] + 90 + (k * 397) % 600, box["y"] + 6)
            page.wait_for_function("window.seen_ > 0")
            seen_ms.append(page.evaluate("window.seen_ - window.sought_"))
    line(
        "a seek of the picture, until it is seen",
        f"median {np.median(seen_ms):.0f}, longest {max(seen_ms):.0f} ms",
        "150 ms",
    )


HEARD = """() => {
  const start = AudioBufferSourceNode.prototype.start
  window.starts_ = []
  AudioBufferSourceNode.prototype.start = function (when, ...rest) {
    window.starts_.push(performance.now() + (when - this.context.currentTime) * 1000)
    return start.call(this, when, ...rest)
  }
  for (const name of ['pointerup', 'keydown'])
    window.addEventListener(name, () => { window.dropped_ = performance.now(); window.starts_ = [] }, true)
}"""
#: What is played on as before is scheduled five seconds ahead.
HEARD_ANEW = "window.starts_.some((at) => at - window.dropped_ < 3000)"
HEARD_AFTER = "Math.min(...window.starts_) - window.dropped_"


def bench_drag(folder: Path) -> None:
    """From letting go of a dragged recording to hearing it at its new place, while playing; needs a served demo."""
    heard_ms: list[float] = []
    frames_ms: list[float] = []
    with chromium() as browser:
        page = new_page(browser, bypass_csp=True)
        if not on_the_bench(page, "drag of a recording, until it is heard"):
            return
        page.evaluate(HEARD)
        page.keyboard.press("Space")
        box = page.get_by_test_id("loupe").nth(1).bounding_box()
        assert box
        for k in range(12):
            page.wait_for_timeout(1500)
            page.mouse.move(box["x"] + 100, box["y"] + 110)
            page.mouse.down()
            page.evaluate(FRAMES)
            page.mouse.move(box["x"] + 100 + (30 if k % 2 else -30), box["y"] + 110, steps=20)
            frames_ms += page.evaluate("window.frames_.slice(1)")
            page.mouse.up()
            page.wait_for_function(HEARD_ANEW)
            heard_ms.append(page.evaluate(HEARD_AFTER))
            page.keyboard.press("Control+z")
        page.keyboard.press("Space")
    frames = np.array(frames_ms)
    line(
        "dragging a loupe: frame times",
        f"median {np.median(frames):.1f}, {np.sum(frames > 50)} of {frames.size} over 50 ms",
        "drawn within a frame",
    )
    line("from letting go to hearing it", f"median {np.median(heard_ms):.0f}, worst {max(heard_ms):.0f} ms", "500 ms")


def bench_nudge(folder: Path) -> None:
    """From an arrow key to hearing the recording a millisecond later, while playing; needs a served demo."""
    heard_ms: list[float] = []
    with chromium() as browser:
        page = new_page(browser, bypass_csp=True)
        if not on_the_bench(page, "a nudge, until it is heard"):
            return
        page.evaluate(HEARD)
        page.keyboard.press("Space")
        for k in range(24):
            page.wait_for_timeout(1200)
            page.keyboard.press("ArrowLeft" if k % 2 else "ArrowRight")
            page.wait_for_function(HEARD_ANEW)
            heard_ms.append(page.evaluate(HEARD_AFTER))
        page.keyboard.press("Space")
    told = f"median {np.median(heard_ms):.0f}, longest {max(heard_ms):.0f} ms"
    line("a nudge, until it is heard", told, "200 ms")
