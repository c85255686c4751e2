import unittest
from dataclasses import replace

import numpy as np

from gullywind.core.judge.loops import draw_consistently
from gullywind.core.judge.placing import Known
from gullywind.core.judge.witnesses import AGAIN, Word, heard_once
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Status

TRUE_S = {"a": 10.0, "b": 25.0, "c": 40.0, "d": 55.0, "e": 70.0}


def not_alike(one, other):
    return Known(f"{one}-{other}", one, other, Status.UNPLACED, None, 0.01)


def known(timeline, recording, confidence=0.99, wrong_s=0.0):
    offset_s = TRUE_S.get(recording, 0.0) - TRUE_S.get(timeline, 0.0) + wrong_s
    placed = TimeMap.placement(offset_s, 1.0, 30.0)
    return Known(f"{timeline}-{recording}", timeline, recording, Status.PLACED, placed, confidence)


class LoopsTest(unittest.TestCase):
    def assert_right(self, drawn, *names):
        for name in names:
            self.assertAlmostEqual(drawn[name].time_map.offset_s, TRUE_S[name], delta=1e-9)

    def test_loops_that_close_are_left_alone(self):
        drawn, left_out = draw_consistently("mix", 60.0, [known("mix", "a"), known("mix", "b"), known("a", "b")])
        self.assertEqual(left_out, [])
        self.assert_right(drawn, "a", "b")

    def test_a_wrong_pair_is_named_with_its_gap_and_pulls_nobody(self):
        pairs = [known("mix", "a"), known("mix", "b"), known("a", "b", 0.999, wrong_s=0.34), known("b", "c")]
        drawn, left_out = draw_consistently("mix", 60.0, pairs)
        self.assertEqual([one.known.key for one in left_out], ["a-b"])
        self.assertAlmostEqual(left_out[0].gap_s, 0.34, delta=1e-6)
        self.assert_right(drawn, "a", "b", "c")

    def test_what_cannot_be_told_apart_is_left_to_a_person(self):
        # Only a touches the reference; b and c are tied to it and to each other, and one of the three is wrong.
        pairs = [known("mix", "a"), known("a", "b", 0.97), known("b", "c", 0.97), known("a", "c", 0.999, wrong_s=-1.0)]
        drawn, left_out = draw_consistently("mix", 60.0, pairs)
        self.assertEqual(len(left_out), 1)
        self.assertEqual(drawn["a"].status, Status.PLACED)
        self.assertEqual({drawn["b"].status, drawn["c"].status}, {Status.UNSURE})

    def test_what_hangs_by_one_pair_is_unsure_where_others_should_sound_like_it_and_do_not(self):
        # A jingle that is played twice ties d to c, and e hangs by d; b should share 25 s with d by that.
        pairs = [known("mix", "a"), known("a", "b", 0.97), known("b", "c", 0.97), known("a", "c", 0.97)]
        pairs += [known("c", "d", 0.98, wrong_s=-25.0), known("d", "e", 0.97), not_alike("d", "b")]
        pairs += [not_alike("mix", "stranger")]
        drawn, left_out = draw_consistently("mix", 60.0, pairs)
        self.assertEqual(left_out, [])
        self.assertEqual({drawn[name].status for name in "abc"}, {Status.PLACED})
        self.assertEqual({drawn[name].status for name in "de"}, {Status.UNSURE})
        self.assertEqual(drawn["stranger"].status, Status.UNPLACED)

    def test_in_a_chain_nobody_can_say_which_pair_is_wrong(self):
        pairs = [known("mix", "a"), known("a", "b", 0.97), known("b", "c", 0.97)]
        pairs += [known("c", "d", 0.98, wrong_s=-25.0), not_alike("d", "b")]
        drawn, _ = draw_consistently("mix", 60.0, pairs)
        self.assertEqual({drawn[name].status for name in "ab"}, {Status.PLACED})
        self.assertEqual({drawn[name].status for name in "cd"}, {Status.UNSURE})

    def test_a_copy_of_a_content_says_nothing_of_where_it_lies(self):
        copy = Known("b-b", "b", "b", Status.PLACED, TimeMap.placement(0.0, 1.0, 30.0), 0.99)
        pairs = [known("mix", "a"), known("a", "b"), copy, not_alike("b", "d"), known("b", "c"), known("c", "d")]
        drawn, _ = draw_consistently("mix", 60.0, pairs)
        self.assert_right(drawn, "a", "b", "c", "d")

    def test_what_hangs_by_two_pairs_stays_where_one_more_did_not_sound_alike(self):
        pairs = [known("mix", "a"), known("a", "b", 0.97), known("b", "c", 0.97), known("a", "c", 0.97)]
        pairs += [known("c", "d", 0.97), known("b", "d", 0.97), not_alike("e", "d"), known("c", "e", 0.97)]
        pairs += [known("b", "e", 0.97)]
        drawn, _ = draw_consistently("mix", 60.0, pairs)
        self.assertEqual({one.status for one in drawn.values()}, {Status.PLACED})

    def test_among_neighbours_the_odd_one_is_found_by_the_loops_of_the_others(self):
        pairs = [
            known("mix", "a"),
            known("a", "b", 0.97),
            known("a", "d", 0.97),
            known("b", "c", 0.97),
            known("a", "c", 0.999, wrong_s=-1.0),
            known("c", "d", 0.97),
            known("b", "d", 0.97),
            known("d", "e", 0.97),
        ]
        drawn, left_out = draw_consistently("mix", 60.0, pairs)
        self.assertEqual([one.known.key for one in left_out], ["a-c"])
        self.assertAlmostEqual(left_out[0].gap_s, -1.0, delta=1e-6)
        self.assert_right(drawn, "a", "b", "c", "d", "e")
        self.assertEqual({one.status for one in drawn.values()}, {Status.PLACED})

    def test_several_wrong_pairs_in_a_crowd(self):
        rng = np.random.default_rng(8)
        names = [f"r{i}" for i in range(24)]
        for name in names:
            TRUE_S[name] = float(rng.uniform(0, 200))
        pairs = [known("mix", name, 0.98) for name in names[:8]]
        for i in range(8, 24):
            pairs += [
                known(names[k], names[i], float(rng.uniform(0.95, 0.999))) for k in rng.choice(i, 3, replace=False)
            ]
        wrong = [
            known(names[9], names[20], 0.999, 3.0),
            known(names[10], names[14], 0.999, -0.2),
            known(names[2], names[11], 0.999, 9.0),
        ]
        drawn, left_out = draw_consistently("mix", 60.0, pairs + wrong)
        self.assertEqual({one.known.key for one in left_out}, {one.key for one in wrong})
        self.assert_right(drawn, *names)

    def test_who_hangs_by_one_pair_is_not_outvoted_by_pairs_of_which_half_is_alike(self):
        # A jingle that is played twice: c, d and e share it with a, and nothing else.
        pairs = [known("mix", "a"), known("mix", "b"), known("b", "c", 0.95), known("c", "d"), known("c", "e")]
        jingle = [replace(known("a", name, 0.995, wrong_s=-20.0), agreement=0.6) for name in "cde"]
        drawn, left_out = draw_consistently("mix", 60.0, pairs + jingle)
        self.assertEqual({one.known for one in left_out}, set(jingle))
        self.assert_right(drawn, "a", "b", "c", "d", "e")
        self.assertEqual({one.status for one in drawn.values()}, {Status.PLACED})

    def test_what_a_wrong_place_contradicted_counts_again_once_that_is_given_up(self):
        # By a jingle d, e and f lie 25 s too early, where b should be like them; only the pair of c and d is right.
        TRUE_S["f"] = 80.0
        pairs = [known("mix", "a"), known("mix", "b"), known("a", "b"), known("b", "c"), known("a", "c")]
        pairs += [known("d", "e"), known("d", "f"), known("e", "f")]
        right, jingle = known("c", "d", 0.93), [known("a", name, 0.995, wrong_s=-25.0) for name in "de"]
        missed = [not_alike("b", name) for name in "def"]
        drawn, left_out = draw_consistently("mix", 60.0, [*pairs, right, *jingle, *missed])
        self.assertEqual({one.known for one in left_out}, set(jingle))
        self.assert_right(drawn, *"abcdef")
        self.assertEqual({drawn[name].status for name in "abcdef"}, {Status.PLACED})

    def test_what_was_found_on_the_timeline_itself_yields_to_several_others_alone(self):
        # Drums of another bar have c on the timeline elsewhere.
        pairs = [known("mix", name) for name in "abd"] + [known("mix", "c", 0.97, wrong_s=-15.0)]
        drawn, left_out = draw_consistently("mix", 60.0, [*pairs, known("b", "c"), known("d", "c"), known("c", "e")])
        self.assertEqual([one.known.key for one in left_out], ["mix-c"])
        self.assert_right(drawn, "c", "e")
        self.assertEqual(drawn["c"].status, Status.PLACED)
        drawn, _ = draw_consistently("mix", 60.0, [*pairs, known("b", "c")])
        self.assertEqual(drawn["c"].status, Status.UNSURE)

    def test_what_several_say_of_the_same_time_counts_little_more_than_once(self):
        self.assertAlmostEqual(heard_once([Word(0.9, 0.0, 10.0), Word(0.8, 10.0, 20.0)]), 1.7)
        # Half of the second's time was spoken for, and all of the third's.
        words = [Word(0.9, 0.0, 10.0), Word(0.8, 5.0, 15.0), Word(0.5, 2.0, 12.0)]
        self.assertAlmostEqual(heard_once(words), 0.9 + 0.8 * (0.5 + 0.5 * AGAIN) + 0.5 * AGAIN)
        self.assertAlmostEqual(heard_once([Word(1.0, 3.0, 3.0)]), 1.0)
        self.assertEqual(heard_once([]), 0.0)

    def test_a_jingle_does_not_outvote_pairs_that_share_other_sound_by_being_heard_twice(self):
        # By a jingle p and q both have w too early, with x that hangs by it; b and e know better, each by its own time.
        TRUE_S.update(p=-12.0, q=-10.0, w=42.0, x=52.0)
        pairs = [known("mix", name) for name in "abepq"] + [known("w", "x")]
        right = [known("b", "w", 0.95), replace(known("e", "x"), agreement=0.8)]
        jingle = [known(name, "w", wrong_s=-38.0) for name in "pq"]
        drawn, left_out = draw_consistently("mix", 60.0, [*pairs, *right, *jingle])
        self.assertEqual({one.known for one in left_out}, set(jingle))
        self.assert_right(drawn, "w", "x")

    def test_what_is_known_of_the_timeline_on_another_counts_as_well(self):
        pairs = [known("a", "mix"), known("a", "b"), known("mix", "c"), known("c", "b")]
        drawn, left_out = draw_consistently("mix", 60.0, pairs)
        self.assertEqual(left_out, [])
        self.assert_right(drawn, "a", "b", "c")
        wrong = known("d", "mix", 0.95, wrong_s=3.0)
        drawn, left_out = draw_consistently(
            "mix", 60.0, [*pairs, wrong, known("a", "d"), known("b", "d"), known("c", "d")]
        )
        self.assertEqual([one.known for one in left_out], [wrong])
        self.assert_right(drawn, "d")

    def test_who_was_let_go_is_placed_by_what_is_left(self):
        # By the surer pair d lies where b and c should be like it; the other one is right.
        pairs = [known("mix", "a"), known("mix", "b"), known("a", "b"), known("b", "c")]
        pairs += [known("a", "d", 0.99, wrong_s=-30.0), known("c", "d", 0.95), not_alike("b", "d")]
        drawn, left_out = draw_consistently("mix", 60.0, pairs)
        self.assertEqual([one.known.key for one in left_out], ["a-d"])
        self.assert_right(drawn, "d")
        self.assertEqual(drawn["d"].status, Status.PLACED)

    def test_way_through_air_is_no_contradiction(self):
        drawn, left_out = draw_consistently(
            "mix", 60.0, [known("mix", "a"), known("mix", "b"), known("a", "b", wrong_s=0.03)]
        )
        self.assertEqual(left_out, [])
        self.assert_right(drawn, "a", "b")

    def test_where_the_timeline_itself_was_not_alike_a_place_through_others_is_unsure(self):
        nothing = Known("mix-c", "mix", "c", Status.UNPLACED, None, 0.01)
        pairs = [known("mix", "a"), known("a", "b"), known("b", "c"), nothing]
        # c is said to lie at 40 to 70 s: 20 s of it in sight of a timeline of 60 s, 5 s of one of 45 s.
        for duration_s, status in ((60.0, Status.UNSURE), (45.0, Status.PLACED)):
            drawn, left_out = draw_consistently("mix", duration_s, pairs)
            self.assertEqual((drawn["c"].status, left_out), (status, []))
            self.assert_right(drawn, "a", "b", "c")
        # One of its possible places by the timeline itself is the same: that confirms it.
        alike = Known("mix-c", "mix", "c", Status.UNSURE, known("mix", "c").time_map, 0.5)
        drawn, _ = draw_consistently("mix", 60.0, [*pairs[:3], alike])
        self.assertEqual(drawn["c"].status, Status.PLACED)
