import unittest

import numpy as np

from gullywind.core.measure.doubling import DoublingKind, measure_doubling
from gullywind.core.sound.views import Listening
from tests.signals import RATE_HZ, busy, clocked, source

EVENT = busy(12.0, 740)


def listening(sound: np.ndarray) -> Listening:
    return Listening(source(sound), (0,))


class DoublingTest(unittest.TestCase):
    def heard(self, lag_s: float, seed: int, snr_db: float = 10.0) -> tuple[Listening, Listening]:
        """The event and the same later, each in noise of its own."""
        rng = np.random.default_rng(seed)
        late = clocked(EVENT, -lag_s, 1.0, 12.0)
        noisy = [
            sound + rng.standard_normal(sound.size) * np.std(sound) * 10 ** (-snr_db / 20) for sound in (EVENT, late)
        ]
        return listening(noisy[0]), listening(noisy[1])

    def test_lags_of_0_to_60_ms_in_noise_at_10_db(self):
        for k, lag_ms in enumerate((0.0, 0.03, -0.31, 1.7, -4.9, 7.5, 12.0, -25.0, 41.3, 60.0)):
            with self.subTest(lag_ms=lag_ms):
                found = measure_doubling(*self.heard(lag_ms / 1e3, k), 6.0)
                off_ms = abs(found.lag_s * 1e3 - lag_ms)
                self.assertLess(off_ms, 0.1 if abs(lag_ms) < 5 else 0.02 * abs(lag_ms))

    def test_what_an_ear_makes_of_them(self):
        kinds = {
            0.02: DoublingKind.IN_STEP,
            3.0: DoublingKind.COMBED,
            -20.0: DoublingKind.THICK,
            45.0: DoublingKind.ECHO,
        }
        for lag_ms, kind in kinds.items():
            found = measure_doubling(*self.heard(lag_ms / 1e3, 9, 40.0), 6.0)
            self.assertIs(found.kind, kind)
        self.assertAlmostEqual(measure_doubling(*self.heard(0.002, 9, 40.0), 6.0).notch_hz, 250.0, delta=1.0)

    def test_strangers_and_silence_say_nothing(self):
        stranger, silence = listening(busy(12.0, 741)), listening(np.zeros(12 * RATE_HZ))
        self.assertIsNone(measure_doubling(listening(EVENT), stranger, 6.0))
        self.assertIsNone(measure_doubling(listening(EVENT), silence, 6.0))
