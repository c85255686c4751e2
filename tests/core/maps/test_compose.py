import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.maps.compose import inverse, through
from gullywind.core.maps.time_map import Piece, TimeMap

RATES = st.floats(-300, 300).map(lambda ppm: 1 + ppm * 1e-6)


class ComposeTest(unittest.TestCase):
    @given(st.floats(-50, 50), RATES)
    def test_there_and_back_is_where_one_was(self, offset_s, rate):
        placed = TimeMap.placement(offset_s, rate, 100.0)
        t_ref = np.linspace(offset_s, offset_s + 99, 50)
        t_rec = placed.to_recording(t_ref)
        np.testing.assert_allclose(inverse(placed).to_recording(t_rec), t_ref, atol=1e-9)

    @given(st.floats(-90, 50), RATES, st.floats(60, 200))
    def test_turned_round_all_of_a_recording_has_its_place(self, offset_s, rate, duration_s):
        # However little of it the other has heard.
        turned = inverse(TimeMap.placement(offset_s, rate, 100.0), duration_s)
        (start_ref, start_rec), (end_ref, end_rec) = turned.pieces[0].start, turned.pieces[-1].end_exclusive
        np.testing.assert_allclose((start_rec, end_rec), (0.0, duration_s), atol=1e-9)
        np.testing.assert_allclose((start_ref, end_ref), (-offset_s * rate, (duration_s - offset_s) * rate), atol=1e-6)

    def test_turned_round_pieces_beyond_the_recording_go(self):
        broken = TimeMap((Piece(((-30.0, 0.0), (-10.0, 20.0))), Piece(((-8.0, 20.0), (12.0, 40.0)))))
        self.assertEqual([piece.knots for piece in inverse(broken, 50.0).pieces], [((28.0, 0.0), (78.0, 50.0))])

    @given(st.floats(-1e-12, 1e-12))
    def test_a_bend_that_both_have_but_for_a_rounding_is_one(self, rounding_s):
        wandering = Piece(((-90.0, 0.0), (-88.0, 1.99), (-60.0, 30.0)))
        recording = Piece(((0.0, 50.0), (1.99 + rounding_s, 52.0), (30.0, 80.01)))
        found = through(TimeMap((wandering,)), TimeMap((recording,)))
        self.assertEqual([len(one.knots) for one in found.pieces], [3])
        self.assertAlmostEqual(found.to_reference(np.array([52.0]))[0], -88.0, delta=1e-9)

    @given(st.floats(-20, 20), RATES, st.floats(-20, 20), RATES)
    def test_through_a_middle_every_moment_is_where_both_say(self, offset_s, rate, other_s, other):
        middle = TimeMap.placement(offset_s, rate, 120.0)
        recording = TimeMap.placement(other_s, other, 60.0)
        found = through(middle, recording)
        self.assertEqual(len(found.pieces), 1)
        self.assertTrue(found.pieces[0].is_straight)
        t_rec = np.linspace(0, 60, 7)
        expected = middle.pieces[0].reference_along(recording.pieces[0].reference_along(t_rec))
        np.testing.assert_allclose(found.pieces[0].reference_along(t_rec), expected, atol=1e-9)

    def test_breaks_of_both_are_kept(self):
        middle = TimeMap((Piece(((5.0, 0.0), (45.0, 40.0))), Piece(((50.0, 40.0), (110.0, 100.0)))))
        recording = TimeMap((Piece(((10.0, 0.0), (30.0, 20.0))), Piece(((33.0, 20.0), (80.0, 67.0)))))
        found = through(middle, recording)
        self.assertEqual([piece.start for piece in found.pieces], [(15.0, 0.0), (38.0, 20.0), (50.0, 27.0)])
        self.assertEqual(found.pieces[-1].end_exclusive, (90.0, 67.0))

    def test_a_clock_runs_on_where_the_middle_was_not_seen(self):
        seen = TimeMap((Piece(((20.0, 10.0), (60.0, 50.0))),))
        whole = TimeMap.placement(0.0, 1.0, 70.0)
        self.assertEqual(through(seen, whole).pieces[0].knots, ((10.0, 0.0), (80.0, 70.0)))

    def test_what_lies_where_the_middle_paused_has_no_map(self):
        middle = TimeMap.placement(0.0, 1.0, 10.0)
        paused = TimeMap((middle.pieces[0], Piece(((20.0, 40.0), (30.0, 50.0)))))
        self.assertIsNone(through(paused, TimeMap.placement(15.0, 1.0, 5.0)))

    def test_of_an_overlap_the_later_piece_has_the_time(self):
        overlapping = TimeMap((Piece(((0.0, 0.0), (4.0, 4.0))), Piece(((3.0, 4.0), (7.0, 8.0)))))
        turned = inverse(overlapping)
        self.assertEqual(turned.pieces[0].end_exclusive, (3.0, 3.0))
        self.assertEqual(turned.pieces[1].start, (4.0, 3.0))
