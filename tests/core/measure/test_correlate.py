import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gullywind.core.measure.correlate import SegmentPlan, local_agreement, measure_window, segment_size, working_rate_hz
from gullywind.core.measure.segments import grid_centres_s
from gullywind.core.sound.views import listening_views
from tests.signals import RATE_HZ, busy, clocked, in_room, source, with_noise

EVENT = busy(12.0, 51)
SIZE = 16384


def view(sound, rate_hz=RATE_HZ):
    return listening_views(source(sound, rate_hz))[0]


def lag(reference, recording, rate=1.0, most_lag_s=0.05):
    t_ref = grid_centres_s(30, 9, SIZE, working_rate_hz(reference, recording))
    plan = SegmentPlan(t_ref, rate * t_ref, 30)
    return measure_window(reference, recording, plan, size=SIZE, most_lag_s=most_lag_s)


class CorrelateTest(unittest.TestCase):
    @settings(deadline=None, max_examples=15)
    @given(st.floats(-0.04, 0.04))
    def test_delays_are_found_to_a_hundredth_of_a_microsecond(self, delay_s):
        found = lag(view(EVENT), view(clocked(EVENT, -delay_s, 1.0, 12.0)))
        self.assertAlmostEqual(found.lag_s, delay_s, delta=2e-8)
        # What the windows of a segment do not share at a lag, they cannot agree on.
        self.assertGreater(found.agreement, 0.995 - (delay_s * RATE_HZ / SIZE) ** 2)

    def test_noise_and_a_room_cost_microseconds_not_milliseconds(self):
        for snr_db in (20.0, 5.0, 0.0):
            heard = with_noise(in_room(EVENT, 9), snr_db, 4)
            found = lag(view(EVENT), view(clocked(heard, -0.0031234, 1.0, 12.0)))
            self.assertAlmostEqual(found.lag_s, 0.0031234, delta=4e-5)
            self.assertGreater(found.quality, 8)

    def test_an_inverted_recording_is_told(self):
        found = lag(view(EVENT), view(-clocked(EVENT, -0.001, 1.0, 12.0)))
        self.assertEqual(found.polarity, -1)
        self.assertAlmostEqual(found.lag_s, 0.001, delta=1e-6)

    def test_a_clock_in_the_plan_does_not_bias_the_lag(self):
        rate = 1.0003
        taken = view(clocked(EVENT, 0.0, rate, 12.0))
        # Within a segment 300 ppm are 100 µs: what is left of them is a hundredth.
        self.assertAlmostEqual(lag(view(EVENT), taken, rate).lag_s, 0.0, delta=2e-6)

    def test_other_sample_rates_meet_at_the_lower_one(self):
        low = view(clocked(EVENT, -0.002, 1.0, 12.0, 32000), 32000)
        self.assertEqual(working_rate_hz(view(EVENT), low), 32000)
        self.assertAlmostEqual(lag(view(EVENT), low).lag_s, 0.002, delta=2e-6)

    def test_strangers_have_no_quality(self):
        qualities = [lag(view(EVENT), view(busy(12.0, seed))).quality for seed in range(60, 72)]
        self.assertLess(float(np.median(qualities)), 6.5)

    def test_silence_gives_nothing(self):
        self.assertIsNone(lag(view(EVENT), view(np.zeros(12 * RATE_HZ))))

    def test_segments_are_shorter_in_short_windows(self):
        self.assertEqual(segment_size(48000, 2.7), 16384)
        self.assertLess(segment_size(48000, 0.3), 8192)

    def test_agreement_tells_moment_by_moment_where_two_part(self):
        other = np.concatenate([EVENT[: 6 * RATE_HZ], busy(6.0, 77)])
        times = np.arange(1.0, 11.0, 0.1)
        agreement, loudness = local_agreement(view(EVENT), view(other), times, times, window_s=0.2)
        self.assertEqual(agreement.shape, loudness.shape)
        self.assertGreater(float(agreement[times < 5.7].mean()), 0.6)
        self.assertLess(abs(float(agreement[times > 6.3].mean())), 0.1)
