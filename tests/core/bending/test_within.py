"""A stretch whose place is known, followed alone."""

import unittest

import numpy as np

from gullywind.core.bending.within import match_within
from gullywind.core.features.performance import FRAME_HOP_S, hear_performance
from gullywind.core.sound.views import Listening
from material.arrays import ArraySound
from material.devices import RATE_HZ
from material.performances import speech_pair
from material.spoken import VOICES


def heard(sound: np.ndarray):
    return hear_performance(Listening(ArraySound(sound, RATE_HZ), (0,)))


class WithinTest(unittest.TestCase):
    def test_its_ties_lie_within_it_and_are_right(self):
        case = speech_pair(12, VOICES)
        ours, theirs = heard(case.reference), heard(case.recording)
        middle = case.t_ref.size // 2
        t_ref = (float(case.t_ref[middle - 12]) - 0.05, float(case.t_ref[middle + 12]) + 0.05)
        first, last = np.interp(t_ref, case.t_ref, case.t_rec).tolist()
        matched = match_within(ours, theirs, t_ref, (first, last))
        self.assertTrue(matched.can_be_held)
        self.assertGreater(len(matched.ties), 8)
        at_ref, at_rec = (np.array([getattr(tie, name) for tie in matched.ties]) for name in ("t_ref", "t_rec"))
        self.assertTrue(np.all((at_ref > t_ref[0]) & (at_ref < t_ref[1]) & (at_rec > first) & (at_rec < last)))
        late = np.abs(at_ref - np.interp(at_rec, case.t_rec, case.t_ref))
        self.assertLess(np.median(late), 0.006)
        # Noise in its place has nothing to hold on to.
        noise = heard(np.random.default_rng(3).standard_normal(case.recording.size) * 0.05)
        self.assertFalse(match_within(ours, noise, t_ref, (first, last)).can_be_held)

    def test_a_performance_is_cut_at_whole_frames_and_no_further_than_it_goes(self):
        whole = heard(np.random.default_rng(1).standard_normal(2 * RATE_HZ).astype(np.float32) * 0.1)
        part, began_s = whole.cut(0.503, 1.2)
        self.assertAlmostEqual(began_s, 0.5)
        np.testing.assert_array_equal(part.logs, whole.logs[100 : 100 + part.frames])
        self.assertAlmostEqual(part.frames * FRAME_HOP_S, 0.7, delta=2 * FRAME_HOP_S)
        same, began_s = whole.cut(-3.0, 99.0)
        self.assertEqual((same.frames, began_s), (whole.frames, 0.0))
        self.assertEqual(whole.cut(5.0, 6.0)[0].frames, 0)
