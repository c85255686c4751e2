import unittest

import numpy as np

from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.render.warp import render, render_blocks
from tests.signals import RATE_HZ, busy, source


def tone(hz: float, times_s: np.ndarray) -> np.ndarray:
    return 0.5 * np.sin(2 * np.pi * hz * times_s + 0.3)


class RenderTest(unittest.TestCase):
    def test_whole_sample_offsets_copy_bits(self):
        sound = busy(3.0).astype(np.float32)
        for offset in (0, 1, 4801, -4801):
            rendered = render(
                source(sound), TimeMap.placement(offset / RATE_HZ, 1.0, 3.0), sample_rate_hz=RATE_HZ, samples=sound.size
            )
            expected = np.zeros_like(sound)
            if offset >= 0:
                expected[offset:] = sound[: sound.size - offset]
            else:
                expected[:offset] = sound[-offset:]
            np.testing.assert_array_equal(rendered[0], expected)

    def test_fractions_and_rates_are_right_to_minus_120_db(self):
        times = np.arange(4 * RATE_HZ) / RATE_HZ
        for offset_s, rate in [(0.37 / RATE_HZ, 1.0), (0.1234567, 1.0000381), (-0.5, 0.9997)]:
            for hz in (220.0, 5000.0, 20000.0):
                placed = TimeMap.placement(offset_s, rate, 4.0)
                rendered = render(source(tone(hz, times)), placed, sample_rate_hz=RATE_HZ, samples=3 * RATE_HZ)[0]
                t_ref = np.arange(3 * RATE_HZ) / RATE_HZ
                ideal = tone(hz, rate * (t_ref - offset_s))
                inside = slice(RATE_HZ, 2 * RATE_HZ)
                error_db = 20 * np.log10(np.sqrt(np.mean((rendered - ideal)[inside] ** 2)) / 0.35)
                with self.subTest(offset_s=offset_s, rate=rate, hz=hz):
                    self.assertLess(error_db, -118)

    def test_converts_sample_rates_without_delay(self):
        times = np.arange(4 * 44100) / 44100
        placed = TimeMap.placement(0.25, 1.0, 4.0)
        rendered = render(source(tone(1000.0, times), 44100), placed, sample_rate_hz=RATE_HZ, samples=3 * RATE_HZ)[0]
        ideal = tone(1000.0, np.arange(3 * RATE_HZ) / RATE_HZ - 0.25)
        self.assertLess(np.abs(rendered - ideal)[RATE_HZ : 2 * RATE_HZ].max(), 2e-6)

    def test_chunks_join_without_a_seam(self):
        sound = busy(4.0)
        for rate_hz in (RATE_HZ, 44100):
            placed = TimeMap.placement(0.1 + 1e-5, 1.00005, 3.9)
            whole = render(source(sound, rate_hz), placed, sample_rate_hz=RATE_HZ, samples=96000)
            parts = [
                render(source(sound, rate_hz), placed, sample_rate_hz=RATE_HZ, samples=9600, first=k)
                for k in range(0, 96000, 9600)
            ]
            np.testing.assert_allclose(np.concatenate(parts, axis=1), whole, atol=2e-6)

    def test_rates_far_apart_convert_without_a_seam(self):
        placed = TimeMap.placement(0.1234567, 1.00003, 1.0)
        for fs, rate_hz in ((192000, 4000), (768000, 8000), (4000, 192000)):
            hz = 0.1 * min(fs, rate_hz)
            one = source(tone(hz, np.arange(fs) / fs), fs)
            first, samples = int(0.4 * rate_hz), int(0.02 * rate_hz)
            part = render(one, placed, sample_rate_hz=rate_hz, samples=samples, first=first)[0]
            ideal = tone(hz * 1.00003, np.arange(first, first + samples) / rate_hz - 0.1234567)
            np.testing.assert_allclose(part, ideal, atol=2e-6)

    def test_a_bent_map_is_followed_knot_by_knot(self):
        times = np.arange(5 * RATE_HZ) / RATE_HZ
        knots = ((0.5, 0.0), (1.2345678, 0.7346), (2.0, 1.5), (2.5000131, 2.00003), (4.0, 3.5001))
        bent = TimeMap((Piece(knots),))
        t_ref = np.arange(int(3.9 * RATE_HZ)) / RATE_HZ
        for rate_hz, limit in ((RATE_HZ, 2e-6), (44100, 4e-6)):
            sound = tone(3000.0, np.arange(5 * rate_hz) / rate_hz if rate_hz != RATE_HZ else times)
            rendered = render(source(sound, rate_hz), bent, sample_rate_hz=RATE_HZ, samples=t_ref.size)[0]
            ideal = tone(3000.0, bent.to_recording(t_ref))
            inside = (t_ref > 0.6) & (t_ref < 3.8)
            self.assertLess(np.abs(rendered - ideal)[inside].max(), limit)

    def test_channels_stay_together(self):
        sound = busy(2.0)
        both = source(np.stack([sound, sound]))
        rendered = render(both, TimeMap.placement(0.0123456, 1.0001, 2.0), sample_rate_hz=RATE_HZ, samples=RATE_HZ)
        np.testing.assert_array_equal(rendered[0], rendered[1])

    def test_outside_is_silence_and_length_is_the_reference_s(self):
        blocks = list(
            render_blocks(
                source(np.ones(RATE_HZ)), TimeMap.placement(1.0, 1.0, 1.0), sample_rate_hz=RATE_HZ, samples=3 * RATE_HZ
            )
        )
        whole = np.concatenate(blocks, axis=1)[0]
        self.assertEqual(whole.size, 3 * RATE_HZ)
        self.assertEqual(np.flatnonzero(whole)[[0, -1]].tolist(), [RATE_HZ, 2 * RATE_HZ - 1])

    def test_not_a_number_does_not_spread(self):
        sound = busy(1.0)
        sound[1000] = np.nan
        rendered = render(source(sound), TimeMap.placement(0.00001, 1.0, 1.0), sample_rate_hz=RATE_HZ, samples=RATE_HZ)
        self.assertTrue(np.all(np.isfinite(rendered)))
