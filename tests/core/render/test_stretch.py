import unittest

import numpy as np

from gullywind.core.maps.time_map import TimeMap
from gullywind.core.maps.version import Pitch, Sounding
from gullywind.core.render.stretch import keeps_pitch, pitch_reason
from gullywind.core.render.warp import render
from tests.signals import RATE_HZ, source

TONE_HZ = 440.0
KEPT = Sounding(pitch=Pitch.KEPT)


def main_hz(sound: np.ndarray) -> float:
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(sound.size)))
    return float(np.argmax(spectrum) * RATE_HZ / sound.size)


def clicks(seconds: float, every_s: float, rate_hz: int = RATE_HZ) -> np.ndarray:
    rng = np.random.default_rng(1)
    sound = rng.standard_normal(int(seconds * rate_hz)) * 1e-4
    for at_s in np.arange(every_s, seconds - 0.1, every_s):
        at = int(at_s * rate_hz)
        sound[at : at + 200] += rng.standard_normal(200) * np.exp(-np.arange(200) / 40)
    return sound


class StretchTest(unittest.TestCase):
    def test_the_sensible_choice_and_its_reason(self):
        for rate in (24 / 25, 25 / 24, 1001 / 1000, 44100 / 48000, 44100 / 48000 * 1.00004):
            self.assertFalse(keeps_pitch(Pitch.SENSIBLE, rate, 48000), rate)
        self.assertTrue(keeps_pitch(Pitch.SENSIBLE, 0.97, 48000))
        self.assertFalse(keeps_pitch(Pitch.KEPT, 1.0003, 48000))
        self.assertTrue(keeps_pitch(Pitch.KEPT, 24 / 25, 48000))
        self.assertFalse(keeps_pitch(Pitch.FOLLOWS, 0.97, 48000))
        self.assertIn("performance", pitch_reason(Pitch.SENSIBLE, 0.97, 48000))
        self.assertIn("as it was recorded", pitch_reason(Pitch.SENSIBLE, 24 / 25, 48000))
        self.assertEqual(pitch_reason(Pitch.SENSIBLE, 1.0001, 48000), "")

    def test_pitch_follows_or_is_kept(self):
        sound = 0.3 * np.sin(2 * np.pi * TONE_HZ * np.arange(20 * RATE_HZ) / RATE_HZ)
        placed = TimeMap.placement(0.0, 0.97, 20.0)
        for pitch, hz in ((Pitch.KEPT, TONE_HZ), (Pitch.FOLLOWS, TONE_HZ * 0.97)):
            sounding = Sounding(pitch=pitch)
            heard = render(source(sound), placed, sounding, sample_rate_hz=RATE_HZ, samples=RATE_HZ, first=4 * RATE_HZ)[
                0
            ]
            self.assertAlmostEqual(main_hz(heard), hz, delta=1.0)

    def test_moments_land_where_the_map_says(self):
        for rate, rate_hz in ((0.96, RATE_HZ), (1.05, RATE_HZ), (0.97, 44100)):
            sound = clicks(40.0, 1.5, rate_hz)
            placed = TimeMap.placement(1.0, rate, 40.0)
            heard = render(source(sound, rate_hz), placed, KEPT, sample_rate_hz=RATE_HZ, samples=36 * RATE_HZ)[0]
            energy = np.convolve(heard**2, np.ones(96), mode="same")
            late_ms = []
            for t_rec in np.arange(1.5, 33.0, 1.5):
                expected = int((1.0 + t_rec / rate) * RATE_HZ) + 40
                near = energy[expected - 960 : expected + 960]
                late_ms.append((int(np.argmax(near)) - 960) / RATE_HZ * 1e3)
            with self.subTest(rate=rate, rate_hz=rate_hz):
                self.assertLess(np.abs(np.median(late_ms)), 1.5)
                self.assertLess(np.abs(late_ms).max(), 4.0)

    def test_every_chunk_is_the_same_and_channels_stay_together(self):
        sound = clicks(40.0, 0.7)
        both = source(np.stack([sound, sound]))
        placed = TimeMap.placement(0.5, 0.97, 40.0)
        whole = render(both, placed, KEPT, sample_rate_hz=RATE_HZ, samples=30 * RATE_HZ)
        part = render(both, placed, KEPT, sample_rate_hz=RATE_HZ, samples=2 * RATE_HZ, first=11 * RATE_HZ)
        np.testing.assert_array_equal(part, whole[:, 11 * RATE_HZ : 13 * RATE_HZ])
        # The stretcher adds a floor of its own, 70 dB below the clicks.
        self.assertLess(np.abs(whole[0] - whole[1]).max(), 3e-4 * np.abs(whole).max())
