import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.bending import bend
from gullywind.core.maps.ties import BendSettings, Levels, Tie, TieKind

START, END = TieKind.START, TieKind.END
OFFSET_S, LENGTH_S = 2.0, 20.0


def ties(*pairs: tuple[float, float], certainty: float = 0.95, kind: TieKind = START) -> tuple[Tie, ...]:
    """Ties at recording times, each so many s late against the plain place."""
    return tuple(Tie(t_rec + OFFSET_S - late, t_rec, kind, certainty) for t_rec, late in pairs)


def lands(made, t_rec: float) -> float:
    return float(made.time_map.to_reference(np.array([t_rec]))[0])


def slopes(made) -> np.ndarray:
    return np.concatenate([np.diff(piece.t_rec) / np.diff(piece.t_ref) for piece in made.time_map.pieces])


class BendTest(unittest.TestCase):
    def bent(self, some, levels=None, **values):
        return bend(some, OFFSET_S, LENGTH_S, BendSettings(**values), levels)

    def test_ties_are_followed_and_what_lies_outside_them_keeps_its_length(self):
        some = ties((4.0, 0.05), (6.0, -0.03), (9.0, 0.02))
        made = self.bent(some)
        for tie in some:
            self.assertAlmostEqual(lands(made, tie.t_rec), tie.t_ref, places=9)
        np.testing.assert_allclose(made.moved_s, [-0.05, 0.03, -0.02], atol=1e-9)
        piece = made.time_map.pieces[0]
        self.assertEqual(piece.start[1], 0.0)
        self.assertEqual(piece.end_exclusive[1], LENGTH_S)
        self.assertAlmostEqual(slopes(made)[0], 1.0)
        self.assertAlmostEqual(slopes(made)[-1], 1.0)
        self.assertEqual(made.joints, ())

    def test_closeness_takes_away_a_share_of_each_difference(self):
        some = ties((4.0, 0.05), (6.0, -0.03))
        np.testing.assert_allclose(self.bent(some, closeness=0.5).moved_s, [-0.025, 0.015], atol=1e-9)
        untouched = self.bent(some, closeness=0.0)
        np.testing.assert_allclose(slopes(untouched), 1.0)
        self.assertAlmostEqual(untouched.time_map.offset_s, OFFSET_S)

    def test_small_differences_are_left_alone(self):
        made = self.bent(ties((4.0, 0.05), (6.0, -0.019), (9.0, 0.021)), leave_below_s=0.02)
        np.testing.assert_allclose(made.moved_s, [-0.05, 0.0, -0.021], atol=1e-9)

    def test_uncertain_ties_are_not_followed(self):
        some = (*ties((4.0, 0.0)), *ties((6.0, 0.2), certainty=0.2), *ties((9.0, 0.0)))
        made = self.bent(some)
        self.assertAlmostEqual(made.moved_s[1], 0.0)
        self.assertTrue(np.isnan(made.given_up_s[1]))

    def test_ends_can_keep_their_length(self):
        word = (*ties((4.0, 0.1)), *ties((4.5, 0.0), kind=END), *ties((5.5, 0.1)))
        follows, keeps = self.bent(word), self.bent(word, ends=False)
        self.assertAlmostEqual(lands(follows, 4.5), 6.5, places=6)
        # As long after its start as it was.
        self.assertAlmostEqual(lands(keeps, 4.5) - lands(keeps, 4.0), 0.5, places=6)
        self.assertAlmostEqual(lands(keeps, 5.5), 7.4, places=6)

    def test_held_ties_stay_where_ends_are_kept_too(self):
        held = Tie(4.06 + OFFSET_S, 4.06, START, 1.0, held=True)
        made = self.bent((*ties((4.0, -0.02), certainty=0.6), held), ends=False, limit=0.25)
        self.assertLess(abs(made.given_up_s[1]), 0.01 * abs(made.given_up_s[0]))

    def test_a_word_too_many_is_left_out_where_it_is_quiet(self):
        hop_s = 0.005
        level = np.full(int(LENGTH_S / hop_s), -20.0, np.float32)
        for start_s, end_s in ((5.0, 5.1), (5.9, 6.0)):
            level[int(start_s / hop_s) : int(end_s / hop_s)] = -80.0
        some = ties((4.0, 0.0), (4.9, 0.0), (6.1, 0.95), (8.0, 0.95))
        made = self.bent(some, Levels(hop_s, level))
        self.assertEqual(len(made.joints), 1)
        self.assertAlmostEqual(made.joints[0].too_long_s, 0.95, places=6)
        before, after = made.time_map.pieces
        self.assertTrue(5.0 <= before.end_exclusive[1] <= 5.1, before)
        self.assertTrue(5.9 <= after.start[1] <= 6.05, after)
        for tie in some:
            self.assertAlmostEqual(lands(made, tie.t_rec), tie.t_ref, places=6)
        np.testing.assert_allclose(slopes(made), 1.0, atol=1e-6)

    def test_a_pause_full_of_noise_is_cut_where_the_same_in_a_word_gives_way(self):
        hop_s, rng = 0.005, np.random.default_rng(4)
        times = np.arange(int(LENGTH_S / hop_s)) * hop_s
        # Words of 0.8 s, 14 dB over the noise that fills the pauses of 0.2 s between them.
        level = np.where(times % 1.0 < 0.8, -20 + 3 * np.sin(40 * times), -34) + rng.normal(0, 1.5, times.size)
        levels = Levels(hop_s, level.astype(np.float32))
        self.assertEqual([levels.pauses(*of) for of in ((4.75, 5.05), (4.1, 4.7))], [True, False])
        for between, cuts in ((4.8, 1), (4.3, 0)):
            # 12 ms more than the limit allows.
            some = ties((between - 1.0, 0.0), (between, 0.0), (between + 0.2, 0.2 - 0.2 / 1.3 + 0.012))
            self.assertEqual(len(self.bent(some, levels).joints), cuts)

    def test_notes_that_die_away_are_no_pauses(self):
        level = -10 - 28 * (np.arange(0.0, LENGTH_S, 0.005) % 0.5) / 0.5
        levels = Levels(0.005, level.astype(np.float32))
        self.assertFalse(any(levels.pauses(at, at + 0.5) for at in np.arange(0.0, 19.0, 0.25)))

    def test_a_word_too_few_leaves_a_gap_and_the_rest_is_right(self):
        some = ties((4.0, 0.0), (5.0, 0.0), (5.2, -0.8), (8.0, -0.8))
        made = self.bent(some)
        self.assertLess(made.joints[0].too_long_s, 0)
        self.assertEqual(len(made.time_map.pieces), 2)
        for tie in some:
            self.assertAlmostEqual(lands(made, tie.t_rec), tie.t_ref, places=6)

    def test_a_little_too_much_is_shared_and_the_surer_tie_gives_way_less(self):
        # 40 ms at a slope of 1.5: 4 ms beyond the limit.
        pair = (*ties((4.0, 0.0), certainty=0.99), *ties((4.06, 0.02), certainty=0.6))
        made = self.bent(pair, limit=0.25)
        self.assertLessEqual(slopes(made).max(), 1.25 + 1e-3)
        self.assertLess(abs(made.given_up_s[0]), abs(made.given_up_s[1]))

    def test_a_tie_acts_between_its_neighbours_only(self):
        some = list(ties(*[(t, 0.01 * (-1) ** t) for t in range(2, 18, 2)]))
        before = self.bent(tuple(some)).time_map
        some[3] = Tie(some[3].t_ref + 0.03, some[3].t_rec, START, 0.95)
        after = self.bent(tuple(some)).time_map
        outside = np.concatenate([np.linspace(0, 6, 50), np.linspace(10, 20, 50)])
        np.testing.assert_allclose(after.to_reference(outside), before.to_reference(outside), atol=1e-12)

    def test_bad_figures_are_refused(self):
        for values in ({"closeness": 1.2}, {"leave_below_s": -1}, {"limit": 0.0}, {"closeness": float("nan")}):
            with self.assertRaises(InputError):
                BendSettings(**values)

    def test_nothing_to_hold_on_to_is_the_plain_place(self):
        made = self.bent(())
        self.assertEqual(made.time_map.offset_s, OFFSET_S)
        self.assertEqual(made.time_map.rate, 1.0)


class AnyTiesTest(unittest.TestCase):
    @settings(deadline=None, max_examples=150)
    @given(
        steps=st.lists(st.tuples(st.floats(0.0, 1.5), st.floats(0.0, 1.5), st.floats(0.3, 1.0)), max_size=25),
        closeness=st.floats(0.0, 1.0),
        limit=st.floats(0.02, 1.0),
        ends=st.booleans(),
        scale=st.sampled_from((1.0, 0.1, 0.02)),
        seed=st.integers(0, 99),
    )
    def test_the_limit_holds_everywhere_and_the_map_is_whole(self, steps, closeness, limit, ends, scale, seed):
        t_ref = t_rec = 0.5
        some = []
        for k, (ref, rec, certainty) in enumerate(steps):
            t_ref, t_rec = t_ref + ref * scale, t_rec + rec * scale
            some.append(Tie(t_ref, t_rec, END if k % 3 == 2 else START, certainty, held=(k + seed) % 7 == 0))
        noise = np.random.default_rng(seed).standard_normal(int(60 / 0.005)) * 20 - 30
        levels = Levels(0.005, noise.astype(np.float32)) if seed % 2 else None
        made = bend(tuple(some), 0.2, 60.0, BendSettings(closeness, 0.0, limit, ends), levels)
        found = slopes(made)
        self.assertLessEqual(found.max(), (1 + limit) * 1.01)
        self.assertGreaterEqual(found.min(), 1 / (1 + limit) / 1.01)
        self.assertEqual(made.time_map.pieces[0].start[1], 0.0)
        self.assertEqual(made.time_map.pieces[-1].end_exclusive[1], 60.0)
        self.assertEqual(len(made.moved_s), len(some))
