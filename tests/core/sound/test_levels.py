import unittest

import numpy as np

from gullywind.core.sound.levels import Matched, matched_gain
from gullywind.core.sound.true_peak import TruePeakMeter
from tests.signals import RATE_HZ, busy


def true_peak(sound: np.ndarray, block: int = 10000) -> float | None:
    meter = TruePeakMeter()
    for start in range(0, sound.size, block):
        meter.push(sound[None, start : start + block].astype(np.float32))
    return meter.finish()


class LevelsTest(unittest.TestCase):
    def test_a_peak_between_samples_is_seen(self):
        # A quarter of the sample rate, sampled halfway between its peaks: 3 dB lie between the samples.
        sine = 0.5 * np.sin(np.pi / 2 * np.arange(RATE_HZ) + np.pi / 4)
        self.assertAlmostEqual(20 * np.log10(np.abs(sine).max()), -9.03, delta=0.01)
        self.assertAlmostEqual(true_peak(sine), -6.02, delta=0.1)

    def test_it_is_the_same_however_the_sound_comes(self):
        sound = busy(3.0, 5)
        self.assertAlmostEqual(true_peak(sound, 777), true_peak(sound, RATE_HZ), delta=0.02)
        self.assertIsNone(true_peak(np.zeros(5000)))

    def test_gain_stops_where_the_peak_would_go_over_the_limit(self):
        self.assertEqual(matched_gain(-30, -20, target_lufs=-23, limit_dbtp=-1), Matched(7))
        found = matched_gain(-30, -6, target_lufs=-23, limit_dbtp=-1)
        self.assertAlmostEqual(found.gain_db, 4.9, delta=1e-9)
        self.assertAlmostEqual(found.limited_db, 2.1, delta=1e-9)
