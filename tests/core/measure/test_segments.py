import gc
import unittest
import weakref

import numpy as np
import scipy.fft

from gullywind.core.measure import segments
from gullywind.core.measure.segments import grid_centres_s, grid_spectra, segment_spectra
from gullywind.core.sound.views import Listening
from tests.signals import RATE_HZ, busy, source

SIZE = 4096
EVENT = busy(6.0, 71)


class Counted:
    """A source that counts how often it is read."""

    def __init__(self, sound):
        self._sound = source(sound)
        self.sample_rate_hz, self.channels, self.samples = RATE_HZ, 1, sound.size
        self.reads = 0

    def read(self, start, stop):
        self.reads += 1
        return self._sound.read(start, stop)


def view(sound=EVENT):
    return Listening(Counted(sound), (0,))


class SegmentSpectraTest(unittest.TestCase):
    def test_a_whole_position_is_the_plain_spectrum(self):
        (found,) = segment_spectra(view(), np.array([1.0]), SIZE, RATE_HZ)
        start = RATE_HZ - SIZE // 2
        expected = scipy.fft.rfft(EVENT[start : start + SIZE] * np.hanning(SIZE))
        np.testing.assert_allclose(found, expected, atol=2e-5 * np.abs(expected).max())

    def test_a_fraction_of_a_sample_is_a_phase_ramp(self):
        centres_s = 1.0 + np.arange(5) * 0.05 + 0.4 / RATE_HZ
        tone = np.sin(2 * np.pi * 1000 * np.arange(3 * RATE_HZ) / RATE_HZ)
        bin_ = round(1000 * SIZE / RATE_HZ)
        for found, centre_s in zip(segment_spectra(view(tone), centres_s, SIZE, RATE_HZ), centres_s, strict=True):
            # The phase that the tone has where the segment begins.
            phase = 2 * np.pi * 1000 * (centre_s - SIZE / 2 / RATE_HZ) - np.pi / 2
            lobe = np.pi * (1000 * SIZE / RATE_HZ - bin_)  # off the bin's centre
            away = np.angle(found[bin_] * np.exp(-1j * (phase + lobe)))
            self.assertAlmostEqual(float(away), 0.0, delta=2e-3)

    def test_any_number_of_segments_is_the_same_as_one_by_one(self):
        for count in range(1, 10):
            centres_s = 1.0 + np.arange(count) * 0.1
            together = segment_spectra(view(), centres_s, SIZE, RATE_HZ)
            self.assertEqual(len(together), count)
            for row, centre_s in zip(together, centres_s, strict=True):
                (alone,) = segment_spectra(view(), np.array([centre_s]), SIZE, RATE_HZ)
                np.testing.assert_allclose(row, alone, atol=1e-5 * np.abs(alone).max())

    def test_silence_has_none(self):
        self.assertIsNone(segment_spectra(view(np.zeros(RATE_HZ * 2)), np.array([1.0]), SIZE, RATE_HZ))


class GridSpectraTest(unittest.TestCase):
    def test_the_grid_gives_what_is_cut_at_its_centres(self):
        on_grid = grid_spectra(view(), 12, 9, SIZE, RATE_HZ)
        direct = segment_spectra(view(), grid_centres_s(12, 9, SIZE, RATE_HZ), SIZE, RATE_HZ)
        np.testing.assert_array_equal(on_grid, direct)

    def test_what_was_transformed_once_is_not_read_again(self):
        one = view()
        first = grid_spectra(one, 10, 8, SIZE, RATE_HZ)
        again = grid_spectra(one, 12, 4, SIZE, RATE_HZ)
        self.assertEqual(one.source.reads, 1)
        np.testing.assert_array_equal(again, first[2:6])
        # Only what is new is read.
        wider = grid_spectra(one, 8, 12, SIZE, RATE_HZ)
        self.assertEqual(one.source.reads, 2)
        np.testing.assert_array_equal(wider[2:10], first)
        direct = segment_spectra(one, grid_centres_s(8, 12, SIZE, RATE_HZ), SIZE, RATE_HZ)
        np.testing.assert_allclose(wider, direct, atol=1e-5)

    def test_views_sizes_and_speeds_are_kept_apart(self):
        one = view()
        rows = [
            grid_spectra(one, 20, 1, SIZE, RATE_HZ)[0],
            grid_spectra(one.at_speed(0.5), 20, 1, SIZE, RATE_HZ // 2)[0],
            grid_spectra(one, 20, 1, SIZE // 2, RATE_HZ)[0],
        ]
        self.assertEqual([row.size for row in rows], [SIZE // 2 + 1, SIZE // 2 + 1, SIZE // 4 + 1])
        self.assertEqual(one.source.reads, 3)

    def test_a_silent_part_is_nothing_and_all_silence_none(self):
        sound = EVENT.copy()
        sound[: 3 * RATE_HZ] = 0.0
        one = view(sound)
        self.assertIsNone(grid_spectra(one, 2, 6, SIZE, RATE_HZ))
        # Known to be silent: not read again, yet counted as nothing beside sound.
        mixed = grid_spectra(one, 2, 90, SIZE, RATE_HZ)
        self.assertEqual(float(np.abs(mixed[0]).max()), 0.0)
        self.assertGreater(float(np.abs(mixed[-1]).max()), 0.0)

    def test_another_source_takes_the_place_and_the_first_is_let_go(self):
        one = view()
        grid_spectra(one, 10, 4, SIZE, RATE_HZ)
        gone = weakref.ref(one.source)
        del one
        gc.collect()
        self.assertIsNone(gone())
        other = view(busy(6.0, 72))
        np.testing.assert_array_equal(
            grid_spectra(other, 10, 4, SIZE, RATE_HZ),
            segment_spectra(other, grid_centres_s(10, 4, SIZE, RATE_HZ), SIZE, RATE_HZ),
        )

    def test_a_full_shelf_keeps_the_beginning_and_stays_right(self):
        room = segments.MOST_KEPT_BYTES // (4 * 256)
        long = view(np.tile(EVENT, 1 + room * 128 // EVENT.size + 2))
        first = grid_spectra(long, 0, 8, 256, RATE_HZ)
        for start in range(8, room + 600, 512):
            grid_spectra(long, start, 512, 256, RATE_HZ)
        reads = long.source.reads
        np.testing.assert_array_equal(grid_spectra(long, 0, 8, 256, RATE_HZ), first)
        self.assertEqual(long.source.reads, reads)
        late = grid_spectra(long, room + 100, 8, 256, RATE_HZ)
        direct = segment_spectra(long, grid_centres_s(room + 100, 8, 256, RATE_HZ), 256, RATE_HZ)
        np.testing.assert_allclose(late, direct, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
