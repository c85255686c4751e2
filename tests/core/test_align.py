import unittest

import numpy as np
import soxr
from scipy.signal import firwin

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.measure.evidence import Alignment, Status
from tests.signals import RATE_HZ, busy, clocked, in_room, source, with_noise


def place(reference: np.ndarray, recording: np.ndarray, rate_hz: int = RATE_HZ) -> Alignment:
    return align_recording(prepare_reference(source(reference)), hear(source(recording, rate_hz)))


class PlacesTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.event = busy(120.0)

    def assert_placed(self, result: Alignment, offset_s: float, delta: float) -> None:
        self.assertEqual(result.status, Status.PLACED)
        self.assertAlmostEqual(result.time_map.offset_s, offset_s, delta=delta)

    def test_copy_at_a_whole_sample_is_exact(self):
        result = place(self.event, self.event[1234567 : 1234567 + 40 * RATE_HZ])
        self.assertEqual(result.time_map.offset_s, 1234567 / RATE_HZ)
        self.assertEqual(result.time_map.rate, 1.0)
        self.assertGreater(result.confidence, 0.95)

    def test_fractional_delay_to_a_microsecond(self):
        shifted = clocked(self.event, 20.0 + 0.37 / RATE_HZ, 1.0, 40.0)
        self.assert_placed(place(self.event, shifted), 20.0 + 0.37 / RATE_HZ, 1e-6)

    def test_other_sample_rate_to_a_microsecond(self):
        part = self.event[10 * RATE_HZ : 60 * RATE_HZ]
        self.assert_placed(place(self.event, soxr.resample(part, RATE_HZ, 44100, quality="VHQ"), 44100), 10.0, 1e-6)

    def test_clock_and_room_and_noise_and_polarity(self):
        taken = -clocked(with_noise(in_room(self.event, 5), 5.0, 6), 15.0, 1.0000381, 90.0)
        result = place(self.event, taken)
        self.assert_placed(result, 15.0, 50e-6)
        self.assertAlmostEqual(result.time_map.clock_ppm, 38.1, delta=0.5)
        self.assertEqual(result.polarity, -1)
        self.assertIn("inverted", [note.code for note in result.notes])
        self.assertIn("clock-drift", [note.code for note in result.notes])

    def test_a_microphone_that_turns_what_is_highest_turns_no_polarity(self):
        # Above 9 kHz turned over and free of noise, below it covered: the highest peak of every window has that sign.
        low = firwin(255, 9000, fs=RATE_HZ)
        below = np.convolve(self.event, low, "same")
        noise = np.convolve(busy(120.0, 12), low, "same")
        for polarity in (1, -1):
            result = place(self.event, polarity * (2 * below - self.event + noise)[20 * RATE_HZ : 80 * RATE_HZ])
            self.assert_placed(result, 20.0, 100e-6)
            self.assertEqual(result.polarity, polarity)

    def test_starts_before_and_ends_after_the_reference(self):
        self.assert_placed(place(self.event[30 * RATE_HZ : 80 * RATE_HZ], self.event), -30.0, 1e-6)

    def test_six_seconds_find_their_place(self):
        clip = with_noise(in_room(self.event, 8), 10.0, 9)[int(77.7 * RATE_HZ) : int(83.7 * RATE_HZ)]
        self.assert_placed(place(self.event, clip), 77.7, 1e-3)

    def test_whichever_channel_carries_the_signal(self):
        hum = np.sin(2 * np.pi * 50 * np.arange(40 * RATE_HZ) / RATE_HZ) * 0.5
        voice = self.event[20 * RATE_HZ : 60 * RATE_HZ]
        for channels in ([hum, voice], [voice, -voice], [voice, np.zeros_like(voice)]):
            self.assert_placed(place(self.event, np.stack(channels)), 20.0, 1e-6)

    def test_minutes_of_drift_do_not_lose_it(self):
        long = busy(420.0, seed=4)
        result = place(long, clocked(long, 5.0, 1 + 290e-6, 400.0))
        self.assert_placed(result, 5.0, 5e-6)
        self.assertAlmostEqual(result.time_map.clock_ppm, 290.0, delta=0.02)


class HonestTest(unittest.TestCase):
    def test_strangers_do_not_belong(self):
        for seed in (2, 3):
            result = place(busy(60.0, 1), busy(30.0, seed))
            self.assertEqual(result.status, Status.UNPLACED)
            self.assertIsNone(result.time_map)
            self.assertLess(result.confidence, 0.25)

    def test_exact_repeats_are_not_placed_with_confidence(self):
        bar = busy(4.0, 12)
        result = place(np.tile(bar, 10), with_noise(np.tile(bar, 2), 30.0, 1))
        self.assertEqual(result.status, Status.UNSURE)
        self.assertIn("repeats", [note.code for note in result.notes])
        self.assertGreater(len(result.candidates), 2)
        for one in result.candidates[:3]:
            self.assertAlmostEqual(one.offset_s % 4.0 % 3.9999, 0.0, delta=0.001)

    def test_another_passage_over_the_same_drums_is_not_placed(self):
        drums, verse, other_verse = busy(24.0, 70), busy(24.0, 71), busy(24.0, 72)
        result = place(np.concatenate([busy(40.0, 73), drums + verse]), with_noise(drums + other_verse, 30.0, 74))
        self.assertAlmostEqual(result.candidates[0].offset_s, 40.0, delta=1e-3)
        self.assertEqual(result.status, Status.UNSURE)
        self.assertIn("part-alike", [note.code for note in result.notes])

    def test_the_right_end_among_many_bars_with_the_same_drums(self):
        # Of the recording only the first 8 s lie in the reference: where its drums agree for longer is not its place.
        beat = 3 * RATE_HZ // 4
        drums = np.tile(np.pad(busy(0.3, 73), (0, beat - int(0.3 * RATE_HZ))), 140)
        music = 2.0 * drums + busy(105.0, 74)
        result = place(music[: 60 * RATE_HZ], with_noise(music[52 * RATE_HZ : 92 * RATE_HZ], 30.0, 75))
        self.assertAlmostEqual(result.candidates[0].offset_s, 52.0, delta=1e-4)

    def test_silence_and_a_constant_are_named(self):
        for sound in (np.zeros(20 * RATE_HZ), np.full(20 * RATE_HZ, 0.3)):
            result = place(busy(30.0), sound)
            self.assertEqual(result.status, Status.UNPLACED)
            self.assertEqual([note.code for note in result.notes], ["silent"])

    def test_not_a_number_and_tiny_files_do_no_harm(self):
        event = busy(60.0)
        part = event[10 * RATE_HZ : 40 * RATE_HZ].copy()
        part[5000:5100] = np.nan
        self.assertAlmostEqual(place(event, part).time_map.offset_s, 10.0, delta=1e-6)
        for samples in (1, 10, 4800):
            self.assertEqual(place(event, event[:samples]).status, Status.UNPLACED)

    def test_clipping_is_named(self):
        event = busy(60.0)
        part = np.clip(event[10 * RATE_HZ : 40 * RATE_HZ] * 30, -1, 1)
        self.assertIn("clipped", [note.code for note in place(event, part).notes])
