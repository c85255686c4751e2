import unittest
from datetime import timedelta
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.timecode import Counting, read_label

NTSC = Fraction(30000, 1001)
COUNTINGS = st.sampled_from(
    [
        Counting(Fraction(24000, 1001)),
        Counting(Fraction(24)),
        Counting(Fraction(25)),
        Counting(NTSC),
        Counting(NTSC, True),
        Counting(Fraction(30)),
        Counting(2 * NTSC, True),
    ]
)


class TimecodeTest(unittest.TestCase):
    def test_drop_frame_leaves_out_two_numbers_in_nine_of_ten_minutes(self):
        counting = Counting(NTSC, True)
        self.assertEqual(counting.label(1799), (0, 0, 59, 29))
        self.assertEqual(counting.label(1800), (0, 1, 0, 2))
        self.assertEqual(counting.label(17981), (0, 9, 59, 29))
        self.assertEqual(counting.label(17982), (0, 10, 0, 0))
        self.assertEqual(counting.day_frames, 2589408)

    def test_a_day_of_drop_frame_labels_keeps_to_the_clock_and_one_without_does_not(self):
        day_s = timedelta(days=1).total_seconds()
        self.assertAlmostEqual(Counting(NTSC, True).day_s, day_s, delta=0.1)
        self.assertAlmostEqual(Counting(NTSC).day_s, day_s * 1.001, delta=1e-6)

    @given(COUNTINGS, st.integers(0, 2589407))
    def test_every_frame_has_one_label(self, counting, number):
        label = counting.label(number % counting.day_frames)
        self.assertEqual(counting.number(label), number % counting.day_frames)
        self.assertEqual(read_label(counting.written(label)), (label, counting.drop_frame))

    def test_what_is_no_label_is_refused_in_words(self):
        for text in ("", "10:00:00", "25:00:00:00", "10:60:00:00", "ten o'clock"):
            with self.subTest(text), self.assertRaisesRegex(InputError, "A timecode is written 10:00:00:00"):
                read_label(text)
