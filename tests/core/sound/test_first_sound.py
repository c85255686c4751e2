import unittest

import numpy as np

from gullywind.core.sound.first_sound import first_sound_s
from tests.signals import RATE_HZ, busy, source


class FirstSoundTest(unittest.TestCase):
    def test_it_is_told_to_a_millisecond_above_hiss(self):
        rng = np.random.default_rng(1)
        for begin_s in (0.4321, 25.5):
            sound = np.concatenate([np.zeros(round(begin_s * RATE_HZ)), busy(4.0, 2) + 0.2 * np.sign(busy(4.0, 2))])
            heard = first_sound_s(source(sound + 1e-4 * rng.standard_normal(sound.size)))
            self.assertAlmostEqual(heard, begin_s, delta=0.0015)

    def test_silence_has_none_and_what_is_loud_at_once_begins_at_once(self):
        self.assertIsNone(first_sound_s(source(np.zeros(RATE_HZ))))
        loud = np.concatenate([np.ones(RATE_HZ) * 0.1 * np.sign(np.sin(np.arange(RATE_HZ))), np.zeros(RATE_HZ)])
        self.assertEqual(first_sound_s(source(loud)), 0.0)
