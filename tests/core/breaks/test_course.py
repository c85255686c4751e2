import unittest

import numpy as np

from gullywind.core.breaks.course import Leg, likelier_legs, rough_course
from gullywind.core.features.extract import listen
from gullywind.core.measure.windows import Line
from tests.signals import RATE_HZ, busy, source


def features(sound):
    return listen(source(sound))[0].features


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


class StretchesTest(unittest.TestCase):
    """A loop to the sample, and ever other sound of a tenth of its power: in 8 s every turn of the loop looks alike."""

    @classmethod
    def setUpClass(cls):
        cls.event = np.tile(busy(2.5, 95), 96) + busy(240.0, 96) * 0.3
        cls.reference = features(cls.event)
        parts = cls.event[10 * RATE_HZ : 120 * RATE_HZ], cls.event[125 * RATE_HZ : 210 * RATE_HZ]
        cls.paused = features(np.concatenate(parts))

    def test_half_a_recording_as_a_whole_lies_elsewhere(self):
        line = Line(10.0, 1.0)
        legs = likelier_legs(self.reference, self.paused, line, [Leg(0.0, 195.0, 0.0)])
        second = [leg for leg in legs if leg.start_s > 90.0]
        self.assertAlmostEqual(second[0].jump_s, 5.0, delta=0.03)
        self.assertFalse([leg for leg in legs if leg.end_s < 90.0])

    def test_what_is_known_is_not_proposed_again(self):
        known = [Leg(0.0, 110.0, 0.0), Leg(110.0, 195.0, 5.0)]
        self.assertEqual(likelier_legs(self.reference, self.paused, Line(10.0, 1.0), known), [])
