import unittest

import numpy as np

from gullywind.core.features.claps import ClapFinder
from material.claps import clap_case, clapped, going_on
from tests.signals import RATE_HZ, busy


def found(sound: np.ndarray, block: int = 3 << 16):
    finder = ClapFinder(RATE_HZ)
    for start in range(0, sound.size, block):
        finder.push(sound[start : start + block].astype(np.float32))
    return finder.finish()


class ClapsTest(unittest.TestCase):
    def test_most_are_found_where_they_begin_and_little_else(self):
        there, hits, false = 0, 0, 0
        for seed in (1003, 1006, 1008, 1011):
            case = clap_case(seed, family="made")
            sure = np.array([one.t_rec for one in found(case.sound) if one.certainty >= 0.5])
            away_s = np.abs(sure[:, None] - np.array(case.times_s))
            there += len(case.times_s)
            hits += int((away_s < 0.004).any(axis=0).sum())
            false += int((away_s > 0.5).all(axis=1).sum())
        self.assertGreaterEqual(hits, 0.75 * there)
        self.assertLessEqual(false, 8)

    def test_a_near_clap_is_one_however_far_it_stands_above_all_else(self):
        times_s = [4.0, 7.3, 12.1]
        for kind in ("hands", "rim"):
            for behind in ("pink", "talk"):
                for level_db in (5.0, 25.0, 45.0):
                    with self.subTest(kind=kind, behind=behind, level_db=level_db):
                        claps = clapped(times_s, kind, 16.0, np.random.default_rng(7)) * 10 ** (level_db / 20)
                        beside = going_on(behind, 11, 16.0)
                        sure = [one.t_rec for one in found(claps[: beside.size] + beside) if one.certainty >= 0.5]
                        # Each where it begins, and nothing else.
                        np.testing.assert_allclose(sure, times_s, atol=0.004)

    def test_blocks_of_any_size_say_the_same(self):
        sound = going_on("pink", 4, 12.0) * 0.05 + clapped([5.0, 5.4], "hands", 12.0, np.random.default_rng(1)) * 0.3
        whole, parts = found(sound, sound.size), found(sound, 12345)
        self.assertEqual([round(one.t_rec, 3) for one in whole], [round(one.t_rec, 3) for one in parts])

    def test_applause_marks_no_moment(self):
        rng = np.random.default_rng(2)
        applause = clapped(sorted(rng.uniform(3, 9, 90).tolist()), "hands", 12.0, rng) * 0.2
        sure = [one for one in found(applause + going_on("pink", 5, 12.0) * 0.01) if one.certainty >= 0.5]
        self.assertLessEqual(len(sure), 2)

    def test_the_beginning_of_a_file_is_no_clap(self):
        sound = going_on("white", 6, 8.0) * 0.02
        # A word is cut by it.
        sound[:600] += busy(1.0, 7)[20000:20600] * 20 * np.exp(-np.arange(600) / 200)
        self.assertEqual([one for one in found(sound) if one.t_rec < 0.05], [])
