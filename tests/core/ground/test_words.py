import unittest

from gullywind.core.ground.words import later, readable


class WordsTest(unittest.TestCase):
    def test_a_time_is_told_in_the_unit_that_it_has_once_it_is_rounded(self):
        told = {1e-6: "1 µs", 2.34e-5: "23.4 µs", 0.000999: "999 µs", 0.0009999999: "1 ms", 0.0015: "1.5 ms"}
        told |= {0.99994: "999.9 ms", 0.99999: "1.000 s", 1.0: "1.000 s", 12.5: "12.500 s"}
        for time_s, words in told.items():
            with self.subTest(time_s=time_s):
                self.assertEqual(readable(time_s), words)
        self.assertEqual((later(0.02), later(-0.0015)), ("20 ms later", "1.5 ms earlier"))
