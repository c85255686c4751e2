"""Which way's answer counts."""

import unittest

import numpy as np

from gullywind.core.align import hear, prepare_reference
from gullywind.core.measure.evidence import Status, Way
from gullywind.core.ways import align_pair, surest
from material.claps import clapped
from tests.signals import RATE_HZ, busy, source

VERSE = busy(6.0, 611) + clapped([1.3, 3.1, 4.2], "hands", 6.0, np.random.default_rng(5))[: 6 * RATE_HZ]
SONG = np.concatenate([busy(60.0, 610), VERSE, VERSE, VERSE])


class RepeatsTest(unittest.TestCase):
    def test_sharp_sounds_of_what_comes_again_choose_none_of_its_places(self) -> None:
        reference, recording = prepare_reference(source(SONG)), hear(source(VERSE))
        by_claps = align_pair(reference, recording, ways={Way.CLAPS})
        self.assertTrue(by_claps, "there must be sharp sounds in it for this to say anything")
        best = surest(align_pair(reference, recording), recording)
        self.assertEqual((best.status, best.by), (Status.UNSURE, Way.SOUND))
        self.assertEqual(sorted(round(one.offset_s, 3) for one in best.candidates), [60.0, 66.0, 72.0])
