import unittest

import numpy as np

from gullywind.core.align import hear
from gullywind.core.by_claps import align_by_claps
from gullywind.core.measure.evidence import Status, Way
from material.claps import clapped, going_on
from material.devices import SoundPath, heard
from tests.signals import RATE_HZ, source

LENGTH_S = 24.0


def microphone(claps, behind, seed, *, level_db=8.0, polarity=1):
    """What one hears of claps (or None) beside other sound of its own."""
    rng = np.random.default_rng([seed, 4])
    sound = going_on(behind, seed, LENGTH_S)
    if claps is not None:
        sound = sound + claps[: sound.size] * 10 ** (level_db / 20)
    path = SoundPath(rt60_s=0.35, direct_db=float(rng.uniform(0, 6)), microphone=True)
    return polarity * heard(sound, path, rng)


def later(sound, by_s):
    return sound[round(by_s * RATE_HZ) :]


class ByClapsTest(unittest.TestCase):
    def judged(self, reference, recording):
        return align_by_claps(hear(source(reference)), hear(source(recording)))

    def test_a_double_clap_places_where_nothing_else_is_common(self):
        for kind in ("hands", "slate"):
            with self.subTest(kind):
                claps = clapped([9.0, 9.41], kind, LENGTH_S, np.random.default_rng(1))
                found = self.judged(microphone(claps, "talk", 1), later(microphone(claps, "pink", 2), 3.25))
                self.assertEqual((found.status, found.by), (Status.PLACED, Way.CLAPS))
                self.assertAlmostEqual(found.time_map.offset_s, 3.25, delta=0.0005)
                self.assertIn(
                    "Placed by 2 sharp sounds that both hold, in the reference at 9.0", found.notes[0].message
                )

    def test_an_inverted_recording_is_told_by_its_claps(self):
        claps = clapped([9.0, 9.41, 10.1], "hands", LENGTH_S, np.random.default_rng(2))
        found = self.judged(microphone(claps, "talk", 3), microphone(claps, "white", 4, polarity=-1))
        self.assertEqual((found.status, found.polarity), (Status.PLACED, -1))

    def test_other_claps_at_the_same_distance_place_nothing(self):
        for seed in range(4):
            with self.subTest(seed):
                ours, theirs = (
                    clapped([9.0, 9.41], "hands", LENGTH_S, np.random.default_rng(k + seed)) for k in (10, 50)
                )
                found = self.judged(microphone(ours, "talk", 5 + seed), microphone(theirs, "pink", 6 + seed))
                self.assertTrue(found is None or found.status is not Status.PLACED)

    def test_one_clap_is_a_suggestion(self):
        claps = clapped([9.0], "hands", LENGTH_S, np.random.default_rng(3))
        found = self.judged(microphone(claps, "pink", 7), later(microphone(claps, "white", 8), 2.0))
        self.assertEqual(found.status, Status.UNSURE)
        self.assertAlmostEqual(found.time_map.offset_s, 2.0, delta=0.0005)
        self.assertIn("One sharp sound may be the same in both", found.notes[0].message)

    def test_a_rhythm_that_fits_again_a_beat_later_is_not_placed(self):
        one = clapped([0.0], "rim", 0.5, np.random.default_rng(4))
        beat = np.tile(one, round(LENGTH_S / 0.5))[: int(LENGTH_S * RATE_HZ)]
        found = self.judged(microphone(beat, "pink", 9), later(microphone(beat, "white", 10), 1.5))
        self.assertTrue(found is None or found.status is not Status.PLACED)

    def test_nothing_is_said_where_one_of_them_has_none(self):
        claps = clapped([9.0, 9.41], "hands", LENGTH_S, np.random.default_rng(5))
        self.assertIsNone(self.judged(microphone(None, "pink", 11), microphone(claps, "white", 12)))
