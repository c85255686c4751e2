import unittest

import numpy as np

from gullywind.core.course import rough_course
from gullywind.core.features.extract import listen
from gullywind.core.sound import listening_views
from gullywind.core.windows import Line
from tests.signals import RATE_HZ, busy, source


def features(sound):
    return listen(listening_views(source(sound))[:1])[0].features


class CourseTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.event = busy(240.0, 93)
        cls.reference = features(cls.event)

    def course(self, *spans):
        parts = [self.event[int(a * RATE_HZ) : int(b * RATE_HZ)] for a, b in spans]
        return rough_course(self.reference, features(np.concatenate(parts)), Line(spans[0][0], 1.0))

    def test_an_unbroken_recording_is_one_leg(self):
        legs = self.course((10.0, 130.0))
        self.assertEqual([(leg.start_s, leg.jump_s) for leg in legs], [(0.0, 0.0)])
        self.assertAlmostEqual(legs[0].end_s, 120.0, delta=0.1)

    def test_pauses_that_add_up_to_more_than_a_minute_are_followed(self):
        legs = self.course((10.0, 40.0), (70.0, 100.0), (130.0, 160.0), (190.0, 220.0))
        self.assertEqual(len(legs), 4)
        np.testing.assert_allclose([leg.jump_s for leg in legs], [0, 30, 60, 90], atol=0.03)
        np.testing.assert_allclose([leg.start_s for leg in legs], [0, 30, 60, 90], atol=5.0)

    def test_what_was_recorded_twice_jumps_back(self):
        legs = self.course((10.0, 60.0), (55.0, 110.0))
        np.testing.assert_allclose([leg.jump_s for leg in legs], [0, -5], atol=0.03)

    def test_a_short_reference_is_no_reason_to_jump(self):
        short = features(self.event[: 60 * RATE_HZ])
        legs = rough_course(short, features(self.event[5 * RATE_HZ : 55 * RATE_HZ]), Line(5.0, 1.0))
        self.assertEqual([leg.jump_s for leg in legs], [0.0])
