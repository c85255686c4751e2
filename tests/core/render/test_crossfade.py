import unittest

import numpy as np

from gullywind.core.maps.piece_edits import Split
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.maps.version import AS_USUAL, Gaps, Sounding
from gullywind.core.render.crossfade import EDGE_S, JOIN_S, lay_parts, merged
from gullywind.core.render.warp import render
from tests.signals import RATE_HZ, busy, source

TONE = Sounding(gaps=Gaps.ROOM_TONE)


def rendered(sound, time_map, seconds, sounding=AS_USUAL):
    return render(source(sound), time_map, sounding, sample_rate_hz=RATE_HZ, samples=int(seconds * RATE_HZ))


class CrossfadeTest(unittest.TestCase):
    def test_a_cut_where_nothing_moves_is_not_heard_at_all(self):
        sound = busy(6.0).astype(np.float32)
        for rate in (1.0, 1.00004):
            placed = TimeMap.placement(1.0, rate, 6.0)
            cut = Split(4.0).apply(Split(2.5).apply(placed).time_map).time_map
            self.assertEqual(len(merged(cut.pieces)), 1)
            np.testing.assert_array_equal(rendered(sound, cut, 7.0), rendered(sound, placed, 7.0))

    def test_where_something_was_left_out_both_sides_fade_into_each_other(self):
        low, high = np.full(3 * RATE_HZ, 0.5), np.full(3 * RATE_HZ, -0.5)
        sound = np.concatenate([low, np.zeros(RATE_HZ // 2), high])
        joined = TimeMap((Piece(((0.0, 0.0), (2.5, 2.5))), Piece(((2.5, 4.0), (5.0, 6.5)))))
        heard = rendered(sound, joined, 5.0)[0]
        steps = np.abs(np.diff(heard))
        self.assertLess(steps.max(), 1.6 * np.pi / 2 / (JOIN_S * RATE_HZ))
        self.assertAlmostEqual(heard[int(2.5 * RATE_HZ)], 0.0, delta=0.01)
        np.testing.assert_array_equal(heard[: int(2.49 * RATE_HZ)], np.float32(0.5))
        np.testing.assert_array_equal(heard[int(2.51 * RATE_HZ) :], np.float32(-0.5))

    def test_an_overlap_is_joined_at_its_quietest_place(self):
        rng = np.random.default_rng(3)
        sound = rng.standard_normal(8 * RATE_HZ) * 0.1
        # Reference time 3 to 5 is covered by recording time 3 to 5 and 4 to 6; both are quiet at reference time 3.6.
        for quiet_s in (3.6, 4.6):
            at = int(quiet_s * RATE_HZ)
            sound[at - 1440 : at + 1440] *= 0.001
        overlapping = TimeMap((Piece(((0.0, 0.0), (4.0, 4.0))), Piece(((3.0, 4.0), (7.0, 8.0)))))
        first, second = lay_parts(source(sound), overlapping)
        self.assertEqual(first.fade_out, second.fade_in)
        self.assertAlmostEqual(sum(first.fade_out) / 2, 3.6, delta=0.03)

    def test_gaps_stay_silent_and_have_soft_edges(self):
        sound = np.full(6 * RATE_HZ, 0.5)
        paused = TimeMap((Piece(((0.0, 0.0), (3.0, 3.0))), Piece(((4.0, 3.0), (7.0, 6.0)))))
        heard = rendered(sound, paused, 7.0)[0]
        self.assertEqual(np.abs(heard[3 * RATE_HZ : 4 * RATE_HZ]).max(), 0.0)
        self.assertLess(np.abs(np.diff(heard[RATE_HZ : 6 * RATE_HZ])).max(), np.pi / 2 / (EDGE_S * RATE_HZ))
        # The recording's own ends are nobody's join.
        self.assertEqual(heard[0], np.float32(0.5))

    def test_room_tone_comes_from_the_quietest_sound_and_fills_the_gap(self):
        rng = np.random.default_rng(4)
        sound = rng.standard_normal((2, 12 * RATE_HZ)) * 0.2
        sound[:, 3 * RATE_HZ : 5 * RATE_HZ] *= 0.01
        pieces = (Piece(((0.0, 0.0), (6.0, 6.0))), Piece(((11.0, 6.0), (17.0, 12.0))))
        heard = rendered(sound, TimeMap(pieces), 17.0, TONE)
        inside = heard[:, int(6.1 * RATE_HZ) : int(10.9 * RATE_HZ)]
        levels = np.sqrt((inside.reshape(2, -1, 4800) ** 2).mean(axis=2))
        np.testing.assert_allclose(levels, 0.002, rtol=0.2)
        silent = rendered(sound, TimeMap(pieces), 17.0)
        np.testing.assert_array_equal(heard[:, : 5 * RATE_HZ], silent[:, : 5 * RATE_HZ])

    def test_room_tone_is_the_same_in_every_chunk(self):
        sound = np.random.default_rng(5).standard_normal(8 * RATE_HZ) * 0.01
        pieces = (Piece(((0.0, 0.0), (4.0, 4.0))), Piece(((9.0, 4.0), (13.0, 8.0))))
        filled, heard = TimeMap(pieces), source(sound)
        whole = render(heard, filled, TONE, sample_rate_hz=RATE_HZ, samples=13 * RATE_HZ)
        part = render(heard, filled, TONE, sample_rate_hz=RATE_HZ, samples=RATE_HZ, first=6 * RATE_HZ + 77)
        np.testing.assert_array_equal(part, whole[:, 6 * RATE_HZ + 77 : 7 * RATE_HZ + 77])

    def test_no_tone_is_made_of_digital_silence(self):
        sound = np.zeros(6 * RATE_HZ)
        filled = TimeMap((Piece(((0.0, 0.0), (3.0, 3.0))), Piece(((4.0, 3.0), (7.0, 6.0)))))
        self.assertEqual(np.abs(rendered(sound, filled, 7.0, TONE)).max(), 0.0)
