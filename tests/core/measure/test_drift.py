import doctest
import unittest

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.measure import drift
from gullywind.core.measure.drift import find_consensus, fit_drift


def load_tests(loader, tests, ignore):
    tests.addTests(doctest.DocTestSuite(drift, extraglobs={"np": np}))
    return tests


class FitDriftTest(unittest.TestCase):
    def test_finds_clock_drift_among_false_peaks(self):
        t_ref = np.arange(0.0, 600.0, 10.0)
        t_rec = 1.0000381 * (t_ref - 12.345678)
        t_rec[np.random.default_rng(7).choice(60, size=12, replace=False)] += 0.5
        fit = fit_drift(t_ref, t_rec, np.ones(60), tolerance_s=0.001)
        self.assertAlmostEqual(fit.clock_ppm, 38.1, delta=0.01)
        self.assertAlmostEqual(fit.offset_s, 12.345678, delta=1e-6)
        self.assertEqual(np.count_nonzero(fit.inliers), 48)

    def test_its_error_bar_holds(self):
        rng = np.random.default_rng(3)
        t_ref = np.arange(0.0, 600.0, 12.0)
        misses = []
        for _ in range(200):
            fit = fit_drift(t_ref, t_ref - 5 + rng.normal(0, 20e-6, t_ref.size), np.ones(t_ref.size), tolerance_s=0.001)
            misses.append(abs(fit.clock_ppm) / fit.ppm_error)
        # 68 % within one standard error, 95 % within two, give or take the sample.
        self.assertAlmostEqual(np.mean(np.array(misses) < 1), 0.68, delta=0.12)
        self.assertGreater(np.mean(np.array(misses) < 2.2), 0.9)

    def test_strong_windows_count_more(self):
        t_ref = np.arange(10.0)
        late = np.where(t_ref % 2 == 0, 0.0, 0.0004)
        fit = fit_drift(t_ref, t_ref + late, np.where(t_ref % 2 == 0, 100.0, 1.0), tolerance_s=0.001)
        self.assertLess(np.abs(fit.residual_s[::2]).max(), 1e-5)

    def test_one_window_gives_rate_one(self):
        self.assertEqual(fit_drift(np.array([3.0]), np.array([1.0]), np.ones(1), tolerance_s=0.001).rate, 1.0)

    def test_refuses_unequal_arrays(self):
        with self.assertRaisesRegex(InputError, r"got \(2,\) and \(3,\)"):
            fit_drift(np.zeros(2), np.zeros(3), np.ones(2), tolerance_s=0.001)


class ConsensusTest(unittest.TestCase):
    def test_majority_wins_over_louder_strangers(self):
        t_ref = np.arange(0.0, 80.0, 10.0)
        t_rec = t_ref * 1.0001 - 4
        t_rec[[1, 5]] += [0.02, -0.05]
        strength = np.ones(8)
        strength[[1, 5]] = 2.5
        found = find_consensus(t_ref, t_rec, strength, expected_rate=1.0, most_ppm=600, tolerance_s=0.001)
        self.assertEqual(np.flatnonzero(~found.inliers).tolist(), [1, 5])
        self.assertAlmostEqual((found.rate - 1) * 1e6, 100, delta=1e-3)

    def test_does_not_believe_impossible_clocks(self):
        t_ref = np.arange(0.0, 80.0, 10.0)
        found = find_consensus(t_ref, t_ref * 1.002, np.ones(8), expected_rate=1.0, most_ppm=600, tolerance_s=0.001)
        self.assertLess(np.count_nonzero(found.inliers), 3)
