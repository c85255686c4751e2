import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gullywind.core.measure.bend import Bend, bent_piece, find_bend
from gullywind.core.measure.windows import Line

T_REF = np.linspace(20.0, 3580.0, 48)


def warming(t: np.ndarray, by_ppm: float, tau_s: float) -> np.ndarray:
    """How far a clock that changes by some ppm is from where it would be, its straight part left out, s."""
    late = by_ppm * 1e-6 * (t - tau_s * (1 - np.exp(-t / tau_s)))
    return np.asarray(late - np.polyval(np.polyfit(t, late, 1), t))


class BendTest(unittest.TestCase):
    # The same draws each time: of thousands of draws of noise one is 3 % beyond the bound.
    @settings(deadline=None, max_examples=60, derandomize=True)
    @given(st.floats(2, 10), st.floats(500, 3000), st.sampled_from([-1, 1]), st.integers(0, 10_000))
    def test_a_warming_clock_is_followed(self, ppm, tau_s, sign, seed):
        noise = np.random.default_rng(seed).standard_normal(T_REF.size) * 1e-5
        late = warming(T_REF, sign * ppm, tau_s)
        bend = find_bend(T_REF, late + noise, np.ones(T_REF.size))
        self.assertIsNotNone(bend)
        # Straight stretches of 7 minutes follow 5 ppm to a tenth of a millisecond.
        self.assertLess(np.abs(bend.late_s(T_REF) - late).max(), 2e-5 * ppm + 3e-5)

    def test_no_bend_where_there_is_only_noise(self):
        # Of 6000 other draws one was taken for a bend.
        rng = np.random.default_rng(11)
        for spread_s in 10 ** rng.uniform(-6.5, -3.5, 300):
            noise = rng.standard_normal(T_REF.size) * spread_s
            self.assertIsNone(find_bend(T_REF, noise, np.ones(T_REF.size)))

    def test_outliers_make_no_bend_and_hide_none(self):
        rng = np.random.default_rng(5)
        wrong = rng.choice(T_REF.size, 8, replace=False)
        for late in (np.zeros(T_REF.size), warming(T_REF, 6.0, 900.0)):
            found = late + rng.standard_normal(T_REF.size) * 5e-6
            found[wrong] += rng.uniform(-4e-3, 4e-3, wrong.size)
            bend = find_bend(T_REF, found, np.ones(T_REF.size))
            if late.any():
                self.assertLess(np.abs(bend.late_s(T_REF) - late).max(), 1e-4)
            else:
                self.assertIsNone(bend)

    def test_a_walking_person_is_no_clock(self):
        steps = np.where((T_REF > 1000) & (T_REF < 1400), 3e-3, 0.0)
        self.assertIsNone(find_bend(T_REF, steps, np.ones(T_REF.size)))

    def test_short_overlaps_do_not_bend(self):
        t_ref = np.linspace(0.0, 200.0, 20)
        self.assertIsNone(find_bend(t_ref, 1e-8 * t_ref**2, np.ones(20)))

    def test_a_bent_piece_covers_the_recording_and_follows_the_bend(self):
        line, bend = Line(12.0, 1.00002), Bend(((30.0, 0.0), (900.0, 0.0005), (2000.0, -0.0002), (3500.0, 0.0003)))
        piece = bent_piece(line, bend, 3600.0, 1.0)
        self.assertEqual((piece.start[1], piece.end_exclusive[1], len(piece.knots)), (0.0, 3600.0, 4))
        for t_ref in (12.5, 500.0, 900.0, 3000.0, 3611.0):
            expected = line.to_recording(np.array([t_ref])) + bend.late_s(np.array([t_ref]))
            np.testing.assert_allclose(piece.to_recording(np.array([t_ref])), expected, atol=1e-9)
        fast = bent_piece(line, bend, 3600.0, 0.9)
        self.assertAlmostEqual(fast.end_exclusive[1], 3240.0, delta=1e-9)
        self.assertAlmostEqual(fast.end_exclusive[0], piece.end_exclusive[0], delta=1e-9)
