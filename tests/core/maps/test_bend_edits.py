import unittest

import numpy as np

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.bend_edits import (
    BendSo,
    FollowStretch,
    HoldEdges,
    HoldTies,
    PutTie,
    RemoveTies,
    SetCloseness,
    bending_nothing,
)
from gullywind.core.maps.bending import Bending
from gullywind.core.maps.ties import BendSettings, Tie, TieKind
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.maps.version import Version

#: Performed 10 ms late at every second, placed at 2 s.
TIES = tuple(Tie(t + 2.0 - 0.01, float(t), TieKind.START, 0.9) for t in range(1, 9))
BENDING = Bending(TIES, 2.0)


class BendEditsTest(unittest.TestCase):
    def test_settings_are_told_and_all_ties_stay(self):
        done = BendSo(BendSettings(0.6, 0.02, 0.25, False)).apply(BENDING)
        self.assertEqual(done.bending.ties, TIES)
        self.assertEqual(
            done.sentence,
            "bent by 60\u00a0% of each difference, below 20 ms left alone, by 25\u00a0% at most, ends kept",
        )
        self.assertIn("fully", BendSo(BendSettings()).apply(BENDING).sentence)
        self.assertIn("not at all", BendSo(BendSettings(closeness=0)).apply(BENDING).sentence)

    def test_a_tie_is_put_and_what_contradicts_it_gives_way(self):
        done = PutTie(5.5, 3.5).apply(BENDING)
        self.assertEqual(len(done.bending.ties), 9)
        self.assertEqual(done.bending.ties[3].certainty, 1.0)
        self.assertEqual(done.sentence, "tied by hand at 0:05.5")
        # Over the found one at 4 s: that gives way; over one by hand it is refused.
        over = PutTie(6.2, 3.9).apply(BENDING)
        self.assertEqual(len(over.bending.ties), 8)
        self.assertNotIn(TIES[3], over.bending.ties)
        with self.assertRaisesRegex(InputError, "reach over another one"):
            PutTie(6.5, 3.8).apply(over.bending)
        with self.assertRaisesRegex(InputError, "a moment of both"):
            PutTie(float("nan"), 3.5).apply(BENDING)

    def test_a_tie_is_moved_and_keeps_its_kind(self):
        done = PutTie(TIES[2].t_ref + 0.02, TIES[2].t_rec, index=2).apply(BENDING)
        self.assertEqual(len(done.bending.ties), 8)
        self.assertEqual(done.bending.ties[2].kind, TieKind.START)
        self.assertIn("moved 20 ms later", done.sentence)
        # Of one whose difference is split it is told by how much the hand moved it.
        lay = TIES[2].t_ref + 0.019
        done = PutTie(TIES[2].t_ref + 0.02, TIES[2].t_rec, index=2, lay=lay).apply(BENDING)
        self.assertIn("moved 1 ms later", done.sentence)

    def test_half_of_the_difference_again_and_again_and_as_all(self):
        once = SetCloseness((2,), times=0.5).apply(BENDING).bending
        twice = SetCloseness((2,), times=0.5).apply(once).bending
        self.assertEqual([once.ties[2].closeness, twice.ties[2].closeness], [0.5, 0.25])
        made = twice.made(20.0)
        self.assertAlmostEqual(made.moved_s[2], -0.0025)
        self.assertAlmostEqual(made.moved_s[1], -0.01)
        self.assertIsNone(SetCloseness((2,)).apply(twice).bending.ties[2].closeness)
        with self.assertRaisesRegex(InputError, "from 0 to 100"):
            SetCloseness((2,), 1.5).apply(BENDING)

    def test_a_stretch_follows_other_ties_and_nothing_else_moves(self):
        by_hand = PutTie(6.5, 4.49).apply(BENDING).bending
        edges = HoldEdges((5.0, 8.0), (3.01, 6.01))
        fresh = (Tie(5.7, 3.72, TieKind.START, 0.8), Tie(6.4, 4.495, TieKind.END, 0.8))
        done = FollowStretch(edges, fresh).apply(by_hand)
        self.assertEqual(done.sentence, "0:05.0 to 0:08.0 matched, its edges held")
        ties = {tie.t_rec for tie in done.bending.ties}
        # Between the edges only what was found now and what was set by hand, unless they contradict each other.
        self.assertEqual({one for one in ties if 3.01 < one < 6.01}, {3.72, 4.49})
        before, after = by_hand.made(20.0).time_map, done.bending.made(20.0).time_map
        outside = np.concatenate([np.linspace(0, 3.01, 30), np.linspace(6.01, 20, 90)])
        np.testing.assert_allclose(after.to_reference(outside), before.to_reference(outside), atol=1e-9)
        with self.assertRaisesRegex(InputError, "one after the other"):
            HoldEdges((8.0, 5.0), (6.01, 3.01))

    def test_a_stretch_of_what_lies_plainly_follows_and_the_rest_keeps_its_place_and_clock(self):
        moments = np.linspace(0.01, 19.98, 200)
        for rate in (1.0, 1.0004):
            plain = TimeMap.placement(2.0, rate, 20.0)
            bending = bending_nothing(plain)
            np.testing.assert_allclose(
                bending.made(20.0).time_map.to_reference(moments), plain.to_reference(moments), atol=1e-9
            )
            t_ref = (6.0, 9.0)
            edges = HoldEdges(t_ref, tuple(plain.to_recording(np.array(t_ref)).tolist()))
            tie = Tie(7.5, float(plain.to_recording(np.array([7.55]))[0]), TieKind.START, 0.9)
            made = FollowStretch(edges, (tie,)).apply(bending).bending.made(20.0).time_map
            self.assertAlmostEqual(made.to_reference(np.array([tie.t_rec]))[0], 7.5)
            outside = moments[(moments < edges.t_rec[0]) | (moments > edges.t_rec[1])]
            np.testing.assert_allclose(made.to_reference(outside), plain.to_reference(outside), atol=1e-9)
        with self.assertRaisesRegex(InputError, "It is cut"):
            bending_nothing(TimeMap((Piece(((0, 0), (1, 1))), Piece(((2, 1), (3, 2))))))

    def test_held_ties_stay_whatever_is_chosen(self):
        held = HoldTies((3,), True, (TIES[3].t_ref,)).apply(BENDING).bending
        loose = BendSo(BendSettings(closeness=0.0)).apply(held).bending.made(20.0)
        self.assertAlmostEqual(loose.moved_s[3], -0.01)
        self.assertAlmostEqual(loose.moved_s[1], 0.0)
        self.assertFalse(HoldTies((3,), False).apply(held).bending.ties[3].held)

    def test_edges_are_held_and_a_stretch_bent_alone(self):
        edges = HoldEdges((4.5, 7.5), (2.5, 5.5))
        self.assertEqual(len(edges.apply(BENDING).bending.ties), 10)
        alone = HoldEdges((4.5, 7.5), (2.5, 5.5), only=True).apply(BENDING)
        self.assertEqual(len(alone.bending.ties), 5)
        made = alone.bending.made(20.0)
        # Before and after it nothing is bent.
        self.assertAlmostEqual(made.time_map.offset_s, 2.0, places=2)
        with self.assertRaisesRegex(InputError, "one after the other"):
            HoldEdges((7.5, 4.5), (5.5, 2.5)).apply(BENDING)

    def test_removed_ties_are_gone_and_others_refused(self):
        done = RemoveTies((0, 1)).apply(BENDING)
        self.assertEqual(done.bending.ties, TIES[2:])
        self.assertEqual(done.sentence, "2 ties removed")
        with self.assertRaisesRegex(InputError, "does not exist"):
            RemoveTies((8,)).apply(BENDING)

    def test_a_version_is_stored_with_its_bend(self):
        bending = HoldTies((3,), True).apply(SetCloseness((2,), 0.4).apply(BENDING).bending).bending
        version = Version(TimeMap.placement(2.0, 1.0, 20.0)).bent(bending.made(20.0).time_map, bending)
        again = Version.from_json(version.to_json())
        self.assertEqual(again.bending, bending)
        self.assertIsNone(again.at(again.time_map).bending)
        moved = bending.shifted(0.5)
        self.assertAlmostEqual(moved.ties[0].t_ref, TIES[0].t_ref + 0.5)
        with self.assertRaisesRegex(InputError, "another form"):
            Bending.from_json({"ties": [[1.0]], "offset_s": 0.0, "settings": {}})
