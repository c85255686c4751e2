import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gullywind.core.sound.peaks import FACTOR, FINEST_BIN, LEVELS, SCALE, PeakBuilder, peaks_of


class PeaksTest(unittest.TestCase):
    @settings(deadline=None)
    @given(st.integers(1, 40000), st.integers(1, 9000), st.integers(0, 2**32 - 1))
    def test_blocks_of_any_size_give_the_true_extremes(self, samples, block, seed):
        sound = np.random.default_rng(seed).uniform(-1, 1, samples).astype(np.float32)
        builder = PeakBuilder()
        for start in range(0, samples, block):
            builder.push(sound[start : start + block])
        levels = builder.finish()
        self.assertEqual(len(levels), LEVELS)
        for k, level in enumerate(levels):
            width = FINEST_BIN * FACTOR**k
            self.assertEqual(level.shape, (-(-samples // width), 3))
            for i in (0, level.shape[0] - 1):
                part = sound[i * width : (i + 1) * width]
                self.assertLessEqual(abs(level[i, 1] - max(part.max(), 0 if part.size < width else -1) * SCALE), 1)

    def test_rms_of_a_sine(self):
        rows = peaks_of(np.sin(np.arange(25600) / 7).astype(np.float32), 2560)
        np.testing.assert_allclose(rows[:, 2] / SCALE, np.sqrt(0.5), atol=0.01)

    def test_not_a_number_is_drawn_as_nothing(self):
        self.assertEqual(peaks_of(np.full(256, np.nan, np.float32), 256).tolist(), [[0, 0, 0]])
