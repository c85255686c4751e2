"""A recording that was put somewhere by hand settles where it sounds alike near by, and nowhere else."""

import unittest

import numpy as np

from gullywind.core.features.extract import listen
from gullywind.core.measure.evidence import Curve
from gullywind.core.measure.windows import Line
from gullywind.core.places.search import ReferenceIndex, search_offsets
from gullywind.core.places.settle import settle
from gullywind.core.sound.views import Listening
from tests.signals import RATE_HZ, busy, clocked, in_room, source, with_noise

EVENT = busy(90.0, 501)
OFFSET_S, RATE = 21.7, 1.00003
TAKEN = with_noise(in_room(clocked(EVENT, OFFSET_S, RATE, 30.0), 502), 6.0, 503)


class SettleTest(unittest.TestCase):
    views: tuple[Listening, Listening]
    curve: Curve

    @classmethod
    def setUpClass(cls) -> None:
        cls.views = Listening(source(EVENT), (0,)), Listening(source(TAKEN), (0,))
        reference, recording = (listen(view.source)[0] for view in cls.views)
        found = search_offsets(ReferenceIndex(reference.features), recording.features)
        cls.curve = Curve(found.start_s, found.step_s, found.heights)

    def settled(self, off_s: float, reach_s: float, curve: Curve | None = None) -> float | None:
        return settle(*self.views, Line(OFFSET_S + off_s, RATE), reach_s, curve)

    def test_near_by_it_settles_to_the_hundredth_of_a_millisecond(self) -> None:
        for off_s in (0.03, -0.008, 0.0004):
            late_s = self.settled(off_s, 0.05)
            assert late_s is not None
            self.assertAlmostEqual(off_s + late_s, 0.0, delta=1e-5)

    def test_further_off_by_the_match_curve(self) -> None:
        late_s = self.settled(-2.3, 4.0, self.curve)
        assert late_s is not None
        self.assertAlmostEqual(late_s, 2.3, delta=1e-5)

    def test_not_beyond_its_reach(self) -> None:
        self.assertIsNone(self.settled(0.03, 0.01))
        self.assertIsNone(self.settled(-2.3, 1.0, self.curve))

    def test_nor_where_nothing_sounds_alike_or_nothing_overlaps(self) -> None:
        stranger = Listening(source(busy(30.0, 504)), (0,))
        self.assertIsNone(settle(self.views[0], stranger, Line(10.0, 1.0), 0.05, None))
        self.assertIsNone(settle(*self.views, Line(200.0, 1.0), 0.05, None))

    def test_silence_is_nowhere_alike(self) -> None:
        silent = Listening(source(np.zeros(30 * RATE_HZ)), (0,))
        self.assertIsNone(settle(self.views[0], silent, Line(10.0, 1.0), 0.05, None))
