"""Windows' spectra compared along lines: compiled loops and their twins against what they should give."""

import unittest

import numpy as np
import scipy.fft
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from tests.core.native.test_kernels import BINS, RNG, close, noise, spectrum, with_both

#: Which of the one's rows go with which of the other's.
PAIRS = np.array([[0, 0], [1, 0], [0, 1]])
LAG = np.array([-77.7])


class WhitenTest(unittest.TestCase):
    @with_both
    def test_each_bin_by_the_mean_around_it(self):
        for bins in BINS:
            for reach in (0, 3, 40):
                given_, steady = spectrum(bins), np.arange(bins) % 7 == 5
                around = np.pad(np.abs(given_), reach, mode="edge")
                smooth = np.array([around[k : k + 2 * reach + 1].mean() for k in range(bins)])
                expected = np.where(steady, 0, given_ / smooth)
                close(self, self.lines.whiten(given_, reach, steady, least=0.0), expected)

    @with_both
    def test_silence_is_not_made_loud(self):
        quiet = np.concatenate([spectrum(400), spectrum(400) * np.float32(1e-6)])
        white = np.abs(self.lines.whiten(quiet, 10, np.zeros(800, bool), least=1e-3))
        self.assertLess(white[420:].max(), 0.01)
        self.assertGreater(white[:380].mean(), 0.5)
        self.assertEqual(
            np.abs(self.lines.whiten(np.zeros(9, np.complex64), 2, np.zeros(9, bool), least=1e-3)).max(), 0
        )

    @with_both
    def test_other_than_a_sign_for_each_bin_is_refused(self):
        with self.assertRaisesRegex(InputError, "a sign for each"):
            self.lines.whiten(spectrum(8), 2, np.zeros(7, bool), least=0.1)


class FoldProductsTest(unittest.TestCase):
    SIZE, FIRST = 4000, 60

    def correlation(self, ours, theirs, lag):
        whole = np.zeros(self.SIZE // 2 + 1, np.complex128)
        whole[self.FIRST : self.FIRST + ours.size] = ours * theirs.conj()
        whole *= np.exp(2j * np.pi * np.arange(whole.size) * lag / self.SIZE)
        return scipy.fft.irfft(whole, self.SIZE)

    @with_both
    def test_one_tap_keeps_all_and_turns_each_lag_to_zero(self):
        for bins in (1, 15, 64, 1701):
            ours, theirs, lags = (
                [spectrum(bins), spectrum(bins)],
                [spectrum(bins), spectrum(bins)],
                (12.25, -3.5, 700.125),
            )
            into, energies = self.lines.fold_products(
                ours, theirs, PAIRS, self.FIRST, np.array(lags), self.SIZE, np.ones(1, np.float32), 1
            )
            for row, ((one, other), lag) in enumerate(zip(PAIRS.tolist(), lags, strict=True)):
                close(self, scipy.fft.irfft(into[row], self.SIZE), self.correlation(ours[one], theirs[other], lag))
                energy = float((np.abs(ours[one] * theirs[other]) ** 2).sum())
                self.assertAlmostEqual(energies[row] / energy, 1.0, delta=1e-4)

    @with_both
    def test_lags_near_by_are_kept_with_an_eighth_of_the_bins(self):
        ours, theirs = spectrum(1701), spectrum(1701)
        taps = np.sinc(np.arange(-24, 25) / 8) * np.kaiser(49, 2.6)
        taps = np.asarray(taps / taps.sum(), np.float32)
        into, _ = self.lines.fold_products([ours], [theirs], PAIRS[:1], self.FIRST, LAG, self.SIZE, taps, 8)
        found, true = scipy.fft.irfft(into[0], self.SIZE // 8), self.correlation(ours, theirs, -77.7)
        near = np.arange(-160, 161)
        self.assertLess(float(np.sqrt(np.mean((found[near] - true[near]) ** 2)) / true.std()), 0.06)

    @with_both
    def test_what_does_not_belong_together_is_refused(self):
        one, five, six = np.ones(1, np.float32), [spectrum(5)], [spectrum(6)]
        with self.assertRaisesRegex(InputError, "equally many bins"):
            self.lines.fold_products(five, six, PAIRS[:1], 0, np.zeros(1), 64, one, 1)
        with self.assertRaisesRegex(InputError, "a lag a pair"):
            self.lines.fold_products(five, five, PAIRS[:1], 0, np.zeros(2), 64, one, 1)
        with self.assertRaisesRegex(InputError, "pairs of 1 and 1"):
            self.lines.fold_products(five, five, PAIRS[1:2], 0, np.zeros(1), 64, one, 1)


class BestLineTest(unittest.TestCase):
    @given(rows=st.integers(1, 9), slopes=st.integers(1, 7), inner=st.integers(1, 40))
    @with_both
    def test_the_largest_sum_of_all(self, rows, slopes, inner):
        values = noise(rows, inner + 6)
        starts = RNG.integers(0, 7, (slopes, rows)).astype(np.int32)
        sums = np.array(
            [sum(values[r, starts[s, r] : starts[s, r] + inner] for r in range(rows)) for s in range(slopes)]
        )
        slope, column, height = self.lines.best_line(values, starts, inner)
        self.assertAlmostEqual(height, float(np.abs(sums).max()), delta=1e-4)
        self.assertAlmostEqual(abs(float(sums[slope, column])), height, delta=1e-4)

    @with_both
    def test_lines_that_leave_the_rows_are_refused(self):
        with self.assertRaisesRegex(InputError, "leave 10"):
            self.lines.best_line(noise(2, 10), np.array([[0, 4]], np.int32), 7)


class PoolLagsTest(unittest.TestCase):
    @given(rows=st.integers(1, 4), half=st.integers(1, 30), reach=st.integers(0, 40))
    @with_both
    def test_the_larger_of_every_two_around_the_first(self, rows, half, reach):
        curves, scales = noise(rows, 2 * half), np.abs(RNG.standard_normal(rows)) + 0.1
        found = self.lines.pool_lags(curves, scales, reach, full=1e9)
        self.assertEqual(found.shape, (rows, 2 * reach + 1))
        for row in range(rows):
            for k in range(-reach, reach + 1):
                two = [float(curves[row, at % (2 * half)]) * scales[row] for at in (2 * k, 2 * k + 1)]
                self.assertAlmostEqual(float(found[row, k + reach]), max(two, key=abs), places=4)

    @with_both
    def test_what_is_high_grows_slowly_and_keeps_its_sign(self):
        found = self.lines.pool_lags(np.array([[20.0, 0.0, -8.0, 1.0]], np.float32), np.ones(1), 1, full=4.0)
        self.assertAlmostEqual(float(found[0, 1]), 4 * (1 + np.log(5)), places=4)
        self.assertAlmostEqual(float(found[0, 2]), -4 * (1 + np.log(2)), places=4)

    @with_both
    def test_an_odd_circle_is_refused(self):
        with self.assertRaisesRegex(InputError, "rows of pairs"):
            self.lines.pool_lags(noise(2, 7), np.ones(2), 1, full=4.0)
