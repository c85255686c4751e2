import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gullywind.core.bending.match import follow_performance
from gullywind.core.bending.slips import evened, without_slips
from gullywind.core.features.performance import hear_performance
from gullywind.core.sound.views import Listening
from material.arrays import ArraySound
from material.performances import music_pair

HOP_S = 0.02


class EvenedTest(unittest.TestCase):
    @given(at_s=st.floats(4.0, 24.0), beat_s=st.floats(0.2, 1.0), speed=st.floats(0.8, 1.25), late_s=st.floats(-3, 3))
    @settings(deadline=None)
    def test_what_leaves_the_course_and_comes_back_is_gone(self, at_s, beat_s, speed, late_s):
        t_ref = np.arange(0.0, 30.0, 0.04)
        true = speed * t_ref + late_s + 0.05 * np.sin(t_ref / 3)
        slipped = true + np.where((t_ref > at_s) & (t_ref < at_s + 2.0), beat_s, 0.0)
        near, straight = evened(t_ref, slipped)
        self.assertLess(np.abs(near - true).max(), 0.12)
        self.assertLess(np.abs(straight - true).max(), 0.12)

    def test_a_jump_that_stays_is_kept_by_one_and_left_by_the_other(self):
        t_ref = np.arange(0.0, 40.0, 0.04)
        jumped = t_ref + np.where(t_ref > 30.0, 0.6, 0.0)
        near, straight = evened(t_ref, jumped)
        self.assertLess(np.abs(near - jumped).max(), 0.1)
        self.assertLess(np.abs(straight - t_ref).max(), 0.1)

    def test_a_single_moment_has_no_course(self):
        self.assertEqual(evened(np.array([1.0]), np.array([2.0])), ())


class WithoutSlipsTest(unittest.TestCase):
    def setUp(self):
        self.even = np.arange(0.0, 10.0, HOP_S)
        self.known = self.even > 1.0
        self.course = self.even + np.where((self.even > 3) & (self.even < 5), 0.5, 0.0)

    def chosen(self, distance, even_distance):
        ones = np.ones(self.even.size)
        return without_slips(HOP_S, self.known, self.course, distance * ones, self.even, even_distance * ones)

    def test_the_even_one_where_it_is_as_near(self):
        t_rec, distance = self.chosen(0.5, 0.5)
        np.testing.assert_allclose(t_rec, self.even)
        self.assertEqual(float(distance.max()), 0.5)

    def test_the_course_where_it_is_nearer(self):
        np.testing.assert_array_equal(self.chosen(0.4, 0.5)[0], self.course)

    def test_what_is_apart_throughout_or_lies_before_the_passage_is_no_slip(self):
        self.course = self.even + np.where(self.even > 4, 0.5, 0.0)
        np.testing.assert_array_equal(self.chosen(0.5, 0.5)[0], self.course)
        self.course = self.even + np.where(self.even < 0.5, 0.5, 0.0)
        np.testing.assert_array_equal(self.chosen(0.5, 0.5)[0], self.course)

    def test_what_lies_outside_of_the_recording_says_nothing(self):
        np.testing.assert_array_equal(self.chosen(-1.0, 0.1)[0], self.course)


class DrumsTest(unittest.TestCase):
    def test_a_tune_with_drums_is_not_taken_for_its_next_beat(self):
        case = music_pair(4002, "plucked", "drums")
        sounds = (case.reference, case.recording)
        found = follow_performance(*(hear_performance(Listening(ArraySound(one, 48000), (0,))) for one in sounds))
        off_ms = np.abs(found.course.at(case.t_ref) - case.t_rec) * 1e3
        self.assertLess(np.percentile(off_ms, 95), 40.0)
        self.assertLess(np.median(off_ms), 5.0)


if __name__ == "__main__":
    unittest.main()
