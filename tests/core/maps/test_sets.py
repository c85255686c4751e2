"""Sets: what one member's map says of the others."""

import unittest
from uuid import uuid4

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.sets import Member, Membership, carried, follow_each_other
from gullywind.core.maps.time_map import Piece, TimeMap

SET = uuid4()


def member(place_s: float, duration_s: float, corrected_s: float = 0.0) -> Member:
    return Member(Membership(SET, place_s, corrected_s), duration_s)


class CarriedTest(unittest.TestCase):
    def test_microphones_of_one_recorder_lie_alike_to_the_last_bit(self) -> None:
        lies = TimeMap.placement(12.345678, 1.0000381, 60.0)
        self.assertEqual(carried(lies, member(0, 60), member(0, 60)), lies)

    def test_breaks_are_those_of_all(self) -> None:
        broken = TimeMap((Piece(((3, 0), (13, 10))), Piece(((15, 10), (65, 60)))))
        self.assertEqual(carried(broken, member(0, 60), member(0, 60)), broken)

    def test_the_next_part_of_a_split_file_begins_where_the_last_one_ends(self) -> None:
        first = TimeMap.placement(5.0, 1.00005, 40.0)
        second = carried(first, member(0, 40), member(40, 25))
        assert second is not None
        self.assertAlmostEqual(second.start_ref_s, first.end_ref_s_exclusive, delta=1e-9)
        self.assertAlmostEqual(second.rate, 1.00005, delta=1e-12)
        self.assertAlmostEqual(second.pieces[-1].end_exclusive[1], 25.0, delta=1e-9)

    def test_and_the_part_before_ends_where_it_begins(self) -> None:
        second = TimeMap.placement(100.0, 0.9999, 25.0)
        first = carried(second, member(40, 25), member(0, 40))
        assert first is not None
        self.assertAlmostEqual(first.end_ref_s_exclusive, 100.0, delta=1e-9)
        self.assertEqual(first.pieces[0].start[1], 0.0)

    def test_a_longer_member_runs_on(self) -> None:
        lies = carried(TimeMap.placement(1.0, 1.0, 10.0), member(0, 10), member(0, 10.5))
        assert lies is not None
        self.assertEqual(lies.pieces[-1].end_exclusive, (11.5, 10.5))

    def test_what_is_cut_off_one_is_cut_off_all(self) -> None:
        cut = TimeMap((Piece(((3, 2), (9, 8))),))
        self.assertEqual(carried(cut, member(0, 10), member(0, 10)), cut)

    def test_but_no_part_of_a_split_file(self) -> None:
        cut = TimeMap((Piece(((3, 2), (9, 8))),))
        second = carried(cut, member(0, 10), member(10, 5))
        assert second is not None
        self.assertAlmostEqual(second.start_ref_s, 11.0, delta=1e-9)

    def test_a_correction_draws_a_member_earlier(self) -> None:
        lies = carried(TimeMap.placement(2.0, 1.0, 30.0), member(0, 30), member(0, 30, corrected_s=0.0012))
        assert lies is not None
        self.assertAlmostEqual(lies.offset_s, 2.0 - 0.0012, delta=1e-12)

    def test_nothing_is_left_of_a_member_that_the_other_outlived(self) -> None:
        late = TimeMap((Piece(((50, 40), (60, 50))),))
        self.assertIsNone(carried(late, member(0, 60), member(0, 30)))

    def test_there_and_back_is_where_it_was(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(50):
            one, other = member(0.0, 40.0), member(float(rng.uniform(-5, 5)), 40.0, float(rng.normal(0, 0.001)))
            lies = TimeMap.placement(float(rng.uniform(-20, 20)), 1 + float(rng.normal(0, 1e-4)), 40.0)
            there = carried(lies, one, other)
            assert there is not None
            back = carried(there, other, one)
            assert back is not None
            self.assertAlmostEqual(back.offset_s, lies.offset_s, delta=1e-9)
            self.assertAlmostEqual(back.end_ref_s_exclusive, lies.end_ref_s_exclusive, delta=1e-9)


class MembershipTest(unittest.TestCase):
    def test_is_stored_and_read(self) -> None:
        one = Membership(SET, 12.5, -0.001)
        self.assertEqual(Membership.from_json(one.to_json()), one)

    def test_another_form_is_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "a membership of another form"):
            Membership.from_json({"set_id": "none"})

    def test_parts_follow_each_other_and_microphones_do_not(self) -> None:
        self.assertTrue(follow_each_other([member(40, 10), member(0, 40)]))
        self.assertFalse(follow_each_other([member(0, 40), member(0, 40)]))
