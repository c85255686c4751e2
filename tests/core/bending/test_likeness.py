"""What two performances have in common: which bands count, in which order their sounds come, what may be tied."""

import unittest

import numpy as np
from scipy.signal import butter, sosfiltfilt

from gullywind.core.bending.likeness import liken
from gullywind.core.bending.match import match_performances
from gullywind.core.bending.order import NOTHING_TOLD, order_ratio
from gullywind.core.bending.passage import find_passage
from gullywind.core.bending.ties import moments_of
from gullywind.core.features.performance import MEL_BANDS, Performance, band_centres_hz, hear_performance
from gullywind.core.maps.ties import Tie, TieKind, other_points
from gullywind.core.measure.evidence import Status
from gullywind.core.sound.views import Listening
from material.arrays import ArraySound
from material.devices import RATE_HZ
from material.performances import speech_pair
from material.spoken import VOICES

CASE = speech_pair(8, VOICES, sentences=3)


def heard(sound: np.ndarray) -> Performance:
    return hear_performance(Listening(ArraySound(sound, RATE_HZ), (0,)))


def by_telephone(sound: np.ndarray) -> np.ndarray:
    """300 to 3400 Hz, and noise."""
    passed = sosfiltfilt(butter(4, [300, 3400], "bandpass", fs=RATE_HZ, output="sos"), sound)
    return passed + np.random.default_rng(3).standard_normal(sound.size) * 1e-3


class LikenessTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.ours, cls.theirs = heard(CASE.reference), heard(CASE.recording)
        cls.telephone = heard(by_telephone(CASE.recording))

    def test_a_band_that_one_has_not_says_nothing(self):
        likeness = liken(self.ours, self.telephone)
        for frames in (likeness.timbre.ours, likeness.timbre.theirs):
            moves = frames[:, :MEL_BANDS].std(axis=0)
            high = band_centres_hz() > 4500
            self.assertLess(moves[high].max(), 0.5 * np.median(moves[~high]))

    def test_a_telephone_is_followed(self):
        matched = match_performances(self.ours, self.telephone)
        self.assertIs(matched.status, Status.PLACED)
        t_ref, t_rec = np.array([(tie.t_ref, tie.t_rec) for tie in matched.ties if tie.certainty > 0.8]).T
        truth = np.interp(t_ref, CASE.t_ref, CASE.t_rec)
        self.assertGreater(t_ref.size, 40)
        self.assertLess(np.median(np.abs(t_rec - truth)), 0.01)

    def test_the_order_tells_the_same_words_from_others(self):
        others = heard(speech_pair(11, VOICES, sentences=3).recording)
        found = []
        for recording in (self.theirs, others):
            likeness = liken(self.ours, recording)
            passage = find_passage(likeness)
            found.append(order_ratio(likeness.weighted(passage.pitch_weight), passage))
        self.assertLess(found[0], 0.75)
        self.assertGreater(found[1], 0.8)

    def test_of_a_moment_no_order_is_told(self):
        short = heard(CASE.reference[RATE_HZ : RATE_HZ * 2])
        likeness = liken(short, short)
        passage = find_passage(likeness)
        self.assertEqual(order_ratio(likeness.weighted(passage.pitch_weight), passage), NOTHING_TOLD)

    def test_moments_are_where_something_begins(self):
        sound = np.zeros(RATE_HZ * 4)
        begins = np.array([0.7, 1.5, 2.25, 3.1])
        for at in begins:
            first = round(at * RATE_HZ)
            t = np.arange(RATE_HZ // 4) / RATE_HZ
            sound[first : first + t.size] += np.sin(2 * np.pi * 440 * t) * np.exp(-8 * t)
        moments = moments_of(heard(sound + np.random.default_rng(1).standard_normal(sound.size) * 1e-4))
        self.assertLess(np.abs(moments[:, None] - begins).min(axis=0).max(), 0.015)
        self.assertEqual(moments_of(heard(np.zeros(RATE_HZ))).size, 0)


class OtherPointsTest(unittest.TestCase):
    def test_a_beginning_and_the_vowel_that_opens_after_it_are_one_syllable(self):
        kinds = [(1.0, TieKind.START), (1.08, TieKind.OPENING), (1.4, TieKind.END), (2.0, TieKind.START)]
        ties = [Tie(t, t + 0.1, kind, 0.9) for t, kind in [*kinds, (2.4, TieKind.OPENING)]]
        self.assertEqual(other_points(ties), (1, 0, None, None, None))
        self.assertEqual(other_points([]), ())


if __name__ == "__main__":
    unittest.main()
