"""Delay and polarity between the microphones of one recorder."""

import unittest

import numpy as np
from scipy.ndimage import shift

from gullywind.core.measure.inside_set import measure_inside
from gullywind.core.sound.views import Listening
from tests.signals import RATE_HZ, busy, source

LATE_S = 0.00147


def view(sound: np.ndarray) -> Listening:
    return Listening(source(sound), (0,))


class InsideSetTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.sound = busy(40.0, seed=5)
        cls.hiss = np.random.default_rng(6).standard_normal((3, cls.sound.size)) * 0.02 * cls.sound.std()

    def test_the_way_through_air_and_the_polarity_are_found(self) -> None:
        far = -0.7 * shift(self.sound, LATE_S * RATE_HZ, order=5)
        found = measure_inside(view(self.sound + self.hiss[0]), view(far + self.hiss[1]), 0.0)
        assert found is not None
        self.assertAlmostEqual(found.late_s, LATE_S, delta=2e-6)
        self.assertEqual(found.polarity, -1)
        self.assertGreaterEqual(found.windows, 10)

    def test_one_that_begins_later_is_compared_where_both_run(self) -> None:
        later = self.sound[5 * RATE_HZ :] + self.hiss[1, 5 * RATE_HZ :]
        found = measure_inside(view(self.sound + self.hiss[0]), view(later), 5.0)
        assert found is not None
        self.assertAlmostEqual(found.late_s, 0.0, delta=1e-6)
        self.assertEqual(found.polarity, 1)

    def test_nothing_is_said_of_what_has_nothing_in_common(self) -> None:
        stranger = busy(40.0, seed=77)
        self.assertIsNone(measure_inside(view(self.sound), view(stranger), 0.0))

    def test_nor_of_parts_that_follow_each_other(self) -> None:
        self.assertIsNone(measure_inside(view(self.sound), view(self.sound), 40.0))
