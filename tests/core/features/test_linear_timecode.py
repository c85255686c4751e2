import unittest
from fractions import Fraction

import numpy as np

from gullywind.core.features.linear_timecode import TimecodeRun, read_timecode, timecode_channels
from gullywind.core.ground.timecode import Counting
from material.music import piece
from material.timecode_sound import CodeSound, code_sound
from tests.signals import busy, source

NTSC = Fraction(30000, 1001)


def labels(first, frames, counting):
    start = counting.number(first)
    return [counting.label(start + k) for k in range(frames)]


def heard(first, frames, form, *, begin_s=0.0, seed=1):
    """What is read of so many frames that begin there."""
    sound = code_sound(
        labels(first, frames, Counting(form.rate, form.drop_frame)), form, np.random.default_rng(seed), begin_s=begin_s
    )
    return read_timecode(source(sound, form.sample_rate_hz), 0)


class LinearTimecodeTest(unittest.TestCase):
    def only(self, runs) -> TimecodeRun:
        self.assertEqual(len(runs), 1)
        return runs[0]

    def test_every_rate_is_read_weak_noisy_and_narrow_at_any_sample_rate(self):
        rng = np.random.default_rng(4)
        for rate in (Fraction(24000, 1001), Fraction(24), Fraction(25), NTSC, Fraction(30)):
            for sample_rate_hz in (44100, 48000, 96000):
                form = CodeSound(
                    rate,
                    False,
                    sample_rate_hz,
                    level_db=-40,
                    snr_db=20,
                    band_hz=8000,
                    polarity=int(rng.choice([-1, 1])),
                )
                with self.subTest(rate=rate, sample_rate_hz=sample_rate_hz):
                    # The file begins in the middle of a frame; the first whole one is the second.
                    begin_s = -float(rng.uniform(0.2, 0.8)) / float(rate)
                    run = self.only(heard((9, 59, 58, 3), 90, form, begin_s=begin_s))
                    self.assertEqual((run.start, run.frames, run.rate), ((9, 59, 58, 4), 89, rate))
                    self.assertAlmostEqual(run.at_s, begin_s + 1 / float(rate), delta=1e-5)
                    self.assertAlmostEqual(run.speed, 1.0, delta=2e-5)

    def test_a_tape_that_runs_off_by_a_per_cent(self):
        for speed in (0.99, 1.01):
            run = self.only(heard((1, 0, 0, 0), 80, CodeSound(Fraction(25), speed=speed, snr_db=25)))
            self.assertEqual((run.start, run.frames, run.rate), ((1, 0, 0, 0), 80, Fraction(25)))
            self.assertAlmostEqual(run.speed, speed, delta=2e-5)
            self.assertAlmostEqual(run.at_s, 0.0, delta=1e-5)

    def test_drop_frame_code_is_one_run_over_the_numbers_that_it_leaves_out(self):
        run = self.only(heard((10, 0, 58, 0), 90, CodeSound(NTSC, True)))
        self.assertEqual((run.start, run.frames, run.rate, run.drop_frame), ((10, 0, 58, 0), 90, NTSC, True))

    def test_midnight_is_no_break(self):
        run = self.only(heard((23, 59, 59, 0), 60, CodeSound()))
        self.assertEqual((run.start, run.frames), ((23, 59, 59, 0), 60))

    def test_a_jump_begins_a_new_run(self):
        counting, form = Counting(Fraction(25)), CodeSound(snr_db=20)
        both = [*labels((1, 0, 0, 0), 30, counting), *labels((1, 0, 7, 0), 40, counting)]
        runs = read_timecode(source(code_sound(both, form, np.random.default_rng(2))), 0)
        self.assertEqual([(one.start, one.frames) for one in runs], [((1, 0, 0, 0), 30), ((1, 0, 7, 0), 40)])
        self.assertAlmostEqual(runs[1].at_s, 30 / 25, delta=1e-5)

    def test_code_that_begins_and_ends_in_silence_is_read_whole(self):
        rng = np.random.default_rng(3)
        code = code_sound(labels((2, 0, 0, 0), 50, Counting(Fraction(25))), CodeSound(), rng)
        sound = np.concatenate([np.zeros(30000), code, np.zeros(20000)]) + 1e-5 * rng.standard_normal(50000 + code.size)
        run = self.only(read_timecode(source(sound), 0))
        self.assertEqual((run.start, run.frames), ((2, 0, 0, 0), 50))
        self.assertAlmostEqual(run.at_s, 30000 / 48000, delta=1e-5)

    def test_its_channel_is_found_beside_sound(self):
        rng = np.random.default_rng(5)
        code = code_sound(labels((3, 0, 0, 0), 500, Counting(Fraction(25))), CodeSound(snr_db=20), rng)
        both = np.stack([busy(20, 6), code[: 20 * 48000]])
        self.assertEqual(timecode_channels(source(both)), (1,))

    def test_no_frame_is_read_from_other_sound(self):
        t = np.arange(60 * 48000) / 48000
        others = {
            "speech-like": busy(60, 7),
            "music": piece(8, 60.0),
            "square": np.sign(np.sin(2 * np.pi * 2000 * t)) * 0.3,
            "white": np.random.default_rng(9).standard_normal(t.size) * 0.1,
            "clipped": np.clip(np.random.default_rng(10).standard_normal(t.size), -0.2, 0.2),
        }
        for name, sound in others.items():
            with self.subTest(name):
                self.assertEqual(read_timecode(source(sound), 0), ())
                self.assertEqual(timecode_channels(source(sound)), ())
