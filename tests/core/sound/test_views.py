import unittest

import numpy as np

from gullywind.core.features.extract import listen
from gullywind.core.judge.notes import heard_notes
from gullywind.core.sound.views import Listening, listening_views, quiet_channels
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

    def test_a_voice_far_below_a_loud_channel_is_named(self):
        far_below = self.other * (10 ** (-56 / 20) * np.std(self.voice) / np.std(self.other))
        sound = source(np.stack([self.voice, far_below.astype(np.float32)]))
        views = listening_views(sound)
        self.assertEqual([view.channels for view in views], [(0,)])
        (channel, below_db) = next(iter(quiet_channels(sound, views).items()))
        self.assertEqual(channel, 1)
        self.assertAlmostEqual(below_db, 56.0, delta=1.0)
        (note,) = heard_notes(listen(sound))
        self.assertRegex(note.message, r"Channel 2 is 5[567] dB below the loudest")

    def test_silent_mirrored_and_noisy_converters_channels_are_not(self):
        hiss = np.random.default_rng(3).standard_normal(self.voice.size).astype(np.float32) * 1e-6
        for other in (np.zeros_like(self.voice), -self.voice, hiss):
            sound = source(np.stack([self.voice, other]))
            self.assertEqual(quiet_channels(sound, listening_views(sound)), {})

    def test_average_and_speed(self):
        view = Listening(source(np.stack([self.voice, self.voice * 3])), (0, 1))
        np.testing.assert_allclose(view.read(100, 200), self.voice[100:200] * 2, atol=1e-6)
        slow = view.at_speed(0.5)
        self.assertEqual((slow.sample_rate_hz, slow.duration_s), (RATE_HZ / 2, 16.0))
