"""Which files are offered as sets."""

import unittest
from dataclasses import replace

from gullywind.core.sound.facts import MediaFacts
from gullywind.core.sound.set_signs import FileSigns, offered_sets

FACTS = MediaFacts("wav", "pcm_s24le", 48000, 1, 4_800_000, 24, False, 14_400_044, None, None, None, False)


def signs(name: str, **facts: object) -> FileSigns:
    return FileSigns(name, name, replace(FACTS, **facts))


class MicrophonesTest(unittest.TestCase):
    def test_equal_lengths_and_names_that_differ_in_one_word(self) -> None:
        (offer,) = offered_sets([signs("Stage right"), signs("Stage left"), signs("Talk", samples=4_700_000)])
        self.assertEqual(offer.keys, ("Stage left", "Stage right"))
        self.assertEqual(offer.places_s, (0.0, 0.0))
        self.assertIn("equally long", offer.reason)

    def test_equal_lengths_alone_are_chance(self) -> None:
        self.assertEqual(offered_sets([signs("Anna at home"), signs("Bert in the shed")]), [])

    def test_names_of_one_word_have_nothing_in_common(self) -> None:
        self.assertEqual(offered_sets([signs("Desk"), signs("Phone")]), [])

    def test_names_alone_are_as_well(self) -> None:
        self.assertEqual(offered_sets([signs("Stage left"), signs("Stage right", samples=4_800_001)]), [])

    def test_one_stated_start_will_do_whatever_the_names(self) -> None:
        at = 172_800_000
        (offer,) = offered_sets(
            [signs("boom", time_reference_samples=at), signs("lapel of Ann", time_reference_samples=at)]
        )
        self.assertIn("same time by their own statement", offer.reason)

    def test_a_start_of_zero_states_nothing(self) -> None:
        both = [signs("boom", time_reference_samples=0), signs("lapel of Ann", time_reference_samples=0)]
        self.assertEqual(offered_sets(both), [])

    def test_long_words_are_titles(self) -> None:
        self.assertEqual(offered_sets([signs("Lesson Morning"), signs("Lesson Evening")]), [])


class SplitFilesTest(unittest.TestCase):
    def test_by_their_time_reference_in_the_order_of_numbers(self) -> None:
        parts = [
            signs(f"Talk {number}", time_reference_samples=1000 + (number - 9) * FACTS.samples)
            for number in (9, 10, 11)
        ]
        (offer,) = offered_sets([parts[1], parts[2], parts[0]])
        self.assertEqual(offer.keys, ("Talk 9", "Talk 10", "Talk 11"))
        self.assertEqual(offer.places_s, (0.0, 100.0, 200.0))

    def test_a_pause_between_them_makes_them_two_recordings(self) -> None:
        parts = [
            signs("Talk 1", time_reference_samples=1000),
            signs("Talk 2", time_reference_samples=1000 + FACTS.samples + 48000, samples=100_000),
        ]
        self.assertEqual(offered_sets(parts), [])

    def test_equal_parts_and_a_shorter_last_one(self) -> None:
        parts = [signs("A_0001"), signs("A_0002"), signs("A_0003", samples=777_000)]
        (offer,) = offered_sets(parts)
        self.assertEqual(offer.places_s, (0.0, 100.0, 200.0))

    def test_files_as_large_as_they_can_be(self) -> None:
        first = signs("A_0001", size_bytes=(1 << 31) - 70_000, samples=700_000_000)
        (offer,) = offered_sets([first, signs("A_0002", samples=777_000)])
        self.assertIn("as large as a file can be", offer.reason)

    def test_two_songs_with_numbers_are_none(self) -> None:
        self.assertEqual(offered_sets([signs("Song 1"), signs("Song 2", samples=3_000_000)]), [])
