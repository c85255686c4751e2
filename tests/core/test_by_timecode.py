import unittest
from dataclasses import replace
from fractions import Fraction

from gullywind.core.by_timecode import Coded, place_by_code
from gullywind.core.ground.timecode import Counting, read_label
from gullywind.core.judge.judge import unplaced
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Alignment, Candidate, Residual, Status, Way
from gullywind.core.sound.timecode import CodeSource, Timecode, code_of_label

PAL = Counting(Fraction(25))
LENGTH_S = 100.0


def code(text, at_s=0.0, source=CodeSource.BWF, counting=PAL, speed=1.0) -> Timecode:
    label, _ = read_label(text)
    return code_of_label(source, counting, label, at_s, speed)


def by_sound(status, *offsets_s):
    time_map = TimeMap.placement(offsets_s[0], 1.0, LENGTH_S)
    candidates = tuple(Candidate(one, 1.0, 0.9 - 0.1 * k) for k, one in enumerate(offsets_s))
    confidence = 0.99 if status is Status.PLACED else 0.4
    return Alignment(status, time_map, 1, confidence, candidates, None, ())


class ByTimecodeTest(unittest.TestCase):
    def placed(self, reference, recording, alignment=None, others=(), **options):
        coded = [Coded(LENGTH_S, (recording,), alignment or unplaced(())), *others]
        return place_by_code([reference], 600.0, coded, **options)[0]

    def test_where_the_sound_says_nothing_it_is_a_suggestion(self):
        found = self.placed(code("10:00:00:00"), code("10:01:02:05"))
        self.assertEqual((found.status, found.by), (Status.UNSURE, Way.TIMECODE))
        self.assertAlmostEqual(found.time_map.offset_s, 62.2, delta=1e-9)
        self.assertIn("By its timecode, 10:01:02:05, it would lie here", found.notes[-1].message)

    def test_it_places_once_it_was_right_for_another(self):
        right = Coded(LENGTH_S, (code("10:00:30:00"),), by_sound(Status.PLACED, 30.01))
        found = self.placed(code("10:00:00:00"), code("10:01:00:00"), others=[right])
        self.assertEqual((found.status, found.confidence), (Status.PLACED, 0.95))

    def test_a_person_who_asks_for_nothing_else_trusts_it(self):
        self.assertEqual(self.placed(code("1:00:00:00"), code("1:00:10:00"), trusted=True).status, Status.PLACED)

    def test_it_chooses_among_places_that_the_sound_allows(self):
        found = self.placed(code("10:00:00:00"), code("10:00:08:01"), by_sound(Status.UNSURE, 4.0, 8.0, 12.0))
        self.assertEqual((found.status, found.by), (Status.PLACED, Way.TIMECODE))
        self.assertEqual([one.offset_s for one in found.candidates], [8.0, 4.0, 12.0])
        self.assertEqual(found.time_map.offset_s, 8.0)

    def test_what_was_measured_at_another_place_is_not_told_of_this_one(self):
        measured = replace(by_sound(Status.UNSURE, 4.0, 8.0), residual=Residual(0.1, 0.2, 9), window_s=8.0)
        other = self.placed(code("10:00:00:00"), code("10:00:08:01"), measured)
        self.assertEqual((other.time_map.offset_s, other.residual, other.window_s), (8.0, None, None))
        same = self.placed(code("10:00:00:00"), code("10:00:04:01"), measured)
        self.assertEqual((same.time_map.offset_s, same.residual), (4.0, measured.residual))
        alone = self.placed(code("10:00:00:00"), code("10:01:00:00"), measured)
        self.assertEqual((alone.time_map.offset_s, alone.residual), (60.0, None))

    def test_the_sound_stands_where_they_disagree_and_it_is_said_by_how_much(self):
        said = {
            "11:00:30:00": "exactly 1 hour later",
            "09:58:30:00": "exactly 2 minutes earlier",
            "10:00:30:07": "7 frames later",
            "10:00:31:13": "38 frames later",
        }
        for start, words in said.items():
            with self.subTest(start):
                found = self.placed(code("10:00:00:00"), code(start), by_sound(Status.PLACED, 30.0))
                self.assertEqual((found.status, found.time_map.offset_s), (Status.PLACED, 30.0))
                self.assertEqual(found.notes[-1].code, "timecode-disagrees")
                self.assertIn(words, found.notes[-1].message)
        found = self.placed(code("10:00:00:00"), code("10:00:30:08", 0.02), by_sound(Status.PLACED, 30.0))
        self.assertIn("300 ms later", found.notes[-1].message)

    def test_midnight_lies_between(self):
        for start, other, offset_s in (("23:59:50:00", "00:00:10:00", 20.0), ("00:00:10:00", "23:59:50:00", -20.0)):
            self.assertAlmostEqual(self.placed(code(start), code(other)).time_map.offset_s, offset_s, delta=1e-9)
        drop = Counting(Fraction(30000, 1001), True)
        found = self.placed(code("23:59:59;00", counting=drop), code("00:00:01;00", counting=drop))
        self.assertAlmostEqual(found.time_map.offset_s, 60 * 1.001 / 30, delta=1e-9)

    def test_what_was_recorded_at_another_time_is_left_where_it_was(self):
        judged = unplaced(())
        self.assertIs(self.placed(code("10:00:00:00"), code("12:00:00:00"), judged), judged)

    def test_code_that_is_heard_in_both_tells_the_clock(self):
        reference = code("10:00:00:00", 1.0, CodeSource.SOUND, speed=1.00001)
        found = self.placed(reference, code("10:00:10:00", 0.0, CodeSource.SOUND, speed=1.00003))
        self.assertAlmostEqual(found.time_map.clock_ppm, -20.0, delta=0.01)
        self.assertAlmostEqual(found.time_map.offset_s, 11.0, delta=0.001)

    def test_the_label_is_that_of_the_frame_at_the_first_sample(self):
        self.assertEqual(code("10:00:00:00", 0.5).start, "09:59:59:12")
        self.assertEqual(code("10:00:00:00", 0.0001).start, "10:00:00:00")
        self.assertEqual(code("00:00:00:00", 1.0).start, "23:59:59:00")
