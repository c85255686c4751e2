import json
import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import numpy as np

from gullywind.core.ground.timecode import Counting
from material.claps import clapped, going_on
from material.containers import with_time_reference
from material.devices import RATE_HZ, noise_of
from material.timecode_sound import CodeSound, code_sound
from tests.command_line.test_align import run
from tests.files import wav_bytes
from tests.signals import busy

PAL = Counting(Fraction(25))


def code(first: tuple[int, int, int, int], seconds: float) -> np.ndarray:
    start = PAL.number(first)
    labels = [PAL.label(start + k) for k in range(int(seconds * 25))]
    return code_sound(labels, CodeSound(snr_db=30), np.random.default_rng(1))


class WaysTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))

    def write(self, name: str, body: bytes) -> Path:
        path = self.folder / name
        path.write_bytes(body)
        return path

    def aligned(self, *arguments: object) -> dict:
        status, out, err = run("align", *arguments, "--json", "-")
        self.assertEqual(status, 0, err)
        return json.loads(out)["recordings"]

    def test_claps_place_what_has_nothing_else_in_common(self):
        claps = clapped([8.0, 8.43], "hands", 20.0, np.random.default_rng(3)) * 3
        hall = self.write("hall.wav", wav_bytes(going_on("talk", 1, 20.0) * 0.05 + claps * 0.05))
        phone = self.write("phone.wav", wav_bytes((going_on("pink", 2, 20.0) * 0.05 + claps * 0.05)[2 * RATE_HZ :]))
        rendered = self.folder / "rendered"
        (one,) = self.aligned(hall, phone, "--render", rendered)
        self.assertEqual((one["status"], one["by"]), ("placed", "claps"))
        self.assertAlmostEqual(one["offset_s"], 2.0, delta=0.0005)
        self.assertIn("by-claps", [note["code"] for note in one["notes"]])
        sure = [clap["t_rec"] for clap in one["claps"] if clap["certainty"] > 0.5]
        self.assertTrue(any(abs(t - 6.0) < 0.002 for t in sure), sure)
        self.assertTrue((rendered / "phone.wav").exists())
        (one,) = self.aligned(hall, phone, "--by", "sound")
        self.assertEqual((one["status"], one["by"]), ("unplaced", None))

    def test_timecode_of_files_places_alone_and_in_a_batch(self):
        ixml = (
            "<BWFXML><SPEED><TIMECODE_RATE>30000/1001</TIMECODE_RATE><TIMECODE_FLAG>DF</TIMECODE_FLAG></SPEED></BWFXML>"
        )
        noises = [noise_of(np.random.default_rng(k), "pink", 12 * RATE_HZ) * 0.05 for k in range(2)]
        start = 3600 * 10 * RATE_HZ
        hall = self.write("bwf hall.wav", with_time_reference(wav_bytes(noises[0]), start, ixml))
        later = self.write("bwf late.wav", with_time_reference(wav_bytes(noises[1]), start + 5 * RATE_HZ, ixml))
        (one,) = self.aligned(hall, later)
        self.assertEqual((one["status"], one["by"]), ("unsure", "timecode"))
        (code,) = one["timecode"]
        self.assertEqual((code["source"], code["rate"], code["drop_frame"]), ("bwf", "30000/1001", True))
        self.assertAlmostEqual(code["offset_s"], 5.0, delta=1e-9)
        self.assertRegex(code["start"], r"^10:00:0\d;\d\d$")
        self.assertAlmostEqual(one["offset_s"], 5.0, delta=1e-9)
        rendered = self.folder / "coded"
        (one,) = self.aligned(hall, later, "--by", "timecode", "--render", rendered)
        self.assertEqual((one["status"], one["by"]), ("placed", "timecode"))
        self.assertTrue((rendered / "bwf late.wav").exists())

    def test_timecode_in_a_channel_is_read_named_and_left_out(self):
        event = busy(30.0, 5)
        desk = self.write("desk.wav", wav_bytes(np.stack([event[: 24 * RATE_HZ], code((10, 0, 0, 0), 24.0)])))
        camera = np.stack([event[4 * RATE_HZ : 22 * RATE_HZ], code((11, 0, 4, 0), 18.0)])
        other = self.write("other.wav", wav_bytes(camera))
        one, _ = self.aligned(desk, other, desk)
        self.assertEqual((one["status"], one["by"]), ("placed", "sound"))
        self.assertAlmostEqual(one["offset_s"], 4.0, delta=1e-5)
        notes = {note["code"]: note["message"] for note in one["notes"]}
        self.assertEqual(notes["timecode-channel"], "Channel 2 holds timecode and was not listened to.")
        self.assertIn("exactly 1 hour later", notes["timecode-disagrees"])
        self.assertEqual((one["timecode"][0]["source"], one["timecode"][0]["start"]), ("sound", "11:00:04:00"))

    def test_listen_tells_what_is_in_a_file_alone(self):
        sound = np.stack([busy(12.0, 6), code((1, 2, 3, 4), 12.0)])
        two = self.write("two.wav", wav_bytes(sound))
        broken = self.write("broken.wav", b"RIFF")
        status, out, err = run("listen", two, broken, "--json", "-")
        self.assertEqual(status, 1)
        document = json.loads(out)
        self.assertEqual(document["version"], 1)
        one, other = document["files"]
        self.assertEqual(
            set(one),
            {
                "path",
                "duration_s",
                "sample_rate_hz",
                "channels",
                "loudness_lufs",
                "true_peak_dbtp",
                "claps",
                "timecode",
                "notes",
            },
        )
        (run_of_frames,) = one["timecode"]
        self.assertEqual(
            {key: run_of_frames[key] for key in ("source", "channel", "rate", "drop_frame", "start", "frames")},
            {"source": "sound", "channel": 2, "rate": "25", "drop_frame": False, "start": "01:02:03:04", "frames": 300},
        )
        self.assertAlmostEqual(run_of_frames["at_s"], 0.0, delta=1e-4)
        self.assertAlmostEqual(run_of_frames["speed"], 1.0, delta=1e-5)
        self.assertIsNone(other["duration_s"])
        self.assertIn("timecode from 01:02:03:04 in channel 2 (300 frames)", err)
