import tempfile
import unittest
from pathlib import Path

import av
import numpy as np

from gullywind.formats.picture import NewSound, write_picture
from tests.pictures import numbered_video, turned_clockwise
from tests.signals import RATE_HZ, busy


class WritePictureTest(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def written(self, *, keeps_own: bool) -> Path:
        source = numbered_video(self.folder / "a.mp4", busy(3.0, 33), sample_rate_hz=RATE_HZ)
        output = self.folder / "out.mp4"
        sound = NewSound("Desk", RATE_HZ, 1, iter([busy(3.0, 34)[None].astype(np.float32)]))
        write_picture(turned_clockwise(source), output, [sound], keeps_own=keeps_own)
        return output

    def test_a_picture_stays_turned_as_its_header_says(self):
        with av.open(str(self.written(keeps_own=True))) as container:
            self.assertEqual(next(container.decode(video=0)).rotation, -90)
            self.assertEqual([one.type for one in container.streams], ["video", "audio", "audio"])

    def test_its_own_sound_can_be_left_out(self):
        with av.open(str(self.written(keeps_own=False))) as container:
            self.assertEqual([one.type for one in container.streams], ["video", "audio"])
            samples = sum(frame.samples for frame in container.decode(audio=0))
            self.assertAlmostEqual(samples / RATE_HZ, 3.0, delta=0.05)
