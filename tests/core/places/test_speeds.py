import unittest

import numpy as np
import soxr

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.ground.speeds import known_speeds
from gullywind.core.measure.evidence import Status
from gullywind.core.render.warp import render
from tests.signals import RATE_HZ, busy, source

OFFSET_S = 11.0


class SpeedTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.event = busy(90.0, 81)
        cls.prepared = prepare_reference(source(cls.event))

    def placed_at(self, true_hz: float, stated_hz: int):
        part = self.event[int(OFFSET_S * RATE_HZ) : int((OFFSET_S + 60) * RATE_HZ)]
        file = source(soxr.resample(part, RATE_HZ, true_hz, quality="VHQ"), stated_hz)
        return align_recording(self.prepared, hear(file)), file

    def test_wrong_headers_and_film_speeds_are_named_and_put_right(self):
        for true_hz, stated_hz, code in [
            (44100, 48000, "rate-mislabelled"),
            (48000, 44100, "rate-mislabelled"),
            (48000 * 25 / 24, 48000, "speed-changed"),
            (48000 * 24 / 25, 48000, "speed-changed"),
            (48000 * 1000 / 1001, 48000, "speed-changed"),
            (48000 * 1001 / 1000, 48000, "speed-changed"),
        ]:
            with self.subTest(true_hz=true_hz, stated_hz=stated_hz):
                result, _ = self.placed_at(true_hz, stated_hz)
                self.assertEqual(result.status, Status.PLACED)
                self.assertEqual(result.notes[0].code, code)
                self.assertAlmostEqual(result.time_map.rate, true_hz / stated_hz, delta=1e-6)
                ends = result.time_map.to_reference(np.array([0.0, 60 * true_hz / stated_hz * 0.999]))
                np.testing.assert_allclose(ends, [OFFSET_S, OFFSET_S + 60 * 0.999], atol=1e-4)

    def test_it_sounds_right_when_rendered(self):
        result, file = self.placed_at(44100, 48000)
        rendered = render(file, result.time_map, sample_rate_hz=RATE_HZ, samples=80 * RATE_HZ)[0]
        inside = slice(20 * RATE_HZ, 60 * RATE_HZ)
        self.assertGreater(np.corrcoef(rendered[inside], self.event[inside])[0, 1], 0.99)

    def test_factors_are_true_over_stated(self):
        self.assertIn(44100 / 48000, [speed.factor for speed in known_speeds(48000)])
        self.assertNotIn(1.0, [speed.factor for speed in known_speeds(44100)])
