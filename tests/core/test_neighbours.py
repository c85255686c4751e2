import unittest

from gullywind.core.judge.placing import Known
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status
from gullywind.core.neighbours import said_to_share


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
