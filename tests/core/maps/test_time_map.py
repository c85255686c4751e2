import json
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.time_map import Piece, TimeMap, gap_between, jump_between

TIMES = st.floats(-1e5, 1e5, allow_nan=False)
STEPS = st.lists(st.tuples(st.floats(0.001, 1e3), st.floats(0.001, 1e3)), min_size=1, max_size=8)


def map_from(start_ref: float, start_rec: float, steps: list[tuple[float, float]]) -> TimeMap:
    knots = [(start_ref, start_rec)]
    for by_ref, by_rec in steps:
        knots.append((knots[-1][0] + by_ref, knots[-1][1] + by_rec))
    return TimeMap((Piece(tuple(knots)),))


class PieceTest(unittest.TestCase):
    def test_refuses_knots_that_do_not_rise(self):
        for knots in [
            ((0.0, 0.0),),
            ((0.0, 0.0), (1.0, 0.0)),
            ((1.0, 0.0), (1.0, 1.0)),
            ((0.0, 0.0), (1.0, float("nan"))),
        ]:
            with self.subTest(knots=knots), self.assertRaisesRegex(InputError, "strictly ascending"):
                Piece(knots)

    def test_is_nan_outside(self):
        there = Piece(((1.0, 0.0), (2.0, 1.0))).to_recording(np.array([0.5, 1.5, 2.5]))
        np.testing.assert_array_equal(there, [np.nan, 0.5, np.nan])

    def test_runs_on_straight_beyond_its_ends_and_back(self):
        bent = Piece(((10.0, 0.0), (20.0, 11.0), (30.0, 20.0)))
        t_ref = np.array([0.0, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0])
        np.testing.assert_allclose(bent.along(t_ref), [-11.0, 0.0, 5.5, 11.0, 15.5, 20.0, 29.0], atol=1e-12)
        np.testing.assert_allclose(bent.reference_along(bent.along(t_ref)), t_ref, atol=1e-12)

    @given(st.floats(0, 29.9), st.floats(10.1, 50))
    def test_another_start_or_end_moves_no_sound(self, start, end):
        bent = Piece(((10.0, 0.0), (20.0, 11.0), (30.0, 20.0)))
        for piece in (bent.starting(start), bent.ending(end)):
            t_ref = np.linspace(piece.start[0], piece.end_exclusive[0], 37)
            np.testing.assert_allclose(piece.to_recording(t_ref)[1:-1], bent.along(t_ref)[1:-1], atol=1e-9)
        self.assertEqual((bent.starting(start).start[0], bent.ending(end).end_exclusive[0]), (start, end))

    def test_what_lies_between_two(self):
        first, second = Piece(((0.0, 0.0), (5.0, 5.0))), Piece(((4.5, 6.0), (9.0, 10.5)))
        self.assertAlmostEqual(gap_between(first, second), -0.5)
        self.assertAlmostEqual(jump_between(first, second), -1.5)


class TimeMapTest(unittest.TestCase):
    @given(TIMES, st.floats(0.9, 1.1), st.floats(0.01, 1e5))
    def test_placement_is_what_it_says(self, offset_s, rate, duration_s):
        placed = TimeMap.placement(offset_s, rate, duration_s)
        self.assertEqual(placed.offset_s, offset_s)
        self.assertAlmostEqual(placed.rate, rate, delta=1e-9 * max(1.0, abs(offset_s) / duration_s))

    @given(TIMES, st.floats(0, 1e3), STEPS)
    def test_survives_json_exactly(self, start_ref, start_rec, steps):
        one = map_from(start_ref, start_rec, steps)
        self.assertEqual(TimeMap.from_json(json.loads(json.dumps(one.to_json()))), one)

    @given(st.floats(-1e3, 1e3), st.floats(0, 1e3), STEPS, st.floats(0, 1))
    def test_goes_both_ways(self, start_ref, start_rec, steps, share):
        one = map_from(start_ref, start_rec, steps)
        t_ref = np.array([one.start_ref_s + share * (one.end_ref_s_exclusive - one.start_ref_s)])
        back = one.to_reference(one.to_recording(t_ref))
        # Slopes of up to a million times magnify rounding.
        np.testing.assert_allclose(back, t_ref, atol=1e-6)

    def test_shifting_moves_only_reference_time(self):
        one = TimeMap.placement(2.0, 1.00004, 10.0).shifted(0.25)
        self.assertAlmostEqual(one.offset_s, 2.25, delta=1e-12)
        self.assertEqual(one.pieces[0].start[1], 0.0)

    def test_moving_to_an_offset_is_exact(self):
        self.assertEqual(TimeMap.placement(12.3456789, 1.0000381, 587.2).moved_to(1.5).offset_s, 1.5)

    def test_gap_between_pieces_is_not_covered(self):
        gap = TimeMap.from_json([[[0.0, 0.0], [5.0, 5.0]], [[7.0, 5.0], [9.0, 7.0]]])
        np.testing.assert_array_equal(gap.to_recording(np.array([4.0, 6.0, 8.0])), [4.0, np.nan, 6.0])

    def test_refuses_pieces_out_of_order(self):
        with self.assertRaisesRegex(InputError, "follow each other"):
            TimeMap.from_json([[[0.0, 0.0], [5.0, 5.0]], [[7.0, 4.0], [9.0, 6.0]]])

    def test_refuses_nonsense_json(self):
        for pieces in [[], [["a"]], [[[0, 0], [1]]], 3]:
            with self.subTest(pieces=pieces), self.assertRaises(InputError):
                TimeMap.from_json(pieces)

    def test_clock_ppm_is_positive_for_a_fast_recorder(self):
        self.assertAlmostEqual(TimeMap.placement(0.0, 1.0000381, 600.0).clock_ppm, 38.1, delta=1e-6)


class ManyKnotsTest(unittest.TestCase):
    def test_ten_thousand_knots_answer_as_their_formula(self):
        t_rec = np.linspace(0.0, 3600.0, 10_000)
        t_ref = t_rec + 0.01 * np.sin(t_rec / 7.0)
        many = TimeMap((Piece(np.stack([t_ref, t_rec], axis=1)),))
        self.assertEqual(TimeMap.from_json(many.to_json()), many)
        self.assertEqual(hash(TimeMap.from_json(many.to_json()).pieces[0]), hash(many.pieces[0]))
        asked = np.linspace(0.1, 3599.0, 3000)
        np.testing.assert_allclose(many.to_reference(asked), asked + 0.01 * np.sin(asked / 7.0), atol=5e-5)
        cut = many.pieces[0].ending(1000.0).knots + many.pieces[0].starting(1000.0).knots
        self.assertEqual(len(cut), 10_002)
        moved = many.shifted(1.5)
        np.testing.assert_allclose(moved.to_recording(asked + 1.5), many.to_recording(asked), atol=1e-9)

    def test_what_is_refused_is_told_in_few_words(self):
        with self.assertRaises(InputError) as refused:
            Piece(np.zeros((10_000, 2)))
        self.assertLess(len(str(refused.exception)), 250)
