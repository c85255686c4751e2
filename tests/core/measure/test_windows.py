import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.measure.windows import Line, lay_common_windows, lay_windows, measure_all, overlap_s
from gullywind.core.sound.views import listening_views
from tests.signals import RATE_HZ, busy, clocked, source


class WindowsTest(unittest.TestCase):
    @given(st.floats(0, 1000), st.floats(0.5, 5000), st.integers(2, 60), st.sampled_from([1.4, 2.7, 8.0]))
    def test_windows_lie_inside_and_reach_both_edges(self, start_s, length_s, count, window_s):
        layout = lay_windows(start_s, start_s + length_s, count=count, window_s=window_s)
        centres = np.array(layout.centres_s)
        self.assertGreaterEqual(centres.size, 2)
        self.assertLessEqual(layout.window_s, window_s)
        self.assertAlmostEqual(centres[0] - layout.window_s / 2, start_s, delta=1e-6)
        self.assertAlmostEqual(centres[-1] + layout.window_s / 2, start_s + length_s, delta=1e-6)
        self.assertLessEqual(centres.size, max(count, 2))

    @given(st.floats(0, 1000), st.floats(0.5, 5000), st.integers(2, 60), st.sampled_from([1.4, 2.7, 8.0]))
    def test_common_moments_reach_both_edges_without_a_hole(self, start_s, length_s, count, window_s):
        layout = lay_windows(start_s, start_s + length_s, count=count, window_s=window_s)
        common = lay_common_windows(start_s, start_s + length_s, count=count, window_s=window_s)
        self.assertEqual(common.window_s, layout.window_s)
        self.assertEqual((common.centres_s[0], common.centres_s[-1]), (layout.centres_s[0], layout.centres_s[-1]))
        spacing, steps = np.diff(layout.centres_s).max(), np.diff(common.centres_s)
        self.assertLessEqual(steps.max(), 1.5 * spacing + 1e-6)
        # No two say the same twice, and there are not many more than were asked for.
        self.assertGreaterEqual(steps.min(), 0.25 * spacing)
        self.assertLessEqual(len(common.centres_s), 2 * len(layout.centres_s))

    def test_long_overlaps_of_one_reference_share_their_moments(self):
        one, two = (
            lay_common_windows(start, end, count=24, window_s=1.4).centres_s[1:-1]
            for start, end in ((3.1, 400.0), (57.7, 440.3))
        )
        self.assertEqual(set(np.diff(one + two).round(6)) - {round(two[0] - one[-1], 6)}, {15.0})
        self.assertGreater(len(set(one) & set(two)), 20)

    def test_the_overlap_may_begin_before_and_end_after(self):
        ref, rec = (listening_views(source(np.zeros(n * RATE_HZ)))[0] for n in (60, 40))
        self.assertEqual(overlap_s(Line(-10.0, 1.0), ref, rec), (0.0, 30.0))
        self.assertEqual(overlap_s(Line(30.0, 1.0), ref, rec), (30.0, 60.0))
        start, end = overlap_s(Line(70.0, 1.0), ref, rec)
        self.assertGreaterEqual(start, end)

    def test_all_windows_are_measured_against_the_line(self):
        event = busy(30.0, 52)
        ref = listening_views(source(event))[0]
        rec = listening_views(source(clocked(event, 5.0, 1.00005, 20.0)))[0]
        layout = lay_windows(5.0, 25.0, count=6, window_s=2.7)
        lags = measure_all(ref, rec, Line(5.001, 1.00005), layout, most_lag_s=0.01)
        np.testing.assert_allclose([lag.lag_s for lag in lags], 1.00005 * 0.001, atol=1e-6)
        # Along a line of another rate the drift inside a window biases it: hence every line is measured twice.
        rough = measure_all(ref, rec, Line(5.001, 1.0), layout, most_lag_s=0.01)
        expected = [1.00005 * (lag.t_ref - 5.0) - (lag.t_ref - 5.001) for lag in rough]
        np.testing.assert_allclose([lag.lag_s for lag in rough], expected, atol=4e-5)

    def test_silent_windows_are_left_out(self):
        event = busy(30.0, 52)
        event[10 * RATE_HZ : 20 * RATE_HZ] = 0.0
        ref = listening_views(source(event))[0]
        layout = lay_windows(0.0, 30.0, count=9, window_s=2.7)
        lags = measure_all(ref, ref, Line(0.0, 1.0), layout, most_lag_s=0.01)
        self.assertLess(len(lags), len(layout.centres_s))
        self.assertTrue(all(not 12 < lag.t_ref < 18 for lag in lags))
