"""The picture beside the bench: the frame that is shown is compared with the sound that leaves the browser."""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.interface.sound import RECORDER, position, taken
from tests.pictures import BITS, numbered_video
from tests.signals import RATE_HZ, busy, clocked

EVENT = busy(45.0, 730)
OFFSET_S, CLOCK, FRAME_S = 4.3, 1.0003, 0.04
#: Reads the number in the bars of whatever shows the picture, with the sound of that moment and its way to the ear.
LOOK = f"""() => {{
  const shown = document.querySelector('[data-testid=picture] video, [data-testid=picture] canvas')
  const copy = document.createElement('canvas')
  ;[copy.width, copy.height] = [{BITS * 16}, 108]
  const context = copy.getContext('2d')
  context.drawImage(shown, 0, 0, copy.width, copy.height)
  let number = 0
  for (let k = 0; k < {BITS}; k++)
    number = number * 2 + Number(context.getImageData(k * 16 + 8, 54, 1, 1).data[0] > 127)
  return {{ number, heard: window.takeHeard(128), lagS: window.lagOfSound() }}
}}"""
LAG = """
const made = []
const Context = window.AudioContext
window.AudioContext = class extends Context { constructor(...rest) { super(...rest); made.push(this) } }
window.lagOfSound = () => {
  const context = made.at(-1)
  const { contextTime, performanceTime } = context.getOutputTimestamp()
  return contextTime > 0 ? context.currentTime - contextTime - (performance.now() - performanceTime) / 1000 : 0
}
"""


class PictureTest(InterfaceTest):
    # What is heard is taken from the audio graph by a script of the test's own.
    bypass_csp = True

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        camera = clocked(EVENT, OFFSET_S, CLOCK, 38.0)
        # The second one is none that a browser plays: its frames come from the server.
        codecs = {"Camera.mp4": ("libx264", "aac"), "Old camera.avi": ("mpeg4", "pcm_s16le")}
        videos = {
            name: numbered_video(
                folder / name, camera, sample_rate_hz=RATE_HZ, codec=one, sound_codec=other
            ).read_bytes()
            for name, (one, other) in codecs.items()
        }
        # A phone's frames are not even: halved in low light, and never quite when they should be.
        lengths = np.where(np.arange(600) % 200 < 100, 40, 75) + np.random.default_rng(731).integers(-8, 9, 600)
        begins_s = cls.begins_s = np.concatenate([[0.0], np.cumsum(lengths)[:-1]]) / 1000
        phone = numbered_video(folder / "Phone.mp4", camera, begins_s=begins_s, sample_rate_hz=RATE_HZ)
        videos["Phone.mp4"] = phone.read_bytes()
        page = cls.page
        page.add_init_script(LAG + RECORDER)
        page.goto(cls.url)
        cls.start_project("Pictures")
        cls.bring_in({"Desk.wav": wav_bytes(EVENT), **videos})
        page.get_by_test_id("recording-row").filter(has_text="Desk").get_by_role(
            "button", name="Make it the reference"
        ).click()
        page.get_by_role("button", name="Find the place of 3").click()
        expect(page.get_by_text("all looked for")).to_be_visible(timeout=60_000)
        cls.overview = page.url

    def row(self, name: str):
        return self.page.get_by_test_id("recording-row").filter(
            has=self.page.get_by_role("link", name=name, exact=True)
        )

    def open(self, name: str) -> None:
        self.page.goto(self.overview)
        self.row(name).get_by_role("link").click()
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)
        expect(self.page.get_by_test_id("picture")).to_have_count(1)
        self.page.wait_for_function("(document.querySelector('[data-testid=picture] video')?.readyState ?? 4) >= 2")

    def seek(self, time_s: float) -> None:
        mirror = self.page.get_by_test_id("mirror")
        box, per_px = mirror.bounding_box(), float(mirror.get_attribute("data-seconds-per-px"))
        self.page.mouse.click(box["x"] + (time_s - float(mirror.get_attribute("data-start-s"))) / per_px, box["y"] + 6)

    #: The moment that the page tells, s.
    PLAYHEAD = """() => {
      const [hours, minutes, seconds, frames] = document
        .querySelector('[data-testid=playhead]').textContent.split(':').map(Number)
      return hours * 3600 + minutes * 60 + seconds + frames / 25
    }"""

    #: The number alone.
    READ = LOOK.replace("heard: window.takeHeard(128), lagS: window.lagOfSound()", "ready: true")

    def playhead_s(self) -> float:
        return float(self.page.evaluate(self.PLAYHEAD))

    def off_s(self) -> float:
        """How far the middle of the frame that is shown lies from the moment that is heard, s."""
        seen = self.page.evaluate(LOOK)
        left, _ = taken(seen["heard"])
        t_ref = (position(left, EVENT) + left.size) / RATE_HZ - seen["lagS"]
        return (seen["number"] + 0.5) * FRAME_S - CLOCK * (t_ref - OFFSET_S)

    def in_step(self) -> None:
        for start_s in (6.0, 18.0, 30.0):
            self.seek(start_s)
            self.page.keyboard.press("1")
            self.page.keyboard.press("Space")
            # From where it sounds on; on a busy machine it takes a moment until it does.
            self.page.wait_for_function(f"({self.PLAYHEAD})() > {start_s + 0.5}")
            off_s = []
            for _ in range(5):
                self.page.evaluate("window.takeHeard(0)")
                self.page.wait_for_function("window.heard.length >= 140")
                off_s.append(self.off_s())
            self.page.keyboard.press("Space")
            self.page.evaluate("window.takeHeard(0)")
            with self.subTest(start_s=start_s):
                # Half a frame before its beginning or after its end, as the machine may be busy with other things.
                self.assertLess(float(np.median(np.abs(off_s))), FRAME_S, off_s)

    def rests_on(self, time_s: float) -> None:
        """The frame of the playhead is shown while nothing plays."""
        self.seek(time_s)
        expected = int(CLOCK * (self.playhead_s() - OFFSET_S) / FRAME_S)
        # The playhead is told in whole frames: either of two may be meant.
        self.page.wait_for_function(f"[{expected}, {expected + 1}].includes(({self.READ})().number)")

    def test_played_by_the_browser_it_is_in_step_at_start_middle_and_end(self):
        self.open("Camera")
        self.assertEqual(self.page.locator("[data-testid=picture] video").count(), 1)
        self.in_step()

    def test_drawn_from_frames_it_is_in_step_at_start_middle_and_end(self):
        self.open("Old camera")
        expect(self.page.locator("[data-testid=picture] canvas")).to_have_count(1)
        self.in_step()

    def test_at_rest_the_frame_of_the_playhead_is_shown(self):
        for name in ("Camera", "Old camera"):
            self.open(name)
            for time_s in (30.0, 5.0, 40.0):
                with self.subTest(name=name, time_s=time_s):
                    self.rests_on(time_s)

    def test_a_step_is_one_frame_and_its_sound(self):
        self.open("Camera")
        self.rests_on(20.0)
        self.step((".", 1), (".", 2), (",", 1))

    def test_a_step_is_one_frame_where_frames_are_not_even(self):
        with self.page.expect_response("**/frame-times") as times:
            self.open("Phone")
        times.value.finished()
        self.seek(15.0)
        # That frame has come: the playhead is told in whole frames, so it may be one of its neighbours.
        expected = int(np.searchsorted(self.begins_s, CLOCK * (self.playhead_s() - OFFSET_S), side="right")) - 1
        self.page.wait_for_function(f"Math.abs(({self.READ})().number - {expected}) <= 1")
        self.step(*[(".", n) for n in range(1, 9)], *[(",", n) for n in (7, 6, 5)])

    def step(self, *moves: tuple[str, int]) -> None:
        """By keys; after each so many frames from where it was."""
        number = self.page.evaluate(self.READ)["number"]
        for key, by in moves:
            self.page.keyboard.press(key)
            self.page.wait_for_function(f"({self.READ})().number === {number + by}")
            expect(self.page.get_by_role("button", name="Play (space)")).to_be_visible()

    def test_where_it_has_no_picture_it_says_so_and_its_size_is_remembered(self):
        self.open("Camera")
        self.seek(1.0)
        expect(self.page.get_by_test_id("picture")).to_contain_text("no picture at this moment")
        self.page.get_by_role("button", name="Beside the mirror").click()
        width = self.page.get_by_test_id("picture").bounding_box()["width"]
        self.assertGreater(width, 400)
        self.page.keyboard.press("Shift+P")
        self.assertGreater(self.page.get_by_test_id("picture").bounding_box()["width"], 1100)
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)
        self.open("Old camera")
        self.assertEqual(self.page.get_by_test_id("picture").bounding_box()["width"], width)
        self.page.get_by_role("button", name="Put it away").click()
        expect(self.page.get_by_test_id("picture")).to_have_count(0)
        self.page.get_by_role("button", name="Show the picture").click()
        expect(self.page.get_by_test_id("picture")).to_have_count(1)
