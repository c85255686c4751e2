import unittest

import numpy as np

from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.proof import Verdict, prove, prove_moment, verdict_of
from gullywind.core.sound.views import listening_views
from tests.signals import busy, clocked, in_room, source, with_noise

OFFSET_S, RATE, LENGTH_S = 7.25, 1.00004, 60.0
TRUE = TimeMap.placement(OFFSET_S, RATE, LENGTH_S)


class ProofTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        event = busy(80.0, 41)
        cls.reference = listening_views(source(event))[0]
        cls.clean = listening_views(source(clocked(event, OFFSET_S, RATE, LENGTH_S)))[0]
        noisy = with_noise(in_room(event, 3), 6.0, 5)
        cls.noisy = listening_views(source(clocked(noisy, OFFSET_S, RATE, LENGTH_S)))[0]
        cls.stranger = listening_views(source(busy(LENGTH_S, 42)))[0]

    def prove(self, recording, time_map):
        return prove(self.reference, recording, time_map, window_s=2.7)

    def test_the_true_map_leaves_next_to_nothing(self):
        residual = self.prove(self.clean, TRUE).residual
        self.assertLess(residual.p95_ms, 0.001)
        self.assertGreaterEqual(residual.windows, 8)

    def test_a_wrong_map_is_told_by_how_much_it_is_wrong(self):
        for late_s in (0.0004, -0.003, 0.05):
            with self.subTest(late_s=late_s):
                proof = self.prove(self.noisy, TRUE.shifted(late_s))
                self.assertAlmostEqual(proof.residual.median_ms, abs(late_s) * 1e3, delta=0.05)
                self.assertAlmostEqual(float(np.median([w.lag_s for w in proof.windows])), late_s, delta=5e-5)

    def test_a_wrong_clock_shows_as_a_slope_of_the_trace(self):
        proof = self.prove(self.noisy, TimeMap.placement(OFFSET_S, 1.0, LENGTH_S))
        slope = np.polyfit([w.t_ref for w in proof.windows], [w.lag_s for w in proof.windows], 1)[0]
        self.assertAlmostEqual(slope * 1e6, 40.0, delta=1.0)

    def test_every_piece_is_measured(self):
        cut = OFFSET_S + 30.0 / RATE
        wrong = (Piece(((OFFSET_S, 0.0), (cut, 30.0))), Piece(((cut + 0.004, 30.0), (OFFSET_S + 60.004 / RATE, 60.0))))
        proof = self.prove(self.noisy, TimeMap(wrong))
        early = [w.lag_s for w in proof.windows if w.t_ref < cut - 1]
        late = [w.lag_s for w in proof.windows if w.t_ref > cut + 1]
        self.assertAlmostEqual(float(np.median(early)), 0.0, delta=5e-5)
        self.assertAlmostEqual(float(np.median(late)), 0.004, delta=5e-5)

    def test_strangers_prove_nothing(self):
        proof = self.prove(self.stranger, TimeMap.placement(3.0, 1.0, LENGTH_S))
        self.assertIsNone(proof.residual)

    def test_the_trace_and_the_residual_count_the_same_windows(self):
        proof = self.prove(self.noisy, TRUE.shifted(0.0004))
        verdicts = [verdict_of(w.lag_s, w.quality) for w in proof.windows]
        self.assertEqual(proof.residual.windows, sum(one is not Verdict.NOTHING for one in verdicts))
        self.assertIs(verdict_of(0.0004, 30.0), Verdict.AGREES)
        self.assertIs(verdict_of(0.004, 30.0), Verdict.DIFFERS)
        # Far from the map a window must be clearer to say anything.
        self.assertIs(verdict_of(0.004, 8.0), Verdict.DIFFERS)
        self.assertIs(verdict_of(0.05, 8.0), Verdict.NOTHING)

    def test_a_moment_is_measured_where_there_is_sound_and_nowhere_else(self):
        there = prove_moment(self.reference, self.noisy, TRUE.shifted(0.002), 40.0)
        self.assertAlmostEqual(there.lag_s, 0.002, delta=1e-4)
        self.assertIsNone(prove_moment(self.reference, self.noisy, TRUE, 75.0))


if __name__ == "__main__":
    unittest.main()
