import unittest

from gullywind.core.align import hear, index_reference
from gullywind.core.judge.placing import Known
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status
from gullywind.core.neighbours import cut_off_with, likely_neighbours, said_to_share
from tests.signals import RATE_HZ, busy, source


def placed(timeline, recording, offset_s):
    placed_at = TimeMap.placement(offset_s, 1.0, 30.0)
    return Known(f"{timeline}-{recording}", timeline, recording, Status.PLACED, placed_at, 0.99, timeline_s=30.0)


class NeighboursTest(unittest.TestCase):
    def test_who_should_sound_alike_by_what_is_known_is_named_unless_it_was_compared(self):
        # From own: a at 5 s, b at 12 s, c at 22 s (8 s in common are too few), d at 10 s, which was compared.
        known = [placed("a", "own", -5.0), placed("a", "b", 7.0), placed("b", "c", 10.0), placed("a", "d", 5.0)]
        known.append(Known("own-d", "own", "d", Status.UNPLACED, None, 0.01))
        self.assertEqual(said_to_share("own", 30.0, known), ["b"])

    def test_those_that_share_most_come_first(self):
        known = [placed("own", "a", 28.0), placed("a", "b", -10.0), placed("a", "c", -25.0), placed("a", "d", -18.0)]
        self.assertEqual(said_to_share("own", 30.0, known), ["c", "d", "b"])

    def test_nobody_is_named_where_nothing_is_known(self):
        self.assertEqual(said_to_share("own", 30.0, []), [])

    def test_who_hangs_together_without_a_way_to_the_timeline_is_named(self):
        known = [placed("mix", "a", 0.0), placed("a", "b", 5.0), placed("c", "d", 5.0), placed("e", "d", 5.0)]
        known.append(Known("b-c", "b", "c", Status.UNSURE, known[0].time_map, 0.6))
        self.assertEqual(cut_off_with("d", "mix", known), {"c", "d", "e"})
        self.assertEqual(cut_off_with("b", "mix", known), frozenset())
        # A stranger hangs together with nobody, and is not asked about again.
        self.assertEqual(cut_off_with("f", "mix", known), frozenset())
        self.assertEqual(cut_off_with("d", "mix", [*known, placed("c", "b", 9.0)]), frozenset())

    def test_the_likeliest_come_first_and_where_a_link_is_missing_all_are_named(self):
        event = busy(90.0, 5)
        own = index_reference(hear(source(event[: 40 * RATE_HZ])))
        others = [
            ("stranger", hear(source(busy(30.0, 6)))),
            ("later", hear(source(event[30 * RATE_HZ : 65 * RATE_HZ]))),
        ]
        self.assertEqual(likely_neighbours(own, others)[0], "later")
        self.assertEqual(likely_neighbours(own, others, least_height=0.0), ["later", "stranger"])
        self.assertEqual(likely_neighbours(own, others, least_height=99.0), [])
