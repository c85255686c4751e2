import unittest
from dataclasses import replace

from gullywind.core.judge.notes import (
    bent_words,
    break_notes,
    drift_notes,
    joint_words,
    part_notes,
    performance_note,
)
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.measure.evidence import Status, Support


class NotesTest(unittest.TestCase):
    def test_a_clock_is_told_with_what_it_comes_to(self):
        (note,) = drift_notes(TimeMap.placement(3.0, 1.0000381, 3600.0), 1.0)
        self.assertEqual((note.code, note.message), ("clock-drift", "Runs 38.1 ppm fast: 137 ms over its length."))
        (note,) = drift_notes(TimeMap.placement(3.0, 0.999998, 600.0), 1.0)
        self.assertEqual(note.message, "Runs 2.0 ppm slow: 1.2 ms over its length.")

    def test_what_nobody_could_hear_is_not_told(self):
        self.assertEqual(drift_notes(TimeMap.placement(3.0, 1.0, 3600.0), 1.0), [])
        self.assertEqual(drift_notes(TimeMap.placement(3.0, 1.000001, 60.0), 1.0), [])

    def test_the_clock_of_a_wrong_header_is_told_apart_from_the_speed(self):
        speed = 44100 / 48000
        (note,) = drift_notes(TimeMap.placement(0.0, 1.00002 * speed, 600.0), speed)
        self.assertIn("Runs 20.0 ppm fast", note.message)

    def test_a_bent_clock_says_between_which_rates(self):
        piece = Piece(((0.0, 0.0), (1000.0, 1000.01), (2000.0, 2000.025)))
        self.assertEqual(bent_words(piece), "Its clock is not steady: from +10.0 to +15.0 ppm.")
        (note,) = drift_notes(TimeMap((piece,)), 1.0)
        self.assertIn("not steady", note.message)

    def test_a_part_that_agrees_is_told_where_it_leaves_doubt(self):
        part = Support(9.0, 8, 8, 22.0, quality=40.0, score=0.4, explained=0.31, overlap_s=20.0, coverage=1.0)
        (note,) = part_notes(Status.UNSURE, part)
        self.assertEqual(
            (note.code, note.message.split(". ")[0]), ("part-alike", "Only 31\u00a0% of what sounds there is in it")
        )
        self.assertEqual(part_notes(Status.PLACED, part), [])
        for noise in (replace(part, quality=8.0), replace(part, chance_nats=3.0), replace(part, explained=0.7)):
            self.assertEqual(part_notes(Status.UNSURE, noise), [])

    def test_what_may_be_performed_anew_is_offered_in_other_words_than_what_surely_is(self):
        surely, perhaps = performance_note(0.86, surely=True), performance_note(0.47, surely=False)
        self.assertEqual(surely.code, perhaps.code)
        self.assertTrue(surely.message.startswith("Performs the part anew, 86.0\u00a0% sure"))
        self.assertTrue(perhaps.message.startswith("Perhaps performs the part anew, 47.0\u00a0% sure: hear"))

    def test_breaks_are_told_in_reference_time(self):
        pieces = [[[10, 0], [774.2, 764.2]], [[775.9, 764.2], [900, 888.3]], [[900, 890.3], [950, 940.3]]]
        self.assertEqual(
            [note.message for note in break_notes(TimeMap.from_json(pieces))],
            ["Paused for 1.70 s at 12:54.2.", "2.00 s too much were recorded at 15:00.0."],
        )

    def test_cuts_are_no_breaks(self):
        first, second = Piece(((0.0, 0.0), (5.0, 5.0))), Piece(((5.0, 5.0), (9.0, 9.0)))
        self.assertEqual(joint_words(first, second), "Cut, nothing moved")
        self.assertEqual(break_notes(TimeMap((first, second))), [])
        self.assertEqual(joint_words(first, Piece(((7.0, 7.0), (9.0, 9.0)))), "2.00 s left out")
