import unittest

from scipy.signal import butter, sosfilt

from gullywind.core.measure.explained import explained_share
from gullywind.core.measure.windows import Line, lay_windows, measure_all
from gullywind.core.sound.views import listening_views
from tests.signals import RATE_HZ, busy, in_room, source, with_noise

EVENT = busy(20.0, 31)


def share(reference, recording):
    one, other = (listening_views(source(sound))[0] for sound in (reference, recording))
    lags = measure_all(one, other, Line(0.0, 1.0), lay_windows(0.0, 20.0, count=8, window_s=2.7), most_lag_s=0.006)
    return explained_share(lags)


def only(sound, low_hz, high_hz):
    return sosfilt(butter(4, [low_hz, high_hz], "bandpass", fs=RATE_HZ, output="sos"), sound)


class ExplainedShareTest(unittest.TestCase):
    def test_all_of_a_copy_and_nothing_of_a_stranger(self):
        self.assertAlmostEqual(share(EVENT, 0.1 * EVENT), 1.0, delta=1e-3)
        self.assertLess(share(EVENT, busy(20.0, 32)), 0.06)

    def test_as_much_as_is_not_noise(self):
        # In the middle of the stronger bands the event is some 9 dB above white noise of the same power.
        for snr_db, least, most in ((30.0, 0.99, 1.0), (0.0, 0.8, 0.95), (-10.0, 0.35, 0.55), (-20.0, 0.0, 0.15)):
            self.assertTrue(least <= share(EVENT, with_noise(EVENT, snr_db, 3)) <= most, snr_db)

    def test_a_room_takes_some(self):
        self.assertGreater(share(EVENT, in_room(EVENT, 4)), 0.6)

    def test_what_half_of_the_bands_lack_costs_nothing(self):
        self.assertGreater(share(EVENT, only(EVENT, 60, 2500)), 0.98)
        self.assertGreater(share(only(EVENT, 60, 2500), EVENT), 0.98)

    def test_a_shared_part_is_told_from_the_whole(self):
        drum, lead, other = busy(20.0, 33), busy(20.0, 34), busy(20.0, 35)
        self.assertLess(share(drum + lead, drum + other), 0.4)
        self.assertGreater(share(drum + lead, drum + lead), 0.99)
