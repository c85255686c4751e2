import unittest

import numpy as np

from gullywind.core.judge.placing import Known, draw_placings, through_note
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status, Way

DURATIONS = {"mix": 600.0, "a": 300.0, "b": 200.0, "c": 100.0}


def known(timeline, recording, offset_s, confidence=0.99, **more):
    status = Status.PLACED if confidence >= 0.9 else Status.UNSURE
    placed = TimeMap.placement(offset_s, more.pop("rate", 1.0), DURATIONS[recording])
    return Known(f"{timeline}-{recording}", timeline, recording, more.pop("status", status), placed, confidence, **more)


def draw(timeline, *all_known):
    return draw_placings(timeline, all_known)


class PlacingTest(unittest.TestCase):
    def test_what_was_compared_itself_is_as_it_was_found(self):
        one = known("mix", "a", 12.25, ppm_error=0.01)
        drawn = draw("mix", one)["a"]
        self.assertIs(drawn.time_map, one.time_map)
        self.assertEqual((drawn.through, drawn.direct, drawn.ppm_error), ((), True, 0.01))

    def test_another_reference_finds_all_through_the_old_one(self):
        all_known = known("mix", "a", 100.0, rate=1.00002), known("mix", "b", 150.0), known("mix", "c", 130.0)
        drawn = draw("a", *all_known)
        self.assertEqual(drawn.keys(), {"mix", "b", "c"})
        self.assertEqual((drawn["mix"].through, drawn["mix"].direct), ((), False))
        self.assertEqual(drawn["b"].through, ("mix",))
        self.assertAlmostEqual(drawn["b"].time_map.offset_s, 50.0 * 1.00002, delta=1e-9)
        self.assertAlmostEqual(drawn["b"].confidence, 0.99**2, delta=1e-12)
        back = draw("mix", *all_known)
        self.assertEqual(back["b"].time_map, all_known[1].time_map)

    def test_polarities_multiply(self):
        drawn = draw("a", known("mix", "a", 0.0, polarity=-1), known("mix", "b", 5.0, polarity=-1))
        self.assertEqual((drawn["mix"].polarity, drawn["b"].polarity), (-1, 1))

    def test_the_surest_way_is_taken(self):
        drawn = draw(
            "mix", known("mix", "a", 10.0), known("mix", "b", 99.0, 0.5), known("a", "b", 20.0), known("b", "c", 5.0)
        )
        self.assertAlmostEqual(drawn["b"].time_map.offset_s, 30.0, delta=1e-9)
        self.assertEqual(drawn["c"].through, ("a", "b"))
        self.assertEqual(drawn["c"].status, Status.PLACED)

    def test_what_is_unsure_suggests_a_place_from_either_side(self):
        for one, there_s in ((known("a", "b", 20.0, 0.5), 30.0), (known("b", "a", 20.0, 0.5), -10.0)):
            drawn = draw("mix", known("mix", "a", 10.0), one)
            self.assertEqual((drawn["b"].status, drawn["b"].through), (Status.UNSURE, ("a",)))
            self.assertAlmostEqual(drawn["b"].time_map.offset_s, there_s, delta=1e-9)

    def test_what_is_unsure_of_the_two_themselves_stands_before_what_others_say(self):
        drawn = draw("mix", known("mix", "a", 10.0), known("mix", "b", 40.0, 0.5), known("b", "a", 20.0, 0.8))
        self.assertEqual((drawn["b"].status, drawn["b"].through), (Status.UNSURE, ()))

    def test_a_long_chain_of_doubtful_ones_is_unsure(self):
        drawn = draw("mix", known("mix", "a", 10.0, 0.93), known("a", "b", 20.0, 0.93))
        self.assertEqual((drawn["a"].status, drawn["b"].status), (Status.PLACED, Status.UNSURE))

    def test_unsure_and_strange_ones_are_told_and_lead_nowhere(self):
        stranger = Known("x", "mix", "b", Status.UNPLACED, None, 0.01)
        drawn = draw("mix", known("mix", "a", 10.0, 0.5), stranger, known("a", "c", 20.0))
        self.assertEqual((drawn["a"].status, drawn["b"].status), (Status.UNSURE, Status.UNPLACED))
        self.assertNotIn("c", drawn)

    def test_what_was_unsure_stays_so_on_another_timeline(self):
        drawn = draw("a", known("mix", "a", 10.0), known("mix", "b", 30.0, 0.5))
        self.assertEqual((drawn["b"].status, drawn["b"].through), (Status.UNSURE, ("mix",)))
        self.assertAlmostEqual(drawn["b"].time_map.offset_s, 20.0, delta=1e-9)

    def test_what_a_person_decided_outweighs_all_and_the_newest_counts(self):
        drawn = draw(
            "mix",
            known("mix", "a", 10.0, 1.0, way=Way.HAND),
            known("mix", "a", 11.0, 1.0, way=Way.HAND),
            known("mix", "a", 12.0),
            known("a", "b", 5.0),
        )
        self.assertEqual(drawn["a"].time_map.offset_s, 11.0)
        self.assertAlmostEqual(drawn["b"].time_map.offset_s, 16.0, delta=1e-9)
        away = Known("x", "mix", "a", Status.UNPLACED, None, 1.0, way=Way.HAND)
        self.assertEqual(draw("mix", known("mix", "a", 12.0), away)["a"].status, Status.UNPLACED)

    def test_seventy_in_a_moment_and_each_where_it_belongs(self):
        rng = np.random.default_rng(3)
        offsets = rng.uniform(0, 600, 72)
        all_known = [
            Known(str(i), "mix", f"r{i}", Status.PLACED, TimeMap.placement(offsets[i], 1.0, 240.0), 0.99)
            for i in range(72)
        ]
        drawn = draw_placings("r0", all_known)
        found = [drawn[f"r{i}"].time_map.offset_s for i in range(1, 72)]
        np.testing.assert_allclose(found, offsets[1:] - offsets[0], atol=1e-9)

    def test_errors_grow_along_the_way_and_with_the_distance(self):
        # On the mix the first is sure to 1 ms at 20 s, its clock to 2 ppm; the second lies 250 s behind its middle.
        first = known("mix", "a", 100.0, offset_error_s=1e-3, error_at_s=120.0, ppm_error=2.0)
        second = known("a", "b", 400.0, offset_error_s=2e-3, error_at_s=500.0, ppm_error=1.0)
        drawn = draw("mix", first, second)
        at_a = np.hypot(1e-3, 2e-6 * (250 - 120))
        self.assertAlmostEqual(drawn["a"].error_s, at_a, delta=1e-9)
        self.assertAlmostEqual(drawn["b"].error_s, np.sqrt(at_a**2 + 2e-3**2 + (2e-6 * 350) ** 2), delta=1e-8)
        told = through_note(["A"], Status.PLACED, drawn["b"].error_s).message
        self.assertEqual(told, "Placed through A, to about 4.71 ms.")

    def test_an_error_that_one_link_does_not_tell_is_not_told(self):
        first = known("mix", "a", 100.0, offset_error_s=1e-3, error_at_s=120.0, ppm_error=2.0)
        self.assertIsNone(draw("mix", first, known("a", "b", 400.0))["b"].error_s)

    def test_words(self):
        self.assertEqual(through_note(["Mix", "Cam A"], Status.PLACED).message, "Placed through Mix and Cam A.")
        self.assertIn("is not sure", through_note(["Mix"], Status.UNSURE).message)
