import unittest

import numpy as np

from gullywind.core.breaks.stray_windows import may_be_broken
from gullywind.core.measure.windows import Line, lay_windows, measure_all
from gullywind.core.places.verify import FINE_LAG_S
from gullywind.core.sound.views import listening_views
from tests.signals import RATE_HZ, busy, source

LENGTH_S, WINDOW_S = 150.0, 1.4
EVENT = busy(LENGTH_S + 10, 81)


def judged(recording: np.ndarray) -> bool:
    """Whether the recording, which should begin with the reference, may be broken."""
    ref, rec = (listening_views(source(sound))[0] for sound in (EVENT[: int(LENGTH_S * RATE_HZ)], recording))
    line = Line(0.0, 1.0)
    layout = lay_windows(0.0, min(LENGTH_S, rec.duration_s), count=11, window_s=WINDOW_S)
    lags = measure_all(ref, rec, line, layout, most_lag_s=FINE_LAG_S)
    return may_be_broken(ref, rec, line, lags, window_s=WINDOW_S)


def replaced(start_s: float, end_s: float, by: np.ndarray) -> np.ndarray:
    """The event with a stretch of it replaced."""
    heard = EVENT[: int(LENGTH_S * RATE_HZ)].copy()
    start, end = int(start_s * RATE_HZ), int(end_s * RATE_HZ)
    heard[start:end] = by[: end - start]
    return heard


class MayBeBrokenTest(unittest.TestCase):
    def test_where_all_agrees_nothing_is_broken(self):
        self.assertFalse(judged(EVENT[: int(LENGTH_S * RATE_HZ)]))

    def test_a_cough_or_a_pause_is_no_break(self):
        # 75 s lies in the middle of a window; 0 and 150 s are the edges.
        for start_s, end_s in [(73.0, 77.0), (70.5, 79.5), (0.0, 2.5), (147.5, 150.0)]:
            with self.subTest(start_s=start_s):
                self.assertFalse(judged(replaced(start_s, end_s, busy(20.0, 82))))

    def test_a_pause_at_any_time_is_asked_further(self):
        for at_s in (6.0, 40.0, 75.0, 120.0, 141.0):
            # The recorder lost three seconds: all that follows comes early.
            cut = int(at_s * RATE_HZ)
            with self.subTest(at_s=at_s):
                self.assertTrue(judged(np.concatenate([EVENT[:cut], EVENT[cut + 3 * RATE_HZ :]])))

    def test_a_long_stretch_from_elsewhere_is_asked_further(self):
        self.assertTrue(judged(replaced(64.0, 86.0, busy(30.0, 83))))

    def test_jumps_of_twenty_milliseconds_count(self):
        cut, lost = 100 * RATE_HZ, RATE_HZ // 50
        self.assertTrue(judged(np.concatenate([EVENT[:cut], EVENT[cut + lost :]])))


if __name__ == "__main__":
    unittest.main()
