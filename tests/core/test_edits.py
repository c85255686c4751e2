import unittest

from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.edits import move_to, nudge, readable
from gullywind.core.errors import InputError
from gullywind.core.time_map import TimeMap

PLACED = TimeMap.from_json([[[10.0, 0.0], [50.0, 40.0]], [[52.0, 40.0], [90.0, 78.0]]])


class EditsTest(unittest.TestCase):
    @given(st.floats(-100, 100).filter(lambda s: abs(s) > 1e-6))
    def test_a_nudge_moves_all_pieces_alike(self, by_s):
        moved = nudge(PLACED, by_s).time_map
        for before, after in zip(PLACED.pieces, moved.pieces, strict=True):
            for (ref0, rec0), (ref1, rec1) in zip(before.knots, after.knots, strict=True):
                self.assertAlmostEqual(ref1 - ref0, by_s, delta=1e-9)
                self.assertEqual(rec0, rec1)

    def test_sentences_say_what_was_done(self):
        self.assertEqual(nudge(PLACED, -0.001).sentence, "moved 1 ms earlier")
        self.assertEqual(nudge(PLACED, 1 / 48000).sentence, "moved 20.8 µs later")
        self.assertEqual(move_to(PLACED, 3.25).sentence, "start set to 3.250000 s")
        self.assertEqual(readable(2.5), "2.500 s")

    def test_moving_keeps_the_gap(self):
        moved = move_to(PLACED, 0.0).time_map
        self.assertEqual(moved.offset_s, 0.0)
        self.assertAlmostEqual(moved.pieces[1].start[0] - moved.pieces[0].end_exclusive[0], 2.0, delta=1e-9)

    def test_refuses_slips(self):
        for by_s in (0.0, float("nan"), float("inf"), 1e6):
            with self.assertRaisesRegex(InputError, "within a day"):
                nudge(PLACED, by_s)
        with self.assertRaisesRegex(InputError, "within a day"):
            move_to(PLACED, -1e7)
