import doctest
import unittest

from hypothesis import given
from hypothesis import strategies as st

from gullywind.formats import file_names


class FileNamesTest(unittest.TestCase):
    @given(st.lists(st.sampled_from(["take", "Take", "take-2", "other", "TAKE"]), max_size=12))
    def test_no_two_are_the_same_to_a_file_system(self, stems):
        names = file_names.numbered(stems)
        self.assertEqual(len({name.casefold() for name in names}), len(stems))
        for name, stem in zip(names, stems, strict=True):
            self.assertTrue(name.startswith(stem))

    def test_the_example_holds(self):
        self.assertEqual(doctest.testmod(file_names).failed, 0)
