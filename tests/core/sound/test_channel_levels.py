"""Levels of channels along a file."""

import unittest

import numpy as np

from gullywind.core.sound.channel_levels import LOOKS_ALONG, LOWEST_DBFS, levels_along
from tests.signals import RATE_HZ, source


class LevelsAlongTest(unittest.TestCase):
    def test_each_channel_is_told_along_its_length(self) -> None:
        t = np.arange(20 * RATE_HZ) / RATE_HZ
        tone = np.sin(2 * np.pi * 440 * t)
        fading = tone * np.where(t < 10, 1.0, 0.1)
        levels = levels_along(source(np.stack([fading, 0.01 * tone, np.zeros(t.size)])))
        self.assertEqual(levels.shape, (3, LOOKS_ALONG))
        np.testing.assert_allclose(levels[0, :15], -3.01, atol=0.02)
        np.testing.assert_allclose(levels[0, 17:], -23.01, atol=0.02)
        np.testing.assert_allclose(levels[1], -43.01, atol=0.02)
        np.testing.assert_array_equal(levels[2], LOWEST_DBFS)

    def test_an_empty_file_has_none_and_a_short_one_has(self) -> None:
        self.assertEqual(levels_along(source(np.zeros((2, 0)))).shape, (2, 0))
        self.assertEqual(levels_along(source(np.ones((1, 100)) * 0.5)).shape, (1, LOOKS_ALONG))

    def test_what_is_no_number_is_silence(self) -> None:
        self.assertTrue(np.all(np.isfinite(levels_along(source(np.full((1, RATE_HZ), np.nan))))))
