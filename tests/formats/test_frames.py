import io
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from gullywind.core.ground.errors import UnreadableError
from gullywind.formats.frames import FrameReader, Picture, read_frame_times
from tests.files import wav_bytes
from tests.pictures import number_in, numbered_video, turned_clockwise
from tests.signals import RATE_HZ, busy

NTSC = Fraction(30000, 1001)


def shown(picture: Picture) -> np.ndarray:
    with av.open(io.BytesIO(picture.jpeg), format="mjpeg") as container:
        return next(container.decode(video=0)).to_ndarray(format="rgb24")


class FrameReaderTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def reader(self, name: str, **more: object) -> FrameReader:
        sound = busy(12.0, 31)
        return FrameReader(numbered_video(self.folder / name, sound, sample_rate_hz=RATE_HZ, **more))

    def test_the_frame_that_is_seen_at_a_moment_in_any_order_and_container(self):
        # In a transport stream time 0 is the first sample that its codec made, before the picture begins.
        for name, begins_s in (("a.mp4", 0.0), ("a.mov", 0.0), ("a.mkv", 0.0), ("a.ts", 1024 / RATE_HZ)):
            reader = self.reader(name)
            for t in (0.0001, 0.0399, 0.0401, 7.021, 7.061, 3.3, 11.99, 0.5, 8.0001):
                with self.subTest(container=name, t=t):
                    (picture,) = reader.read(begins_s + t, begins_s + t, width=192)
                    self.assertEqual(number_in(shown(picture)), min(int(t * 25), 299))
                    self.assertAlmostEqual(picture.start_s, begins_s + number_in(shown(picture)) / 25, delta=1e-3)

    def test_frames_that_follow_each_other_come_together(self):
        reader = self.reader("a.mp4", rate=NTSC)
        for start_s in (2.0, 3.0, 9.0, 4.0):
            pictures = reader.read(start_s, start_s + 1.0, width=96)
            first = int(start_s * NTSC)
            numbers = [number_in(shown(one)) for one in pictures]
            self.assertEqual(numbers, list(range(first, first + len(pictures))))
            self.assertIn(len(pictures), (30, 31))

    def test_before_the_first_frame_there_is_none_and_the_last_one_stays(self):
        reader = self.reader("a.mp4")
        self.assertEqual(reader.read(-0.5, -0.5, width=96), [])
        self.assertEqual([number_in(shown(one)) for one in reader.read(-0.5, 0.07, width=96)], [0, 1])
        self.assertEqual(number_in(shown(reader.read(99.0, 99.0, width=96)[0])), 299)

    def test_a_picture_has_the_width_that_is_asked_for(self):
        self.assertEqual(shown(self.reader("a.mp4").read(1.0, 1.0, width=320)[0]).shape, (180, 320, 3))

    def test_a_picture_that_is_turned_in_its_header_comes_upright(self):
        path = turned_clockwise(numbered_video(self.folder / "t.mp4", busy(3.0, 32), sample_rate_hz=RATE_HZ))
        (picture,) = FrameReader(path).read(1.0, 1.0, width=108)
        seen = shown(picture)
        self.assertEqual(seen.shape, (192, 108, 3))
        # What was at the left is at the top now.
        self.assertEqual(number_in(seen.transpose(1, 0, 2)), 25)

    def test_frames_that_are_not_even_are_told_and_read_by_their_own_times(self):
        # A phone that halves its rate in low light, and jitters.
        rng = np.random.default_rng(33)
        lengths = np.where(np.arange(150) < 60, 40, 80) + rng.integers(-6, 7, 150)
        begins_s = np.concatenate([[0.0], np.cumsum(lengths)[:-1]]) / 1000
        for name in ("v.mp4", "v.mov", "v.mkv"):
            with self.subTest(container=name):
                path = numbered_video(self.folder / name, busy(12.0, 31), begins_s=begins_s, sample_rate_hz=RATE_HZ)
                times = read_frame_times(path)
                np.testing.assert_allclose(times, begins_s, atol=0.0011)
                reader = FrameReader(path)
                for number in (3, 61, 100, 149):
                    middle = times[number] + lengths[number] / 2000
                    self.assertEqual(number_in(shown(reader.read(middle, middle, width=192)[0])), number)

    def test_even_frames_have_no_times_of_their_own(self):
        for name, rate in (("e.mp4", NTSC), ("e.mkv", NTSC), ("e.ts", Fraction(25))):
            with self.subTest(container=name):
                path = numbered_video(self.folder / name, busy(6.0, 31), rate=rate, sample_rate_hz=RATE_HZ)
                self.assertEqual(read_frame_times(path).size, 0)

    def test_sound_alone_has_none(self):
        path = self.folder / "a.wav"
        path.write_bytes(wav_bytes(busy(1.0, 3)))
        with self.assertRaisesRegex(UnreadableError, "no picture"):
            FrameReader(path)
