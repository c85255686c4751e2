import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.words import readable
from gullywind.core.maps.edits import MoveTo, Nudge, SetRate, Stretch, UseClock
from gullywind.core.maps.time_map import Piece, TimeMap, alike

PLACED = TimeMap.from_json([[[10.0, 0.0], [50.0, 40.0]], [[52.0, 40.0], [90.0, 78.0]]])


class EditsTest(unittest.TestCase):
    @given(st.floats(-100, 100).filter(lambda s: abs(s) > 1e-6))
    def test_a_nudge_moves_all_pieces_alike(self, by_s):
        moved = Nudge(by_s).apply(PLACED).time_map
        for before, after in zip(PLACED.pieces, moved.pieces, strict=True):
            for (ref0, rec0), (ref1, rec1) in zip(before.knots, after.knots, strict=True):
                self.assertAlmostEqual(ref1 - ref0, by_s, delta=1e-9)
                self.assertEqual(rec0, rec1)

    def test_sentences_say_what_was_done(self):
        self.assertEqual(Nudge(-0.001).apply(PLACED).sentence, "moved 1 ms earlier")
        self.assertEqual(Nudge(1 / 48000).apply(PLACED).sentence, "moved 20.8 µs later")
        self.assertEqual(MoveTo(3.25).apply(PLACED).sentence, "start set to 3.250000 s")
        self.assertEqual(readable(2.5), "2.500 s")
        self.assertEqual(SetRate(1.0000381).apply(PLACED).sentence, "clock set to 38.10 ppm fast")
        self.assertEqual(SetRate(24 / 25).apply(PLACED).sentence, "clock set to 96.0000 % of its speed")
        self.assertEqual(SetRate(1000 / 1001).apply(PLACED).sentence, "clock set to 99.9001 % of its speed")

    def test_moving_keeps_the_gap(self):
        moved = MoveTo(0.0).apply(PLACED).time_map
        self.assertEqual(moved.offset_s, 0.0)
        self.assertAlmostEqual(moved.pieces[1].start[0] - moved.pieces[0].end_exclusive[0], 2.0, delta=1e-9)

    def test_refuses_slips(self):
        for by_s in (0.0, float("nan"), float("inf"), 1e6):
            with self.assertRaisesRegex(InputError, "within a day"):
                Nudge(by_s).apply(PLACED)
        with self.assertRaisesRegex(InputError, "within a day"):
            MoveTo(-1e7).apply(PLACED)
        for rate in (0.0, -1.0, 9.0, float("nan")):
            with self.assertRaisesRegex(InputError, "A rate must be"):
                SetRate(rate).apply(PLACED)
        with self.assertRaisesRegex(InputError, "apart"):
            Stretch(20.0, 20.1, 0.01).apply(PLACED)
        with self.assertRaisesRegex(InputError, "beyond all measure"):
            Stretch(20.0, 30.0, -10.0).apply(PLACED)

    @given(st.floats(-300, 300))
    def test_a_typed_clock_holds_the_start_and_is_common_to_all_pieces(self, ppm):
        changed = SetRate(1 + ppm * 1e-6).apply(PLACED).time_map
        self.assertEqual(changed.pieces[0].start, PLACED.pieces[0].start)
        for piece in changed.pieces:
            self.assertAlmostEqual((piece.rate - 1) * 1e6, ppm, delta=1e-4)

    def test_a_refused_clock_is_straight_and_the_measured_one_comes_back_bent(self):
        bent = TimeMap.from_json([[[-5.0, 0.0], [600.0, 605.01], [1200.0, 1205.03]]])
        straight = UseClock(Piece(((0.0, 0.0), (1.0, 1.0))), "refused:").apply(bent).time_map
        self.assertEqual([len(piece.knots) for piece in straight.pieces], [2])
        self.assertAlmostEqual(straight.rate, 1.0, delta=1e-12)
        # What is heard first stays: reference time 0, not the recording's start before it.
        at_zero = np.zeros(1)
        np.testing.assert_allclose(straight.to_recording(at_zero), bent.to_recording(at_zero), atol=1e-9)
        back = UseClock(bent.pieces[0], "used:").apply(straight).time_map
        self.assertTrue(alike(back, bent))

    def test_every_piece_keeps_its_place_when_the_clock_is_refused(self):
        fast = SetRate(1.0001).apply(PLACED).time_map
        straight = UseClock(Piece(((0.0, 0.0), (1.0, 1.0))), "refused:").apply(fast).time_map
        for before, after in zip(fast.pieces, straight.pieces, strict=True):
            self.assertEqual(before.start, after.start)
            self.assertAlmostEqual(after.rate, 1.0, delta=1e-12)

    @given(st.floats(12, 45), st.floats(55, 88), st.floats(-0.2, 0.2))
    def test_stretching_holds_one_moment_and_moves_the_other(self, hold_s, at_s, by_s):
        stretched = Stretch(hold_s, at_s, by_s).apply(PLACED).time_map
        held, moved = (float(PLACED.to_recording(np.array([t]))[0]) for t in (hold_s, at_s))
        self.assertAlmostEqual(float(stretched.to_reference(np.array([held]))[0]), hold_s, delta=1e-9)
        self.assertAlmostEqual(float(stretched.to_reference(np.array([moved]))[0]), at_s + by_s, delta=1e-9)
