import unittest

import numpy as np

from gullywind.core.sound import Listening, listening_views
from tests.signals import RATE_HZ, busy, source


def channels_of(*sounds: np.ndarray) -> list[tuple[int, ...]]:
    return [view.channels for view in listening_views(source(np.stack(sounds)))]


class ListeningViewsTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.voice, cls.other = busy(8.0, 1), busy(8.0, 2)

    def test_alike_channels_are_one_view(self):
        self.assertEqual(channels_of(self.voice, self.voice * 0.8 + self.other * 0.05), [(0, 1)])

    def test_strange_channels_are_heard_one_by_one(self):
        self.assertCountEqual(channels_of(self.voice, self.other), [(0,), (1,)])

    def test_an_inverted_pair_is_not_averaged(self):
        self.assertEqual([len(view) for view in channels_of(self.voice, -self.voice)], [1])

    def test_empty_channels_are_left_out(self):
        self.assertEqual(channels_of(np.zeros_like(self.voice), self.voice), [(1,)])

    def test_a_loud_constant_does_not_hide_the_voice(self):
        self.assertIn((1,), channels_of(np.full_like(self.voice, 0.5), self.voice))

    def test_all_silent_still_gives_a_view(self):
        self.assertGreaterEqual(len(channels_of(np.zeros(RATE_HZ), np.zeros(RATE_HZ))), 1)

    def test_average_and_speed(self):
        view = Listening(source(np.stack([self.voice, self.voice * 3])), (0, 1))
        np.testing.assert_allclose(view.read(100, 200), self.voice[100:200] * 2, atol=1e-6)
        slow = view.at_speed(0.5)
        self.assertEqual((slow.sample_rate_hz, slow.duration_s), (RATE_HZ / 2, 16.0))
