"""What cancels, against its computed value."""

import unittest

import numpy as np

from gullywind.core.measure.difference import MOST_CANCELLED_DB, measure_difference

RNG = np.random.default_rng(17)
SOUND, HISS = RNG.standard_normal((2, 48000)), RNG.standard_normal((2, 48000))


class DifferenceTest(unittest.TestCase):
    def test_what_noise_leaves_is_told_to_half_a_decibel(self) -> None:
        for snr_db in (0.0, 10.0, 30.0):
            noisy = 0.25 * (SOUND + HISS * 10 ** (-snr_db / 20))
            found = measure_difference(SOUND, noisy)
            assert found is not None
            ratio = 10 ** (snr_db / 10)
            self.assertAlmostEqual(found.cancelled_db, 10 * np.log10(1 + ratio), delta=0.5)
            self.assertAlmostEqual(found.gain, 4 * ratio / (1 + ratio), delta=0.05)

    def test_copies_cancel_whatever_their_level_and_polarity(self) -> None:
        found = measure_difference(SOUND, -3 * SOUND)
        assert found is not None
        self.assertAlmostEqual(found.gain, -1 / 3, delta=1e-9)
        self.assertEqual(found.cancelled_db, MOST_CANCELLED_DB)

    def test_one_channel_stands_for_both(self) -> None:
        found = measure_difference(np.stack([SOUND[0], SOUND[0]]), SOUND[:1])
        assert found is not None
        self.assertAlmostEqual(found.gain, 1.0, delta=1e-9)

    def test_silence_has_none(self) -> None:
        self.assertIsNone(measure_difference(SOUND, np.zeros_like(SOUND)))
        self.assertIsNone(measure_difference(np.zeros_like(SOUND), SOUND))
