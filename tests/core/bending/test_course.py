import unittest

import numpy as np
from scipy.ndimage import gaussian_filter1d

from gullywind.core.bending.course import follow_course
from gullywind.core.bending.likeness import Frames, Likeness
from gullywind.core.bending.passage import Passage
from gullywind.core.features.performance import FRAME_HOP_S

DIMS, NOTES, NOTE_S = 24, 40, 0.5


def wavering(rng, frames):
    """What a bow or a voice adds to a note: it has a course of its own for a tenth of a second or so."""
    return gaussian_filter1d(rng.normal(0, 1, (frames, DIMS)), 8, axis=0) * 1.2


def played(rng, notes, starts_s, frames):
    """Frames of the same notes, held until the next, of one who wavers."""
    at = np.searchsorted(starts_s, np.arange(frames) * FRAME_HOP_S, side="right")
    return np.asarray(notes[at] + wavering(rng, frames), np.float32)


class FollowCourseTest(unittest.TestCase):
    def setUp(self):
        self.rng = np.random.default_rng(5)
        self.notes = self.rng.normal(0, 0.35, (NOTES + 1, DIMS))
        self.starts_s = 0.5 + NOTE_S * np.arange(NOTES)

    def followed_ms(self, starts_rec_s, pitch_weight):
        """How far from the truth each note's beginning is found, ms."""
        rng = np.random.default_rng(6)
        frames = [int((starts[-1] + NOTE_S) / FRAME_HOP_S) for starts in (self.starts_s, starts_rec_s)]
        ours, theirs = (
            played(rng, self.notes, starts, count)
            for starts, count in zip((self.starts_s, starts_rec_s), frames, strict=True)
        )
        both, nothing = Frames(ours, theirs), Frames(*(np.zeros((count, 1), np.float32) for count in frames))
        # Roughly known: each second note.
        passage = Passage(self.starts_s[::2], starts_rec_s[::2], 3.0, pitch_weight)
        course = follow_course(Likeness(both, both, nothing), passage)
        return np.abs(course.at(self.starts_s) - starts_rec_s)[1:-1] * 1e3

    def test_notes_that_are_held_twice_as_long_are_followed(self):
        lengths = np.where(np.arange(NOTES) % 9 == 4, 2 * NOTE_S, NOTE_S)
        starts = 0.8 + np.concatenate([[0.0], np.cumsum(lengths)[:-1]])
        self.assertLess(np.percentile(self.followed_ms(starts, 1.5), 90), 40)

    def test_another_speed_is_followed_as_freely_as_that_of_voices(self):
        starts = 0.8 + 1.3 * (self.starts_s - 0.5)
        self.assertLess(np.percentile(self.followed_ms(starts, 1.5), 95), 20)
        np.testing.assert_allclose(self.followed_ms(starts, 1.5), self.followed_ms(starts, 0.0), atol=1e-6)


if __name__ == "__main__":
    unittest.main()
