import unittest

import numpy as np

from gullywind.core.features.bands import BANDS, BandExtractor
from gullywind.core.places.search import ReferenceIndex, search_offsets
from tests.signals import RATE_HZ, busy


def features(sound: np.ndarray, rate_hz: int = RATE_HZ, block: int = 48000):
    extractor = BandExtractor(rate_hz)
    for start in range(0, sound.size, block):
        extractor.push(sound[start : start + block].astype(np.float32))
    return extractor.finish()


class BandsTest(unittest.TestCase):
    def test_blocks_of_any_size_give_the_same(self):
        sound = busy(3.0)
        whole, pieces = features(sound, block=10**9), features(sound, block=777)
        np.testing.assert_allclose(whole.values, pieces.values, atol=1e-3)

    def test_a_hundred_frames_a_second_and_one_variance(self):
        found = features(busy(20.0))
        self.assertEqual(found.values.shape[0], BANDS)
        self.assertAlmostEqual(found.frames, 2000, delta=3)
        self.assertAlmostEqual(float(found.values.std()), 1.0, delta=0.1)

    def test_low_sample_rates_leave_upper_bands_out(self):
        self.assertFalse(features(busy(2.0), rate_hz=8000).valid[-1])


class SearchTest(unittest.TestCase):
    def test_every_offset_is_reached(self):
        event = busy(200.0, 21)
        index = ReferenceIndex(features(event))
        for start_s, length_s in [(0, 10), (150, 50), (3, 190)]:
            part = features(event[start_s * RATE_HZ : (start_s + length_s) * RATE_HZ])
            best = search_offsets(index, part).places[0]
            self.assertAlmostEqual(best.offset_s, start_s, delta=0.06)

    def test_long_recording_against_a_short_reference(self):
        event = busy(400.0, 22)
        index = ReferenceIndex(features(event[300 * RATE_HZ : 320 * RATE_HZ]))
        self.assertAlmostEqual(search_offsets(index, features(event)).places[0].offset_s, -300.0, delta=0.06)

    def test_rivals_are_apart_and_sorted(self):
        curve = search_offsets(ReferenceIndex(features(busy(60.0))), features(busy(10.0, 5)))
        heights = [place.z for place in curve.places]
        self.assertEqual(heights, sorted(heights, reverse=True))
        offsets = sorted(place.offset_s for place in curve.places)
        self.assertGreater(min(np.diff(offsets)), 0.3)
