import unittest

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.render.mix import PLAIN, Voice, add_voice


class VoiceTest(unittest.TestCase):
    def mixed(self, sound: np.ndarray, voice: Voice) -> np.ndarray:
        mix = np.zeros((2, sound.shape[1]), np.float32)
        add_voice(mix, sound, voice)
        return mix

    def test_plain_sound_is_as_it_is_on_either_side(self):
        mono = np.array([[0.5, -0.25]], np.float32)
        np.testing.assert_allclose(self.mixed(mono, PLAIN), np.vstack([mono, mono]), atol=1e-7)
        stereo = np.array([[0.5, -0.25], [0.125, 1.0]], np.float32)
        np.testing.assert_array_equal(self.mixed(stereo, PLAIN), stereo)

    def test_one_channel_keeps_its_power_wherever_it_stands(self):
        one = np.ones((1, 1), np.float32)
        for position in (-1.0, -0.4, 0.0, 0.7, 1.0):
            with self.subTest(position=position):
                left, right = self.mixed(one, Voice(position=position))[:, 0]
                self.assertAlmostEqual(left**2 + right**2, 2.0, places=5)
                self.assertEqual(np.sign(round(float(right - left), 6)), np.sign(position))

    def test_of_two_channels_the_other_becomes_softer(self):
        stereo = np.array([[0.5], [0.5]], np.float32)
        np.testing.assert_allclose(self.mixed(stereo, Voice(position=0.6))[:, 0], [0.2, 0.5], atol=1e-6)
        np.testing.assert_allclose(self.mixed(stereo, Voice(-6.0206, -1.0))[:, 0], [0.25, 0.0], atol=1e-6)

    def test_what_no_ear_wants_is_refused(self):
        with self.assertRaisesRegex(InputError, "between -60 and 24 dB, not 30"):
            Voice(level_db=30.0)
        with self.assertRaisesRegex(InputError, "between -1, left, and 1, right, not nan"):
            Voice(position=float("nan"))
