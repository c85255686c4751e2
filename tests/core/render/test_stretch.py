import unittest

import numpy as np

from gullywind.core.maps.time_map import Piece, TimeMap
from gullywind.core.maps.version import Pitch, Sounding
from gullywind.core.render.stretch import is_bent, keeps_pitch, pitch_reason
from gullywind.core.render.warp import render
from tests.signals import RATE_HZ, source

TONE_HZ = 440.0
KEPT = Sounding(pitch=Pitch.KEPT)


def main_hz(sound: np.ndarray) -> float:
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(sound.size)))
    return float(np.argmax(spectrum) * RATE_HZ / sound.size)


def clicks(seconds: float, every_s: float, rate_hz: int = RATE_HZ) -> np.ndarray:
    rng = np.random.default_rng(1)
    sound = rng.standard_normal(int(seconds * rate_hz)) * 1e-4
    for at_s in np.arange(every_s, seconds - 0.1, every_s):
        at = int(at_s * rate_hz)
        sound[at : at + 200] += rng.standard_normal(200) * np.exp(-np.arange(200) / 40)
    return sound


def straight(rate: float) -> Piece:
    return TimeMap.placement(0.0, rate, 10.0).pieces[0]


def jagged(seed: int, length_s: float, every_s: float) -> Piece:
    """A bend with a knot every so many seconds, none of its stretches beyond 25 per cent."""
    rng = np.random.default_rng(seed)
    t_ref = np.arange(0.0, length_s + every_s / 2, every_s)
    t_rec = np.concatenate([[0.0], np.cumsum(every_s * rng.uniform(0.8, 1.25, t_ref.size - 1))])
    return Piece(np.stack([t_ref, t_rec], axis=1))


class StretchTest(unittest.TestCase):
    def test_the_sensible_choice_and_its_reason(self):
        for rate in (24 / 25, 25 / 24, 1001 / 1000, 44100 / 48000, 44100 / 48000 * 1.00004):
            self.assertFalse(keeps_pitch(Pitch.SENSIBLE, straight(rate), 48000), rate)
        self.assertTrue(keeps_pitch(Pitch.SENSIBLE, straight(0.97), 48000))
        self.assertFalse(keeps_pitch(Pitch.KEPT, straight(1.0003), 48000))
        self.assertTrue(keeps_pitch(Pitch.KEPT, straight(24 / 25), 48000))
        self.assertFalse(keeps_pitch(Pitch.FOLLOWS, straight(0.97), 48000))
        self.assertIn("performance", pitch_reason(Pitch.SENSIBLE, straight(0.97), 48000))
        self.assertIn("as it was recorded", pitch_reason(Pitch.SENSIBLE, straight(24 / 25), 48000))
        self.assertEqual(pitch_reason(Pitch.SENSIBLE, straight(1.0001), 48000), "")

    def test_a_bend_keeps_its_pitch_though_its_mean_speed_is_1_and_a_wandering_clock_does_not(self):
        bent = Piece(((0.0, 0.0), (5.0, 4.0), (10.0, 10.0)))
        self.assertTrue(is_bent(bent))
        self.assertTrue(keeps_pitch(Pitch.SENSIBLE, bent, 48000))
        self.assertIn("ties", pitch_reason(Pitch.SENSIBLE, bent, 48000))
        self.assertFalse(keeps_pitch(Pitch.FOLLOWS, bent, 48000))
        clock = Piece(((0.0, 0.0), (5.0, 5.0001), (10.0, 10.0)))
        self.assertFalse(is_bent(clock) or keeps_pitch(Pitch.KEPT, clock, 48000))

    def test_a_carried_camera_and_a_worn_tape_are_no_performance(self):
        t_ref = np.arange(0.0, 20.0, 0.25)
        # 10 ms either way in 8 s: up to 0.8 % fast.
        wandering = Piece(tuple(zip(t_ref.tolist(), (t_ref + 0.01 * np.sin(t_ref * np.pi / 4)).tolist(), strict=True)))
        self.assertFalse(is_bent(wandering) or keeps_pitch(Pitch.SENSIBLE, wandering, 48000))

    def test_pitch_follows_or_is_kept(self):
        sound = 0.3 * np.sin(2 * np.pi * TONE_HZ * np.arange(20 * RATE_HZ) / RATE_HZ)
        placed = TimeMap.placement(0.0, 0.97, 20.0)
        for pitch, hz in ((Pitch.KEPT, TONE_HZ), (Pitch.FOLLOWS, TONE_HZ * 0.97)):
            sounding = Sounding(pitch=pitch)
            heard = render(source(sound), placed, sounding, sample_rate_hz=RATE_HZ, samples=RATE_HZ, first=4 * RATE_HZ)[
                0
            ]
            self.assertAlmostEqual(main_hz(heard), hz, delta=1.0)

    def test_moments_land_where_the_map_says(self):
        for rate, rate_hz in ((0.96, RATE_HZ), (1.05, RATE_HZ), (0.97, 44100)):
            sound = clicks(40.0, 1.5, rate_hz)
            placed = TimeMap.placement(1.0, rate, 40.0)
            heard = render(source(sound, rate_hz), placed, KEPT, sample_rate_hz=RATE_HZ, samples=36 * RATE_HZ)[0]
            energy = np.convolve(heard**2, np.ones(96), mode="same")
            late_ms = []
            for t_rec in np.arange(1.5, 33.0, 1.5):
                expected = int((1.0 + t_rec / rate) * RATE_HZ) + 40
                near = energy[expected - 960 : expected + 960]
                late_ms.append((int(np.argmax(near)) - 960) / RATE_HZ * 1e3)
            with self.subTest(rate=rate, rate_hz=rate_hz):
                self.assertLess(np.abs(np.median(late_ms)), 1.5)
                self.assertLess(np.abs(late_ms).max(), 4.0)

    def test_every_chunk_is_the_same_and_channels_stay_together(self):
        sound = clicks(40.0, 0.7)
        both = source(np.stack([sound, sound]))
        placed = TimeMap.placement(0.5, 0.97, 40.0)
        whole = render(both, placed, KEPT, sample_rate_hz=RATE_HZ, samples=30 * RATE_HZ)
        part = render(both, placed, KEPT, sample_rate_hz=RATE_HZ, samples=2 * RATE_HZ, first=11 * RATE_HZ)
        np.testing.assert_array_equal(part, whole[:, 11 * RATE_HZ : 13 * RATE_HZ])
        # The stretcher adds a floor of its own, 70 dB below the clicks.
        self.assertLess(np.abs(whole[0] - whole[1]).max(), 3e-4 * np.abs(whole).max())


class BentTest(unittest.TestCase):
    def bent(
        self, sound: np.ndarray, piece: Piece, *, first_s: float = 0.0, length_s: float | None = None
    ) -> np.ndarray:
        length_s = piece.t_ref[-1] - first_s if length_s is None else length_s
        samples, first = int(length_s * RATE_HZ), int(first_s * RATE_HZ)
        return render(source(sound), TimeMap((piece,)), sample_rate_hz=RATE_HZ, samples=samples, first=first)

    def test_a_sustained_tone_through_twenty_ties_keeps_its_pitch_and_neither_dips_nor_clicks(self):
        piece = jagged(3, 6.0, 0.3)
        times = np.arange(int(piece.t_rec[-1] * RATE_HZ) + 1) / RATE_HZ
        for hz in (110.0, 440.0, 1870.0):
            tone = 0.3 * np.sin(2 * np.pi * hz * times)
            heard = self.bent(tone, piece)[0][RATE_HZ // 4 : -RATE_HZ // 4]
            with self.subTest(hz=hz):
                self.assertAlmostEqual(main_hz(heard), hz, delta=0.3)
                rows = heard[: heard.size // 960 * 960].reshape(-1, 960)
                level_db = 10 * np.log10((rows**2).mean(axis=1))
                self.assertLess(float(np.ptp(level_db)), 1.0)
                # A click would bend the wave more sharply than the tone does.
                sharpest = np.abs(np.diff(tone, 2)).max()
                self.assertLess(np.abs(np.diff(heard, 2)).max(), 2.5 * sharpest)

    def test_moments_land_where_ties_say(self):
        piece = jagged(4, 30.0, 0.2)
        sound = clicks(float(piece.t_rec[-1]) - 0.5, 0.21)
        heard = self.bent(sound, piece)[0]
        late_ms = []
        for t_rec in np.arange(0.42, piece.t_rec[-1] - 1.5, 0.21):
            at = int(float(piece.to_reference(np.array([t_rec]))[0]) * RATE_HZ)
            stroke = sound[int(t_rec * RATE_HZ) : int(t_rec * RATE_HZ) + 200]
            match = np.abs(np.correlate(heard[at - 1200 : at + 1400], stroke, mode="valid"))
            late_ms.append((int(match.argmax()) - 1200) / RATE_HZ * 1e3)
        self.assertGreater(len(late_ms), 100)
        self.assertLess(np.median(np.abs(late_ms)), 0.5)
        self.assertLess(np.percentile(np.abs(late_ms), 95), 1.5)

    def test_what_is_not_bent_is_copied_to_the_bit(self):
        rng = np.random.default_rng(5)
        sound = np.stack([rng.standard_normal(12 * RATE_HZ), rng.standard_normal(12 * RATE_HZ)]) * 0.1
        sound[:, 5 * RATE_HZ : 6 * RATE_HZ] = 0.0
        # Bent in the first half; in the second as it was, from a pause on.
        piece = Piece(((0.0, 0.0), (2.0, 2.3), (4.0, 4.6), (5.5, 5.5), (12.0, 12.0)))
        heard = self.bent(sound, piece)
        same = slice(int(6.2 * RATE_HZ), int(11.8 * RATE_HZ))
        np.testing.assert_array_equal(heard[:, same], sound[:, same].astype(np.float32))

    def test_channels_keep_their_phase(self):
        piece = jagged(6, 8.0, 0.25)
        sound = clicks(float(piece.t_rec[-1]) + 0.5, 0.4) + 0.1 * np.sin(
            np.arange(int((piece.t_rec[-1] + 0.5) * RATE_HZ)) / 30
        )
        heard = self.bent(np.stack([sound, -0.5 * sound]), piece)
        self.assertLess(np.abs(heard[1] + 0.5 * heard[0]).max(), 1e-5)

    def test_every_chunk_is_the_same_and_a_tie_changes_nothing_far_from_it(self):
        piece = jagged(7, 24.0, 0.5)
        sound = clicks(float(piece.t_rec[-1]) + 1.0, 0.37)
        whole = self.bent(sound, piece)
        part = self.bent(sound, piece, first_s=7.0, length_s=2.0)
        np.testing.assert_array_equal(part, whole[:, 7 * RATE_HZ : 9 * RATE_HZ])
        knots = np.array(piece.knots)
        knots[4, 1] += 0.03
        moved = self.bent(sound, Piece(knots))
        self.assertFalse(np.array_equal(moved[:, : 3 * RATE_HZ], whole[:, : 3 * RATE_HZ]))
        np.testing.assert_array_equal(moved[:, 12 * RATE_HZ :], whole[:, 12 * RATE_HZ :])
