"""Generated performances with known truth: `scripts.bending` measures many, here each kind once."""

import unittest

import numpy as np

from gullywind.core.bending.bent import bent_alignment
from gullywind.core.bending.match import match_performances
from gullywind.core.bending.prove import prove_bend
from gullywind.core.features.performance import hear_performance
from gullywind.core.ground.errors import InputError
from gullywind.core.maps.ties import BendSettings
from gullywind.core.measure.evidence import Status
from gullywind.core.proof import rendered_listening
from gullywind.core.sound.views import Listening
from material.arrays import ArraySound
from material.devices import RATE_HZ
from material.performances import music_pair, smooth_pair, speech_pair
from material.spoken import VOICES


def view(sound: np.ndarray) -> Listening:
    return Listening(ArraySound(sound, RATE_HZ), (0,))


def bent(reference: np.ndarray, recording: np.ndarray, **values):
    ours, theirs = hear_performance(view(reference)), hear_performance(view(recording))
    matched = match_performances(ours, theirs)
    duration_s = recording.size / RATE_HZ
    return matched, bent_alignment(ours, theirs, matched, duration_s, BendSettings(**values))


def errors_ms(case, alignment) -> np.ndarray:
    late = (alignment.time_map.to_reference(case.t_rec) - case.t_ref) * 1e3
    return np.abs(late[~np.isnan(late)])


class MatchTest(unittest.TestCase):
    def check(self, case, median_ms: float, p95_ms: float):
        matched, alignment = bent(case.reference, case.recording)
        self.assertIs(alignment.status, Status.PLACED)
        late = errors_ms(case, alignment)
        self.assertGreater(late.size, 0.95 * case.t_ref.size)
        self.assertLess(np.median(late), median_ms)
        self.assertLess(np.percentile(late, 95), p95_ms)
        return matched, alignment

    def test_two_voices_at_different_rates(self):
        self.check(speech_pair(8, VOICES), 2.5, 15.0)

    def test_two_voices_in_noisy_rooms(self):
        self.check(speech_pair(1010, VOICES, noisy=True), 4.0, 25.0)

    def test_a_smooth_difference_at_another_pitch(self):
        self.check(smooth_pair(3001, VOICES), 1.5, 8.0)

    def test_the_same_notes_on_another_instrument(self):
        self.check(music_pair(4001, "struck", "plucked"), 4.0, 20.0)

    def test_the_very_same_sounds_played_again_are_all_followed(self):
        matched, _ = self.check(music_pair(4002, "wood", "wood"), 2.0, 10.0)
        self.assertFalse(matched.exact)

    def test_a_bow_follows_plucked_strings_better_than_untouched(self):
        # The second one was let go as long as a bow's wavering was taken for its timing.
        for seed, share in ((5005, 0.5), (5001, 0.75)):
            with self.subTest(seed=seed):
                case = music_pair(seed, "bowed", "plucked")
                _, alignment = bent(case.reference, case.recording)
                self.assertIs(alignment.status, Status.PLACED)
                untouched = np.abs(case.t_rec + np.median(case.t_ref - case.t_rec) - case.t_ref) * 1e3
                self.assertLess(errors_ms(case, alignment).mean(), untouched.mean() * share)
                self.assertLess(np.percentile(errors_ms(case, alignment), 95), np.percentile(untouched, 95))

    def test_where_few_beginnings_are_told_the_timing_is_left_alone(self):
        case = music_pair(5001, "bowed", "plucked")
        noise = np.random.default_rng(3).standard_normal(case.recording.size)
        matched, alignment = bent(case.reference, case.recording + noise * case.recording.std() * 0.7)
        self.assertIs(matched.status, Status.UNSURE)
        # Also an end that is told sharply is no surer than what begins around it.
        self.assertLess(np.mean([tie.certainty for tie in matched.ties]), 0.3)
        (piece,) = alignment.time_map.pieces
        self.assertTrue(piece.is_straight)

    def test_words_put_in_and_left_out_tear_nothing(self):
        case = speech_pair(2003, VOICES, changed=True)
        self.assertTrue(case.without)
        _, alignment = self.check(case, 2.5, 15.0)
        for piece in alignment.time_map.pieces:
            slopes = np.diff(piece.t_rec) / np.diff(piece.t_ref)
            self.assertLessEqual(slopes.max(), 1.3 + 1e-3)
            self.assertGreaterEqual(slopes.min(), 1 / 1.3 - 1e-3)
        self.assertIn("beyond-limit", [note.code for note in alignment.notes])

    def test_noise_is_no_part_however_evenly_it_runs(self):
        for seed in range(3):
            rng = np.random.default_rng([seed, 77])
            first, second = (np.cumsum(rng.standard_normal(15 * RATE_HZ)) * 1e-3 for _ in range(2))
            matched, _ = bent(first, second)
            self.assertIsNot(matched.status, Status.PLACED)
            # So it is not offered either.
            self.assertFalse(matched.status is Status.UNSURE and matched.can_be_held)

    def test_another_text_does_not_belong(self):
        matched, alignment = bent(speech_pair(0, VOICES).reference, music_pair(2, "plucked", "drums").recording)
        self.assertIs(matched.status, Status.UNPLACED)
        self.assertIsNone(alignment.time_map)
        self.assertEqual(alignment.ties, ())

    def test_against_itself_nothing_is_bent(self):
        sound = speech_pair(1, VOICES).reference
        later = np.concatenate([np.zeros(4800), sound])
        for recording, offset_s in ((sound, 0.0), (later, -0.1)):
            matched, alignment = bent(sound, recording)
            self.assertTrue(matched.exact)
            self.assertEqual(len(alignment.time_map.pieces), 1)
            piece = alignment.time_map.pieces[0]
            np.testing.assert_allclose(piece.t_ref - piece.t_rec, offset_s, atol=1e-9)
            self.assertIn("same-event", [note.code for note in alignment.notes])

    def test_the_proof_tells_what_is_left_in_the_sound(self):
        case = speech_pair(5, VOICES)
        reference, recording = view(case.reference), view(case.recording)
        ours = hear_performance(reference)
        residuals = []
        for closeness in (1.0, 0.0):
            _, alignment = bent(case.reference, case.recording, closeness=closeness)
            heard = hear_performance(rendered_listening(reference, recording, alignment.time_map))
            residual, trace = prove_bend(ours, heard)
            residuals.append(residual)
            self.assertGreater(len(trace), 30)
        self.assertLess(residuals[0].median_ms, 8.0)
        self.assertGreater(residuals[1].median_ms, 3 * residuals[0].median_ms)

    def test_silence_and_hours_are_told(self):
        quiet = hear_performance(view(np.zeros(RATE_HZ)))
        self.assertIs(match_performances(quiet, quiet).status, Status.UNPLACED)
        long = Listening(ArraySound(np.zeros(3000 * 1000), 1000), (0,))
        with self.assertRaisesRegex(InputError, "50 minutes long"):
            hear_performance(long)
