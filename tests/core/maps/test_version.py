import json
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from gullywind.core.ground.errors import InputError
from gullywind.core.maps.push import SetPush
from gullywind.core.maps.sounding_edits import SetChannels, SetGain, SetGaps, SetKept, SetPitch, SetPolarity
from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.maps.version import AS_USUAL, Gaps, Pitch, Sounding, Version
from gullywind.core.render.warp import render
from tests.signals import RATE_HZ, busy, source

PLACED = TimeMap.from_json([[[10.0, 0.0], [50.0, 40.0]], [[52.0, 40.0], [90.0, 78.0]]])
SOUNDINGS = st.builds(
    Sounding,
    gaps=st.sampled_from(Gaps),
    pitch=st.sampled_from(Pitch),
    polarity=st.sampled_from([1, -1]),
    gain_db=st.floats(-60, 60),
    channels=st.none() | st.lists(st.integers(0, 7), min_size=1, max_size=3).map(tuple),
    kept=st.booleans(),
)


class VersionTest(unittest.TestCase):
    @given(SOUNDINGS, st.floats(-1, 1))
    def test_what_is_stored_comes_back_to_the_last_digit(self, sounding, push_s):
        version = Version(PLACED, push_s, sounding)
        self.assertEqual(Version.from_json(json.loads(json.dumps(version.to_json()))), version)

    def test_ten_thousand_knots_come_back_to_the_last_bit(self):
        t_rec = np.linspace(0.0, 3600.0, 10_000)
        many = TimeMap((Piece(np.stack([t_rec + np.sin(t_rec), t_rec * 1.7], axis=1)),))
        text = json.dumps(Version(many).to_json())
        self.assertEqual(Version.from_json(json.loads(text)).time_map, many)
        self.assertLess(len(text), 220_000)

    def test_other_forms_are_refused_in_words(self):
        for pieces in ([{"f32": ""}], [{"f64": "AAAA"}], [[[0, 0]]], "x", []):
            with self.assertRaises(InputError):
                Version.from_json({"format": 1, "pieces": pieces})
        for stored in ({}, {"format": 2, "pieces": PLACED.to_json()}):
            with self.assertRaisesRegex(InputError, "form that is not known"):
                Version.from_json(stored)
        with self.assertRaisesRegex(InputError, "another form"):
            Version.from_json({"format": 1, "pieces": PLACED.to_json(), "sounding": {"gaps": "loud"}})
        for wrong in ({"polarity": 0}, {"gain_db": 99.0}, {"channels": ()}, {"channels": (-1,)}):
            with self.assertRaises(InputError):
                Sounding(**wrong)

    def test_a_push_lies_on_top_and_is_kept_apart(self):
        pushed = Version(PLACED, 0.02)
        self.assertEqual(pushed.time_map, PLACED)
        self.assertAlmostEqual(pushed.heard_map.offset_s, PLACED.offset_s + 0.02, delta=1e-12)

    def test_sentences_of_sounding_edits(self):
        told = [
            (SetGaps(Gaps.ROOM_TONE), "gaps filled with room tone"),
            (SetPitch(Pitch.KEPT), "pitch kept whatever the speed"),
            (SetPolarity(-1), "inverted"),
            (SetGain(-3.0), "gain set to −3.0 dB"),
            (SetChannels((1,)), "channel 2 alone heard"),
            (SetChannels(None), "all channels heard"),
        ]
        sounding = AS_USUAL
        for edit, words in told:
            done = edit.apply(sounding)
            sounding = done.sounding
            self.assertEqual(done.sentence, words)
        self.assertEqual(sounding, Sounding(Gaps.ROOM_TONE, Pitch.KEPT, -1, -3.0))


class SoundingTest(unittest.TestCase):
    def test_gain_polarity_and_channels_are_rendered(self):
        sound = np.stack([busy(4.0, 1), busy(4.0, 2)]).astype(np.float32)
        here = TimeMap.placement(0.0, 1.0, 4.0)

        def heard(sounding):
            return render(source(sound), here, sounding, sample_rate_hz=RATE_HZ, samples=4 * RATE_HZ)

        np.testing.assert_array_equal(heard(AS_USUAL), sound)
        np.testing.assert_array_equal(heard(Sounding(polarity=-1)), -sound)
        np.testing.assert_allclose(heard(Sounding(gain_db=-6.0)), sound * 10 ** (-0.3), rtol=1e-6)
        np.testing.assert_array_equal(heard(Sounding(channels=(1,))), sound[1:])
        np.testing.assert_array_equal(heard(Sounding(channels=(1, 0))), sound[::-1])
        # Channels that a file does not have are no reason for silence.
        np.testing.assert_array_equal(heard(Sounding(channels=(5,))), sound)


class PushTest(unittest.TestCase):
    def test_what_is_heard_is_put_somewhere_and_the_push_stays_on_top(self):
        pushed = SetPush(0.03).apply(Version(PLACED))
        self.assertEqual(pushed.sentence, "pushed 30 ms later on purpose")
        moved = pushed.version.heard_at(pushed.version.heard_map.shifted(1.0))
        self.assertEqual(moved.push_s, 0.03)
        self.assertAlmostEqual(moved.time_map.offset_s, PLACED.offset_s + 1.0, delta=1e-12)
        self.assertEqual(SetPush(0.0).apply(moved).sentence, "no push any more")
        for wrong in (2.0, float("nan")):
            with self.assertRaisesRegex(InputError, "within 1000 ms"):
                SetPush(wrong).apply(moved)
        self.assertEqual(SetKept(False).apply(AS_USUAL).sentence, "kept as scratch sound")
