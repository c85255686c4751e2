import unittest

import numpy as np

from gullywind.core.measure.windows import Line
from gullywind.core.places.accumulate import accumulate, recording_grid, reference_grid
from gullywind.core.sound.views import Listening
from material.arrays import ArraySound
from material.devices import clocked
from tests.signals import RATE_HZ, busy


def view(sound: np.ndarray, rate_hz: int = RATE_HZ) -> Listening:
    return Listening(ArraySound(sound, rate_hz), (0,))


def weighed(event: np.ndarray, recording: np.ndarray, line: Line, *, rate_hz: int = RATE_HZ, most_windows: int = 64):
    reference = reference_grid(view(event))
    grid = recording_grid(view(recording, rate_hz), most_windows=most_windows)
    (found,) = accumulate(reference, grid, [line], most_windows=most_windows)
    return found


class AccumulateTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.event = busy(90.0, 61)
        cls.rng = np.random.default_rng(5)

    def noisy(self, sound: np.ndarray, snr_db: float) -> np.ndarray:
        level = float(np.std(sound)) * 10 ** (-snr_db / 20)
        return sound + self.rng.standard_normal(sound.size) * level

    def test_line_and_clock_are_found_near_a_rough_place(self):
        for offset_s, ppm, rate_hz in [(7.3217, 0.0, 48000), (11.04, 120.0, 48000), (3.5, -90.0, 44100)]:
            with self.subTest(offset_s=offset_s, ppm=ppm):
                rate = 1 + ppm * 1e-6
                taken = clocked(self.event, offset_s, rate, 60.0, rate_hz)
                found = weighed(self.event, taken, Line(offset_s + 0.03, 1.0), rate_hz=rate_hz)
                middle_s = offset_s + 30.0
                late_s = float(found.line.to_recording(np.array([middle_s]))[0]) - rate * (middle_s - offset_s)
                self.assertLess(abs(late_s), 0.0004)
                self.assertAlmostEqual((found.line.rate - rate) * 1e6, 0.0, delta=15.0)
                self.assertGreater(found.height, 40.0)

    def test_what_no_window_shows_stands_out_in_the_sum(self):
        taken = self.noisy(clocked(self.event, 12.0, 1.0, 70.0), -31.0)
        one = weighed(self.event, taken, Line(12.01, 1.0), most_windows=1)
        whole = weighed(self.event, taken, Line(12.01, 1.0))
        self.assertLess(one.height, 8.0)
        self.assertGreater(whole.height, 20.0)
        self.assertAlmostEqual(whole.line.offset_s, 12.0, delta=0.001)

    def test_strangers_stay_at_chance(self):
        other = busy(60.0, 62)
        heights = [weighed(self.event, other, Line(float(at), 1.0)).height for at in range(0, 30, 3)]
        self.assertLess(max(heights), 8.0)

    def test_hum_that_both_share_is_no_evidence(self):
        t = np.arange(60 * RATE_HZ) / RATE_HZ
        buzz = sum(np.sin(2 * np.pi * 50 * k * t + k) / np.sqrt(k) for k in range(1, 70))
        one, other = (buzz + 0.3 * self.rng.standard_normal(buzz.size) for _ in range(2))
        self.assertLess(weighed(one, other, Line(0.0, 1.0)).height, 8.0)

    def test_an_inverted_recording_counts_as_much(self):
        taken = clocked(self.event, 5.0, 1.0, 40.0)
        upright, inverted = (weighed(self.event, sign * taken, Line(5.0, 1.0)) for sign in (1, -1))
        self.assertAlmostEqual(upright.height, inverted.height, places=3)

    def test_several_lines_say_what_each_says_alone(self):
        taken = self.noisy(clocked(self.event, 9.0, 1.0, 50.0), -10.0)
        taken[: 8 * RATE_HZ] = 0.0
        lines = [Line(9.0, 1.0), Line(500.0, 1.0), Line(40.0, 1.0), Line(-30.0, 1.0)]
        grids = reference_grid(view(self.event)), recording_grid(view(taken), most_windows=64)
        together = accumulate(*grids, lines, most_windows=64)
        alone = [weighed(self.event, taken, line) for line in lines]
        for one, other in zip(together, alone, strict=True):
            self.assertEqual(one is None, other is None)
            if one and other:
                self.assertAlmostEqual(one.height, other.height, places=3)
                self.assertEqual(one.line, other.line)
        self.assertEqual(max(range(4), key=lambda i: together[i].height if together[i] else 0.0), 0)

    def test_silence_and_no_overlap_say_nothing(self):
        self.assertIsNone(weighed(self.event, np.zeros(20 * RATE_HZ), Line(5.0, 1.0)))
        self.assertIsNone(weighed(self.event, busy(20.0, 63), Line(500.0, 1.0)))
        self.assertIsNone(weighed(self.event, busy(0.5, 63), Line(5.0, 1.0)))
