"""Frame rates are exact."""

import unittest
from fractions import Fraction

from gullywind.core.ground.errors import InputError
from gullywind.core.ground.frames import FRAME_RATES, frame_rate, rate_name


class FramesTest(unittest.TestCase):
    def test_every_rate_comes_back_from_its_text(self):
        self.assertEqual([frame_rate(str(one)) for one in FRAME_RATES], list(FRAME_RATES))

    def test_names_are_those_of_the_trade(self):
        names = [rate_name(one) for one in FRAME_RATES]
        self.assertEqual(names, ["23.976", "24", "25", "29.97", "30", "48", "50", "59.94", "60"])

    def test_two_hours_of_29_97_are_right_to_the_frame(self):
        frames = 7200 * frame_rate("30000/1001")
        self.assertEqual(frames, Fraction(216000000, 1001))

    def test_others_are_refused_by_name(self):
        for text in ("29.97", "26", "", "1/0"):
            with self.assertRaisesRegex(InputError, "one of 23.976, 24"):
                frame_rate(text)


if __name__ == "__main__":
    unittest.main()
