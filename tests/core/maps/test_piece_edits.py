import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.piece_edits import CloseGap, Join, Remove, Slide, Split, Trim, slide_room
from gullywind.core.maps.time_map import TimeMap, jump_between

LENGTH_S = 118.0
#: Three pieces: a pause of 2 s after the first, 3 s of the recording left out after the second.
THREE = TimeMap.from_json([[[10.0, 0.0], [50.0, 40.0]], [[52.0, 40.0], [90.0, 78.0]], [[90.0, 81.0], [127.0, 118.0]]])


class PieceEditsTest(unittest.TestCase):
    @given(st.floats(10.1, 126.9).filter(lambda t: not 49.9 < t < 52.1 and not 89.9 < t < 90.1))
    def test_a_cut_moves_nothing_and_joining_takes_it_back(self, t_ref):
        cut = Split(t_ref).apply(THREE).time_map
        self.assertEqual(len(cut.pieces), 4)
        t = np.linspace(0, 130, 1301)
        np.testing.assert_allclose(cut.to_recording(t), THREE.to_recording(t), atol=1e-9)
        index = next(i for i, piece in enumerate(cut.pieces) if piece.end_exclusive[0] == t_ref)
        joined = Join(index).apply(cut).time_map
        self.assertEqual(joined.to_json(), THREE.to_json())

    def test_cutting_where_nothing_lies_is_refused(self):
        for t_ref in (5.0, 51.0, 10.005, float("nan")):
            with self.assertRaisesRegex(InputError, "nothing to cut"):
                Split(t_ref).apply(THREE)

    def test_joining_a_break_moves_what_follows_and_brings_back_what_was_left_out(self):
        joined = Join(0).apply(THREE)
        self.assertIn("moved 2.000 s earlier", joined.sentence)
        self.assertEqual(joined.time_map.to_json()[0], [[10.0, 0.0], [88.0, 78.0]])
        self.assertEqual(joined.time_map.pieces[1], THREE.pieces[2])
        back = Join(1).apply(THREE).time_map
        self.assertAlmostEqual(back.pieces[1].end_exclusive[0], 130.0)
        self.assertEqual(back.pieces[1].end_exclusive[1], 118.0)

    @given(st.integers(0, 2), st.floats(-200, 200).filter(lambda s: abs(s) > 1e-3))
    def test_a_piece_slides_between_its_neighbours_and_nothing_else_moves(self, index, by_s):
        low, high = slide_room(THREE, index)
        slid = Slide(index, by_s).apply(THREE).time_map
        for i, (before, after) in enumerate(zip(THREE.pieces, slid.pieces, strict=True)):
            moved = after.start[0] - before.start[0]
            self.assertAlmostEqual(moved, float(np.clip(by_s, low, high)) if i == index else 0.0, delta=1e-9)
            self.assertEqual(before.start[1], after.start[1])

    @given(st.integers(0, 2), st.sampled_from(["start", "end"]), st.floats(-50, 200))
    def test_trimming_moves_no_sound_and_uses_none_twice(self, index, edge, t_ref):
        try:
            trimmed = Trim(index, edge, t_ref, LENGTH_S).apply(THREE).time_map
        except InputError as error:
            self.assertIn("no sound left", str(error))
            return
        piece, before = trimmed.pieces[index], THREE.pieces[index]
        self.assertAlmostEqual(piece.start[0] - piece.start[1], before.start[0] - before.start[1], delta=1e-9)
        self.assertGreaterEqual(piece.start[1], -1e-9)
        self.assertLessEqual(piece.end_exclusive[1], LENGTH_S + 1e-9)
        for first, second in zip(trimmed.pieces, trimmed.pieces[1:], strict=False):
            self.assertLessEqual(first.end_exclusive[1], second.start[1] + 1e-9)

    def test_trimming_out_again_brings_the_sound_back(self):
        inner = Trim(1, "end", 70.0, LENGTH_S).apply(THREE).time_map
        self.assertEqual(inner.pieces[1].end_exclusive, (70.0, 58.0))
        outer = Trim(1, "end", 90.0, LENGTH_S).apply(inner).time_map
        self.assertEqual(outer.to_json(), THREE.to_json())

    def test_removing_leaves_the_others_and_never_nothing(self):
        removed = Remove(1).apply(THREE).time_map
        self.assertEqual(removed.pieces, (THREE.pieces[0], THREE.pieces[2]))
        one = Remove(0).apply(removed).time_map
        with self.assertRaisesRegex(InputError, "only piece"):
            Remove(0).apply(one)
        with self.assertRaisesRegex(InputError, "does not exist"):
            Remove(3).apply(THREE)

    def test_a_closed_gap_moves_all_that_follows(self):
        closed = CloseGap(0).apply(THREE).time_map
        self.assertEqual([p.start[0] for p in closed.pieces], [10.0, 50.0, 88.0])
        with self.assertRaisesRegex(InputError, "no gap"):
            CloseGap(1).apply(THREE)

    def test_jumps_tell_pauses_from_what_was_too_much(self):
        first, second, third = THREE.pieces
        self.assertAlmostEqual(jump_between(first, second), 2.0)
        self.assertAlmostEqual(jump_between(second, third), -3.0)
