"""Compiled loops and their twins in plain numpy against what they should give, edges included."""

import unittest
from functools import wraps
from itertools import product

import numpy as np
import scipy.fft
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.native import compiled, compiled_lines, compiled_paths, plain, plain_lines, plain_paths
from gullywind.core.sound.loudness import k_weighting

RNG = np.random.default_rng(5)
#: One bin more than whole stretches and lanes, and sizes that are no multiple of either.
BINS = (1, 2, 63, 65, 513, 1025)


def noise(*shape):
    return RNG.standard_normal(shape).astype(np.float32)


def spectrum(*shape):
    return (RNG.standard_normal(shape) + 1j * RNG.standard_normal(shape)).astype(np.complex64)


def close(test, found, expected, within=2e-5):
    scale = max(float(np.abs(expected).max(initial=0.0)), 1e-12)
    test.assertEqual(found.shape, expected.shape)
    test.assertLess(float(np.abs(found - expected).max(initial=0.0)), within * scale)


def with_both(test):
    """The test with the compiled loops, then with the plain ones, as `self.loops`, `self.lines` and `self.paths`."""

    @wraps(test)
    def run(self, *args, **values):
        for loops, lines, paths in (
            (compiled, compiled_lines, compiled_paths),
            (plain, plain_lines, plain_paths),
        ):
            with self.subTest(loops=loops.__name__):
                self.loops, self.lines, self.paths = loops, lines, paths
                test(self, *args, **values)

    return run


class ThinTest(unittest.TestCase):
    @given(factor=st.integers(1, 13), samples=st.integers(0, 400))
    @with_both
    def test_sums_of_neighbours(self, factor, samples):
        sound = noise(samples)
        whole = samples // factor
        close(self, self.loops.thin(sound, factor), sound[: whole * factor].reshape(whole, factor).sum(axis=1))


class CutTest(unittest.TestCase):
    @given(start=st.integers(-300, 300), samples=st.integers(1, 200), size=st.integers(1, 150))
    @with_both
    def test_zeros_outside_the_sound(self, start, samples, size):
        sound, window = noise(samples), noise(size)
        around = np.concatenate([np.zeros(600, np.float32), sound, np.zeros(600, np.float32)])
        found = self.loops.cut(sound, np.array([start, 0]), window)
        np.testing.assert_array_equal(found[0], around[600 + start : 600 + start + size] * window)
        np.testing.assert_array_equal(found[1], around[600 : 600 + size] * window)


class ExtremesTest(unittest.TestCase):
    @given(bin_samples=st.integers(1, 70), samples=st.integers(1, 400))
    @with_both
    def test_of_each_bin(self, bin_samples, samples):
        sound = noise(samples)
        bins = sound[: samples - samples % bin_samples].reshape(-1, bin_samples)
        expected = np.stack([bins.min(axis=1), bins.max(axis=1), (bins**2).sum(axis=1)], axis=1)
        close(self, self.loops.extremes(sound, bin_samples), expected)


class TruePeakTest(unittest.TestCase):
    @given(seed=st.integers(0, 999), samples=st.integers(25, 500), near=st.floats(0, 1))
    @settings(deadline=None, max_examples=40)
    @with_both
    def test_the_highest_of_samples_and_of_what_lies_between(self, seed, samples, near):
        rng = np.random.default_rng(seed)
        sound = rng.standard_normal(samples).astype(np.float32)
        filters = rng.standard_normal((3, 8)).astype(np.float32)
        looked_at = np.abs(sound[4:-4])
        expected = [looked_at.max()]
        for i in np.flatnonzero(looked_at > near * looked_at.max()) + 4:
            expected += [abs(float(f @ sound[gap - 4 : gap + 4])) for f in filters for gap in (i, i + 1)]
        found = self.loops.true_peak(sound, filters, near=near, before=0.0)
        self.assertAlmostEqual(found, max(expected), delta=1e-4)
        self.assertEqual(self.loops.true_peak(sound, filters, near=near, before=100.0), 100.0)

    @with_both
    def test_odd_filters_are_refused(self):
        with self.assertRaisesRegex(InputError, "even length"):
            self.loops.true_peak(noise(50), noise(2, 7), near=0.5, before=0.0)


class WeightedEnergyTest(unittest.TestCase):
    @with_both
    def test_as_one_filter_after_the_other_whether_side_by_side_or_not(self):
        sections = k_weighting(48000)
        for samples, block, filled in ((200_000, 4800, 0), (200_000, 4800, 4799), (100, 7, 3), (3, 10, 2)):
            sound = noise(samples)
            both = np.insert(sections, 3, 1.0, axis=1)
            energy = scipy.signal.sosfilt(both, sound.astype(np.float64)) ** 2
            blocks = -(-(filled + samples) // block)
            padded = np.pad(energy, (filled, blocks * block - filled - samples))
            expected = padded.reshape(-1, block).sum(axis=1)
            found = self.loops.weighted_energy(sound, sections, np.zeros((2, 2)), block, filled, settle=5280)
            close(self, found, expected, within=1e-8)

    @with_both
    def test_more_than_a_block_before_is_refused(self):
        with self.assertRaisesRegex(InputError, "7 of 7"):
            self.loops.weighted_energy(noise(9), k_weighting(48000), np.zeros((2, 2)), 7, 7, settle=0)


class BandPowersTest(unittest.TestCase):
    @with_both
    def test_means_of_power(self):
        rows = spectrum(7, 65)
        edges = np.array([[0, 1], [3, 20], [20, 65]])
        expected = np.stack([(np.abs(rows[:, a:b]) ** 2).mean(axis=1) for a, b in edges], axis=1)
        close(self, self.loops.band_powers(rows, edges), expected)

    @with_both
    def test_power_and_what_of_it_is_coherent(self):
        power, coherence = np.abs(noise(65)), np.abs(noise(65)).clip(0, 1)
        edges = np.array([[0, 1], [3, 20], [20, 65]])
        expected = np.array([[power[a:b].sum(), (power * coherence)[a:b].sum()] for a, b in edges])
        close(self, self.loops.band_coherence(coherence, power, edges), expected)

    @with_both
    def test_bands_beyond_the_spectrum_are_refused(self):
        for edges in ([[0, 66]], [[-1, 3]], [[5, 5]]):
            with self.assertRaisesRegex(InputError, "ranges of 65 bins"):
                self.loops.band_powers(spectrum(2, 65), np.array(edges))
            with self.assertRaisesRegex(InputError, "ranges of 65 bins"):
                self.loops.band_coherence(noise(65), noise(70), np.array(edges))


class AdvanceTest(unittest.TestCase):
    @given(bins=st.sampled_from(BINS[1:]), samples=st.floats(-1e5, 1e5))
    @with_both
    def test_phases_turn_with_frequency(self, bins, samples):
        row = spectrum(bins)
        size = 2 * (bins - 1)
        expected = row * np.exp(2j * np.pi * np.mod(np.arange(bins) * samples / size, 1.0))
        self.loops.advance(row, samples)
        close(self, row, expected, within=1e-6)

    @with_both
    def test_a_whole_sample_moves_the_sound_by_one(self):
        sound = noise(128)
        row = np.fft.rfft(sound).astype(np.complex64)
        self.loops.advance(row, 1.0)
        close(self, np.fft.irfft(row), np.roll(sound, -1).astype(np.float64))


class SumSpectraTest(unittest.TestCase):
    @with_both
    def test_cross_and_both_powers(self):
        for bins in BINS:
            for rows in (1, 2, 7):
                x, y = spectrum(rows, bins), spectrum(rows, bins)
                cross, x_power, y_power = self.loops.sum_spectra(list(x), list(y))
                close(self, cross, (np.conj(x) * y).sum(axis=0))
                close(self, x_power, (np.abs(x) ** 2).sum(axis=0))
                close(self, y_power, (np.abs(y) ** 2).sum(axis=0))

    @with_both
    def test_rows_that_differ_are_refused(self):
        for x, y in (([spectrum(9)], [spectrum(8)]), ([spectrum(9)], [spectrum(9)] * 2)):
            with self.assertRaisesRegex(InputError, "equally many"):
                self.loops.sum_spectra(x, y)

    @with_both
    def test_strided_rows_are_refused(self):
        with self.assertRaisesRegex(InputError, "contiguous"):
            self.loops.sum_spectra([spectrum(18)[::2]], [spectrum(9)])


class CompareTest(unittest.TestCase):
    @with_both
    def test_phases_and_coherence(self):
        x, y = spectrum(4, 130), spectrum(4, 130)
        summed = self.loops.sum_spectra(list(x), list(y))
        phases, coherence = self.loops.compare(*summed)
        close(self, phases, summed[0] / np.abs(summed[0]))
        close(self, coherence, np.abs(summed[0]) ** 2 / (summed[1] * summed[2]))
        self.assertLessEqual(float(coherence.max()), 1.0 + 1e-5)

    @with_both
    def test_nothing_agrees_with_nothing(self):
        nothing = np.zeros(9, np.float32)
        phases, coherence = self.loops.compare(np.zeros(9, np.complex64), nothing, nothing)
        self.assertFalse(phases.any() or coherence.any())


class WeighTest(unittest.TestCase):
    @with_both
    def test_smoothed_coherence_becomes_weight(self):
        phases, bins, reach, independent = spectrum(200), slice(4, 190), 12, 4.5
        coherence = RNG.uniform(0, 1, 200).astype(np.float32)
        excess = np.clip((independent * coherence.astype(float) - 1) / (independent - 1), 0, 1)
        smooth = np.array([excess[max(0, k - reach) : k + reach + 1].mean() for k in range(200)]).clip(0, 0.9999)
        weight = np.minimum(smooth / (1 - smooth), 3.0) + 0.01
        weight[:4] = weight[190:] = 0.0
        found = self.loops.weigh(phases, coherence, bins, independent=independent, reach=reach, most=3.0, least=0.01)
        close(self, found, phases * weight)

    @with_both
    def test_copies_are_weighed_up_to_the_bound(self):
        phases = np.ones(50, np.complex64)
        for most in (2.0, 200.0):
            coherence = np.ones(50, np.float32)
            found = self.loops.weigh(phases, coherence, slice(0, 50), independent=3.0, reach=2, most=most, least=0.0)
            np.testing.assert_allclose(found.real, most, rtol=1e-6)


class CorrelationAtTest(unittest.TestCase):
    @settings(max_examples=60)
    @given(lag=st.floats(-9000, 9000), first=st.integers(0, 300), count=st.integers(0, 700))
    @with_both
    def test_value_slope_and_curvature(self, lag, first, count):
        row, bins = spectrum(1025), slice(first, first + count)
        omega = 2 * np.pi * np.arange(1025)[bins] / 2048
        turned = row[bins] * np.exp(1j * np.mod(omega * lag, 2 * np.pi))
        expected = [turned.real.sum(), -(omega * turned.imag).sum(), -(omega**2 * turned.real).sum()]
        scale = float(np.abs(row[bins]).sum()) + 1.0
        np.testing.assert_allclose(self.loops.correlation_at(row, bins, lag), expected, atol=2e-6 * scale * np.pi**2)

    @with_both
    def test_bins_beyond_the_spectrum_are_refused(self):
        with self.assertRaisesRegex(InputError, "bins within 9"):
            self.loops.correlation_at(spectrum(9), slice(0, 10), 0.0)


class InterpolateTest(unittest.TestCase):
    TABLE = noise(5, 4)

    def expected(self, sound, start, step, length):
        position = start + step * np.arange(length)
        base = np.floor(position).astype(int)
        phase = (position - base) * 4
        share = (phase - phase.astype(int))[:, None]
        kernel = self.TABLE[phase.astype(int)] * (1 - share) + self.TABLE[phase.astype(int) + 1] * share
        return np.stack([(row[base[:, None] + np.arange(-1, 3)] * kernel).sum(axis=1) for row in sound])

    @with_both
    def test_channels_in_strided_rows(self):
        sound, into = noise(3, 90)[:, 5:80], np.zeros((3, 60), np.float32)
        self.loops.interpolate(sound, 1.3, 1.07, self.TABLE, into[:, 7:57])
        close(self, into[:, 7:57], self.expected(sound, 1.3, 1.07, 50))
        self.assertFalse(into[:, :7].any() or into[:, 57:].any())

    @with_both
    def test_what_lies_outside_the_sound_is_refused(self):
        sound = noise(1, 20)
        self.loops.interpolate(sound, 1.0, 1.0, self.TABLE, np.zeros((1, 17), np.float32))
        for start, length in ((0.9, 5), (1.0, 18), (float("nan"), 3)):
            with self.assertRaisesRegex(InputError, "outside 20 samples"):
                self.loops.interpolate(sound, start, 1.0, self.TABLE, np.zeros((1, length), np.float32))

    @with_both
    def test_other_types_are_refused(self):
        for sound in (np.zeros((1, 20)), np.zeros((1, 40), np.float32)[:, ::2]):
            with self.assertRaisesRegex(InputError, "rows of float32"):
                self.loops.interpolate(sound, 1.0, 1.0, self.TABLE, np.zeros((1, 5), np.float32))


class CommonPassageTest(unittest.TestCase):
    @with_both
    def test_finds_what_both_have_and_leaves_out_what_they_do_not(self):
        shared = noise(30, 6)
        first = np.concatenate([noise(7, 6), shared, noise(5, 6)])
        # Played at half the speed in its second half.
        second = np.concatenate([noise(11, 6), shared[:15], np.repeat(shared[15:], 2, axis=0), noise(3, 6)])
        path, total = self.paths.common_passage(first, second, 4.0, 0.5)
        self.assertGreater(total, 30 * 4.0)
        on = {(7 + k, 11 + k) for k in range(15)}
        self.assertGreaterEqual(len(on & {tuple(one) for one in path.tolist()}), 14)
        self.assertTrue(np.all(np.diff(path, axis=0) >= 0))
        # The half that was played slowly; by chance what follows may be a little alike.
        slow = {(22 + k, 26 + 2 * k) for k in range(15)} | {(22 + k, 27 + 2 * k) for k in range(15)}
        self.assertGreaterEqual(len(slow & {tuple(one) for one in path.tolist()}), 20)

    @with_both
    def test_both_ways_at_once_is_each_by_itself(self):
        for n, m in ((30, 45), (1, 7), (600, 20)):
            first, second = noise(n, 6), noise(m, 6)
            second[m // 2 :] = first[np.arange(m - m // 2) % n]
            path, total, backwards = self.paths.common_passage_both_ways(first, second, 12.0, 2.0)
            ahead, there = self.paths.common_passage(first, second, 12.0, 2.0)
            _, back = self.paths.common_passage(first, np.ascontiguousarray(second[::-1]), 12.0, 2.0)
            np.testing.assert_array_equal(path, ahead)
            self.assertAlmostEqual(total, there, delta=1e-5 * there)
            self.assertAlmostEqual(backwards, back, delta=1e-5 * back)

    @with_both
    def test_strangers_have_nothing(self):
        path, total = self.paths.common_passage(noise(20, 6), noise(25, 6) + 50, 4.0, 0.5)
        self.assertEqual((path.shape, total), ((0, 2), 0.0))

    @with_both
    def test_other_features_are_refused(self):
        with self.assertRaisesRegex(InputError, "equal features"):
            self.paths.common_passage(noise(3, 4), noise(3, 5), 1.0, 0.1)


class LikelyCourseTest(unittest.TestCase):
    @given(seed=st.integers(0, 999), half=st.integers(3, 12))
    @settings(deadline=None, max_examples=25)
    def test_both_kinds_of_loops_say_the_same(self, seed, half):
        rng = np.random.default_rng(seed)
        first = rng.standard_normal((40, 5)).astype(np.float32)
        second = np.repeat(first, rng.integers(1, 3, 40), axis=0) + rng.standard_normal(5).astype(np.float32) * 0.1
        starts = np.rint(np.linspace(0, len(second) - 1, 40)).astype(np.int64) - half
        values = {"sharpness": 0.5, "gap": 0.1, "reach": 2}
        found = compiled_paths.likely_course(first, second, starts, 2 * half + 1, **values)
        close(self, found, plain_paths.likely_course(first, second, starts, 2 * half + 1, **values), 1e-5)

    @with_both
    def test_follows_to_a_fraction_of_an_element(self):
        times = np.arange(120)
        phase = np.cumsum(0.25 + 0.1 * np.sin(times / 9))
        wave = lambda at: np.stack([np.sin(at * k + k) for k in (0.3, 0.7, 1.1, 1.9)], axis=1).astype(np.float32)  # noqa: E731
        first, second = wave(phase), wave(np.arange(0, 60, 0.25))
        starts = np.maximum.accumulate(np.rint(phase / 0.25).astype(np.int64) - 8)
        found = self.paths.likely_course(first, second, starts, 17, sharpness=20.0, gap=0.3, reach=4)
        np.testing.assert_allclose(found[5:-5, 0], phase[5:-5] / 0.25, atol=0.6)
        self.assertLess(found[5:-5, 1].max(), 2.0)

    @with_both
    def test_a_band_beside_the_second_says_so(self):
        found = self.paths.likely_course(
            noise(4, 3), noise(5, 3), np.full(4, 90, np.int64), 3, sharpness=1.0, gap=0.1, reach=1
        )
        np.testing.assert_array_equal(found[:, 2], -1.0)

    @with_both
    def test_a_band_that_runs_back_is_refused(self):
        with self.assertRaisesRegex(InputError, "rising band"):
            self.paths.likely_course(noise(3, 4), noise(3, 4), np.array([2, 1, 0]), 3, sharpness=1.0, gap=0.1, reach=1)


class BestWalkTest(unittest.TestCase):
    @given(seed=st.integers(0, 999), rows=st.integers(1, 5), columns=st.integers(1, 6), most=st.integers(0, 2))
    @settings(deadline=None, max_examples=40)
    @with_both
    def test_no_other_walk_gains_more(self, seed, rows, columns, most):
        rng = np.random.default_rng(seed)
        gains = rng.standard_normal((rows, columns)).astype(np.float32)
        price = rng.uniform(0, 0.5, 2 * most + 1).astype(np.float32)

        def gained(walk):
            steps = np.diff(walk)
            if np.any(np.abs(steps) > most):
                return -np.inf
            return float(gains[np.arange(rows), walk].sum() - price[most - steps].sum())

        total, path = self.paths.best_walk(gains, price)
        self.assertAlmostEqual(total, max(gained(walk) for walk in product(range(columns), repeat=rows)), delta=1e-5)
        self.assertAlmostEqual(gained(path), total, delta=1e-5)

    def test_both_kinds_of_loops_take_the_same_walk(self):
        gains, price = noise(60, 1441), np.abs(noise(35))
        total, path = compiled_paths.best_walk(gains, price)
        expected, same = plain_paths.best_walk(gains, price)
        self.assertAlmostEqual(total, expected, delta=1e-3)
        np.testing.assert_array_equal(path, same)

    @with_both
    def test_steps_that_fit_no_byte_are_refused(self):
        with self.assertRaisesRegex(InputError, "up to 255"):
            self.paths.best_walk(noise(3, 4), noise(257))
