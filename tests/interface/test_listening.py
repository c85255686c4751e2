"""What is heard: samples are taken from the browser's output and compared with the files, sample by sample."""

import unittest

import numpy as np
from playwright.sync_api import expect
from scipy.signal import butter, sosfiltfilt

from tests.files import wav_bytes
from tests.interface.server import InterfaceTest
from tests.interface.sound import RECORDER, hear, position
from tests.signals import RATE_HZ, busy, clocked

OFFSET_S = 8.25
#: A file of one channel, in the middle: half its power on either side.
MIDDLE = np.sqrt(0.5)
#: What the simulated recorder leaves as it was.
LOW_PASS = butter(8, 15000, fs=RATE_HZ, output="sos")


class ListeningTest(InterfaceTest):
    # What is heard is taken from the audio graph by a script of the test's own.
    bypass_csp = True

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.event = busy(40.0, 77)
        page = cls.page
        page.add_init_script(RECORDER)
        page.goto(cls.url)
        cls.start_project("Two microphones")
        camera = clocked(cls.event, OFFSET_S, 1.00004, 25.0)
        cls.bring_in({"Desk.wav": wav_bytes(cls.event), "Camera.wav": wav_bytes(camera)})
        row = page.get_by_test_id("recording-row")
        row.filter(has_text="Desk").get_by_role("button", name="Make it the reference").click()
        page.get_by_role("button", name="Find the place of 1").click()
        expect(row.filter(has_text="Camera")).to_have_attribute("data-status", "placed")
        page.get_by_role("link", name="Camera").click()
        expect(page.get_by_test_id("loupe")).to_have_count(3)
        cls.bench = page.url

    def setUp(self):
        super().setUp()
        self.page.goto(self.bench)
        expect(self.page.get_by_test_id("loupe")).to_have_count(3)

    def play(self, way: str) -> None:
        self.page.keyboard.press(way)
        self.page.keyboard.press("Space")

    def tearDown(self):
        if self.page.get_by_role("button", name="Stop (space)").count():
            self.page.keyboard.press("Space")
        super().tearDown()

    def hear(self) -> tuple[np.ndarray, np.ndarray]:
        return hear(self.page)

    def seek(self, time_s: float) -> None:
        """A click on the axis; whatever was chosen before is let go."""
        mirror = self.page.get_by_test_id("mirror")
        box, per_px = mirror.bounding_box(), float(mirror.get_attribute("data-seconds-per-px"))
        self.page.mouse.click(box["x"] + (time_s - float(mirror.get_attribute("data-start-s"))) / per_px, box["y"] + 6)

    def test_one_in_each_ear_is_in_step_to_the_sample(self):
        self.seek(12.0)
        self.play("4")
        self.hear()  # the change of level has settled after this
        left, right = self.hear()
        at = position(left, self.event)
        self.assertGreater(at, 12.0 * RATE_HZ)
        expected = self.event[at : at + left.size]
        # The reference as it is in its file of 24 bits.
        self.assertLess(float(np.abs(left - expected).max()), 2e-6)
        # The recording through its map: in step, clock and fraction of a sample included.
        self.assertEqual(position(right, self.event), at)
        away = sosfiltfilt(LOW_PASS, right - expected)[1000:-1000]
        self.assertLess(float(np.abs(away).max()), 1e-3 * float(np.abs(expected).max()))

    def test_chunks_join_without_a_seam(self):
        self.seek(4.0)
        self.play("1")
        self.hear()
        start = position(self.hear()[0], self.event)
        # Chunks of 0.5 and 2 s: this lies beyond two seams, and each block begins where the audio clock says.
        for _ in range(5):
            left, _ = self.hear()
            at = position(left, self.event)
            self.assertGreater(at, start)
            self.assertLess(float(np.abs(left - MIDDLE * self.event[at : at + left.size]).max()), 2e-6)

    def test_a_nudge_while_playing_is_heard(self):
        self.seek(12.0)
        self.play("4")
        self.hear()
        left, right = self.hear()
        self.assertEqual(position(right, self.event), position(left, self.event))
        self.page.get_by_role("radio", name="10 ms").click()
        self.page.keyboard.press("ArrowRight")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("Set by hand: moved 10 ms later")
        for _ in range(8):
            left, right = self.hear()
            late = position(left, self.event) - position(right, self.event)
            if late:
                break
        self.assertEqual(late, RATE_HZ // 100)
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("left over")

    def test_the_sound_of_a_nudge_is_asked_for_before_all_that_is_drawn(self):
        self.play("4")
        self.hear()
        asked: list[str] = []
        self.page.on("request", lambda request: asked.append(request.url))
        with (
            self.page.expect_request(lambda request: "/changes?" in request.url),
            self.page.expect_response(lambda answer: answer.url.endswith("/map-edits")) as edited,
        ):
            self.page.keyboard.press("ArrowRight")
        heard = f"map_id={edited.value.json()['map']['id']}"
        first = next((one for one in asked if heard in one or "/changes?" in one), "")
        self.assertIn(heard, first)
        self.page.keyboard.press("Control+z")
        expect(self.page.get_by_test_id("sentence")).to_contain_text("left over")

    def test_a_selection_repeats_until_it_is_let_go(self):
        mirror = self.page.get_by_test_id("mirror")
        box = mirror.bounding_box()
        per_px, start_s = (float(mirror.get_attribute(name)) for name in ("data-seconds-per-px", "data-start-s"))
        x0, x1 = (box["x"] + (t - start_s) / per_px for t in (10.0, 11.0))
        self.page.mouse.move(x0, box["y"] + 6)
        self.page.mouse.down()
        self.page.mouse.move(x1, box["y"] + 6, steps=5)
        self.page.mouse.up()
        self.page.keyboard.press("l")
        repeats = self.page.get_by_role("button", name="repeats")
        expect(repeats).to_contain_text("repeats 1.0")
        self.play("1")
        self.hear()
        # Longer than the selection in all, yet never outside of it.
        for _ in range(4):
            left, _ = self.hear()
            half = left[: left.size // 2], left[left.size // 2 :]
            moments = [position(part, self.event) / RATE_HZ for part in half]
            self.assertTrue(all(9.9 <= moment <= 11.1 for moment in moments), moments)
        repeats.click()
        expect(repeats).to_have_count(0)

    def test_in_turns_each_is_heard_for_a_second(self):
        # The recording is half as loud, so that both can be told.
        gain = self.page.get_by_label("Gain, dB")
        gain.fill("-6")
        self.page.keyboard.press("Enter")
        expect(self.page.get_by_role("button", name="Undo: gain set to −6.0 dB")).to_be_visible()
        self.page.get_by_test_id("sentence").click()
        self.seek(12.0)
        self.play("5")
        self.hear()
        levels = {True: [], False: []}
        while not (levels[True] and levels[False]):
            left, _ = self.hear()
            at = position(left, self.event)
            expected = MIDDLE * self.event[at : at + left.size]
            for first in range(0, left.size - 4800, 4800):
                begin_s = (at + first) / RATE_HZ
                # Whole tenths of a second away from a change.
                if 0.1 < begin_s % 1 < 0.8:
                    part = slice(first, first + 4800)
                    ratio = np.linalg.norm(left[part]) / np.linalg.norm(expected[part])
                    levels[int(begin_s) % 2 == 0].append(ratio)
        np.testing.assert_allclose(levels[True], 1.0, atol=0.02)
        np.testing.assert_allclose(levels[False], 0.5, atol=0.03)
        self.page.keyboard.press("Space")
        self.page.keyboard.press("Control+z")
        expect(gain).to_have_value("0.0")

    def test_of_the_difference_little_is_left_and_it_is_said_how_much_cancels(self):
        self.seek(12.0)
        self.play("6")
        cancelled = self.page.get_by_test_id("cancelled")
        expect(cancelled).to_contain_text("dB of the reference cancel here")
        self.hear()
        left, _ = self.hear()
        level_db = 20 * np.log10(np.linalg.norm(left) / np.sqrt(left.size) / (MIDDLE * np.std(self.event)))
        told_db = float(cancelled.inner_text().split(" dB")[0])
        self.assertGreater(told_db, 20)
        self.assertAlmostEqual(-level_db, told_db, delta=3)

    def test_in_the_overview_each_has_its_own_level_and_position(self):
        page = self.page
        page.get_by_role("link", name="Two microphones").click()
        page.get_by_role("button", name="Mix").click()
        ruler = page.get_by_test_id("ruler")
        per_px, start_s = (float(ruler.get_attribute(name)) for name in ("data-seconds-per-px", "data-start-s"))
        ruler.click(position={"x": (12.0 - start_s) / per_px, "y": 10})
        page.get_by_role("radio", name="Without it").click()
        page.keyboard.press("Space")
        self.hear()
        left, right = self.hear()
        at = position(left, self.event)
        expected = self.event[at : at + left.size]
        self.assertAlmostEqual(float(left @ expected / (expected @ expected)), 1.0, delta=0.01)
        np.testing.assert_array_equal(left, right)
        page.get_by_label("Level of Camera, dB").fill("-20")
        page.get_by_label("Position of Camera").fill("1")
        for _ in range(8):
            left, right = self.hear()
            if np.abs(left).max() < 1e-6:
                break
        at = position(right, self.event)
        expected = self.event[at : at + right.size]
        self.assertLess(float(np.abs(left).max()), 1e-6)
        self.assertAlmostEqual(float(right @ expected / (expected @ expected)), 0.1 * np.sqrt(2), delta=0.002)
        page.get_by_role("button", name="Mute Camera").click()
        for _ in range(8):
            left, right = self.hear()
            if np.abs(right).max() < 1e-6:
                break
        self.assertLess(float(np.abs(right).max()), 1e-6)
        page.keyboard.press("Space")
        page.get_by_role("button", name="All plain").click()
        expect(page.get_by_role("button", name="All plain")).to_have_count(0)

    def test_the_gauge_tells_what_an_ear_makes_of_both(self):
        gauge = self.page.get_by_test_id("doubling")
        self.seek(12.0)
        expect(gauge).to_have_text("in step")
        self.page.get_by_role("radio", name="10 ms").click()
        self.page.get_by_test_id("sentence").click()
        self.page.keyboard.press("Shift+ArrowRight")
        expect(gauge).to_contain_text("nothing clearly alike here")
        self.page.keyboard.press("Control+z")
        self.page.get_by_role("radio", name="1 frame").click()
        self.page.get_by_test_id("sentence").click()
        self.page.keyboard.press("ArrowRight")
        expect(gauge).to_have_text("40 ms late: an echo; 14 m of air")
        self.page.keyboard.press("Control+z")
        expect(gauge).to_have_text("in step")

    def test_only_what_is_chosen_is_heard(self):
        # Before the recording begins there is the reference alone.
        self.play("2")
        self.hear()
        left, right = self.hear()
        self.assertLess(float(np.abs(left).max()), 1e-6)
        np.testing.assert_array_equal(left, right)
        self.page.keyboard.press("3")
        self.hear()
        left, right = self.hear()
        at = position(left, self.event)
        # Two that sound at once are to be as loud as one.
        np.testing.assert_allclose(left, MIDDLE * self.event[at : at + left.size] / np.sqrt(2), atol=2e-6)
        np.testing.assert_array_equal(left, right)


if __name__ == "__main__":
    unittest.main()
