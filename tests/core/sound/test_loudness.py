"""The loudness meter against the standard's tone and against FFmpeg's meter."""

import math
import unittest
from fractions import Fraction

import av
import av.filter
import numpy as np

from gullywind.core.sound.loudness import LoudnessMeter, k_weighting

RATE_HZ = 48000


def measured(sound, rate_hz=RATE_HZ, blocks=65537):
    meter = LoudnessMeter(rate_hz)
    for start in range(0, sound.shape[1], blocks):
        meter.push(sound[:, start : start + blocks].astype(np.float32))
    return meter.finish()


def by_ffmpeg(sound, rate_hz):
    layout = "mono" if sound.shape[0] == 1 else "stereo"
    graph = av.filter.Graph()
    base = Fraction(1, rate_hz)
    source = graph.add_abuffer(sample_rate=rate_hz, format="flt", layout=layout, time_base=base)
    meter, sink = graph.add("ebur128", "metadata=1:framelog=quiet"), graph.add("abuffersink")
    source.link_to(meter)
    meter.link_to(sink)
    graph.configure()
    packed = np.ascontiguousarray(sound.T.reshape(1, -1).astype(np.float32))
    frame = av.AudioFrame.from_ndarray(packed, format="flt", layout=layout)
    frame.sample_rate, frame.pts = rate_hz, 0
    source.push(frame)
    source.push(None)
    value = -math.inf
    while True:
        try:
            value = float(sink.pull().metadata["lavfi.r128.I"])
        except (av.error.BlockingIOError, av.error.EOFError):
            return value


class LoudnessTest(unittest.TestCase):
    def test_the_standard_s_tone(self):
        # EBU Tech 3341, case 1: 1 kHz stereo sine at -23 dBFS measures -23 LUFS, within 0.1.
        tone = np.sin(2 * np.pi * 1000 * np.arange(20 * RATE_HZ) / RATE_HZ) * 10 ** (-23 / 20)
        self.assertAlmostEqual(measured(np.stack([tone, tone])), -23.0, delta=0.1)

    def test_the_standard_s_coefficients(self):
        # ITU-R BS.1770-4, annex 1, tables 1 and 2.
        shelf, highpass = k_weighting(48000)
        np.testing.assert_allclose(
            shelf,
            [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585],
            atol=1e-7,
        )
        np.testing.assert_allclose(highpass, [1, -2, 1, -1.99004745483398, 0.99007225036621], atol=1e-7)

    def test_as_ffmpeg_measures_loud_and_soft_parts_and_pauses(self):
        rng = np.random.default_rng(4)
        for rate_hz, channels in ((48000, 1), (44100, 2), (96000, 1)):
            noise = rng.standard_normal((channels, 12 * rate_hz)) * 0.05
            noise[:, 4 * rate_hz : 7 * rate_hz] *= 0.004
            noise[:, 9 * rate_hz :] *= 3
            with self.subTest(rate_hz=rate_hz):
                self.assertAlmostEqual(measured(noise, rate_hz), by_ffmpeg(noise, rate_hz), delta=0.05)

    def test_however_it_is_cut_into_blocks(self):
        noise = np.random.default_rng(5).standard_normal((2, 3 * RATE_HZ)) * 0.1
        whole = measured(noise, blocks=noise.shape[1])
        for blocks in (4799, 4800, 12345):
            self.assertAlmostEqual(measured(noise, blocks=blocks), whole, places=9)

    def test_silence_and_what_is_shorter_than_a_block_have_none(self):
        self.assertIsNone(measured(np.zeros((1, 5 * RATE_HZ))))
        self.assertIsNone(measured(np.ones((1, 18000)) * 0.5))
        self.assertIsNone(LoudnessMeter(RATE_HZ).finish())


if __name__ == "__main__":
    unittest.main()
