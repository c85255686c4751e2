"""The moment that tells between places: where one agrees and the other does not."""

import unittest

import numpy as np

from gullywind.core.maps.time_map import TimeMap
from gullywind.core.places.telling import telling_moment
from gullywind.core.sound.views import Listening
from tests.signals import RATE_HZ, busy, source

VERSE = busy(20.0, 71)


def view(sound: np.ndarray) -> Listening:
    return Listening(source(sound), (0,))


class TellingMomentTest(unittest.TestCase):
    def test_it_is_where_the_verses_differ(self) -> None:
        # The second verse is the first, but for two seconds.
        other = VERSE.copy()
        other[12 * RATE_HZ : 14 * RATE_HZ] = busy(2.0, 72)
        song = np.concatenate([VERSE, other])
        maps = [TimeMap.placement(0.0, 1.0, 20.0), TimeMap.placement(20.0, 1.0, 20.0)]
        moment_s = telling_moment(view(song), view(VERSE), maps)
        self.assertGreater(moment_s, 11.9)
        self.assertLess(moment_s, 14.1)

    def test_of_one_place_it_is_where_that_agrees(self) -> None:
        song = np.concatenate([busy(20.0, 73)[: 15 * RATE_HZ], VERSE[15 * RATE_HZ :]])
        moment_s = telling_moment(view(song), view(VERSE), [TimeMap.placement(0.0, 1.0, 20.0)])
        self.assertGreater(moment_s, 14.9)

    def test_silence_has_a_moment_too(self) -> None:
        silent = view(np.zeros(5 * RATE_HZ))
        self.assertGreaterEqual(telling_moment(view(VERSE), silent, [TimeMap.placement(2.0, 1.0, 5.0)]), 0.0)
