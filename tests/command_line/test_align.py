import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

import av
import numpy as np
import soundfile

from gullywind.command_line.main import main
from material.devices import encode
from material.pictures import video
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked, with_noise


def run(*arguments: object) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            status = main([str(one) for one in arguments])
        except SystemExit as end:
            status = int(end.code or 0)
    return status, out.getvalue(), err.getvalue()


class AlignTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.event = busy(60.0, 41)
        cls.reference = cls.folder / "hall.wav"
        cls.reference.write_bytes(wav_bytes(np.stack([cls.event, cls.event * 0.9])))

    def write(self, name: str, body: bytes) -> Path:
        path = self.folder / name
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(body)
        return path

    def test_result_has_the_agreed_form(self):
        camera = self.folder / "camera.m4a"
        encode(camera, clocked(self.event, 12.345678, 1.0000381, 40.0), RATE_HZ, "aac")
        status, out, _ = run("align", self.reference, camera, "--json", "-")
        self.assertEqual(status, 0)
        result = json.loads(out)
        self.assertEqual(result["version"], 1)
        self.assertEqual(
            result["reference"],
            {"path": str(self.reference), "duration_s": 60.0, "sample_rate_hz": 48000, "channels": 2},
        )
        one = result["recordings"][0]
        self.assertEqual(
            set(one),
            {
                "path",
                "duration_s",
                "sample_rate_hz",
                "channels",
                "status",
                "offset_s",
                "rate",
                "clock_ppm",
                "polarity",
                "confidence",
                "candidates",
                "pieces",
                "residual_ms",
                "by",
                "through",
                "timecode",
                "claps",
                "notes",
            },
        )
        self.assertEqual((one["status"], one["by"], one["through"]), ("placed", "sound", []))
        self.assertAlmostEqual(one["offset_s"], 12.345678, delta=2e-5)
        self.assertAlmostEqual(one["clock_ppm"], 38.1, delta=0.5)
        self.assertEqual(one["pieces"][0][0], [one["offset_s"], 0.0])
        self.assertAlmostEqual(one["pieces"][0][1][1], one["duration_s"], delta=1e-9)
        self.assertAlmostEqual(one["candidates"][0]["offset_s"], one["offset_s"], delta=1e-9)
        self.assertEqual(set(one["residual_ms"]), {"median", "p95", "windows"})

    def test_renders_at_zero_with_the_reference_s_form(self):
        part = self.event[RATE_HZ * 20 : RATE_HZ * 45]
        first, second = self.write("a/take.wav", wav_bytes(part)), self.write("b/take.wav", wav_bytes(part[RATE_HZ:]))
        out = self.folder / "out"
        status, _, _ = run("align", self.reference, first, second, "--render", out)
        self.assertEqual(status, 0)
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["take-2.wav", "take.wav"])
        original, _ = soundfile.read(first, dtype="int32")
        rendered, rate_hz = soundfile.read(out / "take.wav", dtype="int32")
        self.assertEqual((rate_hz, rendered.size), (RATE_HZ, 60 * RATE_HZ))
        np.testing.assert_array_equal(rendered[RATE_HZ * 20 : RATE_HZ * 45], original)
        self.assertFalse(rendered[: RATE_HZ * 20].any())

    def test_placed_videos_are_written_with_the_reference_s_sound(self):
        pocket = self.write("pocket.wav", wav_bytes(clocked(self.event, 9.0, 1.0, 30.0)))
        cameras = [self.folder / f"{one}.mp4" for one in ("north", "stray")]
        for path, sound in zip(cameras, (clocked(self.event, 4.0, 1.00004, 30.0), busy(12.0, 99)), strict=True):
            video(path, sound, seconds=sound.size / RATE_HZ, hue=0.5, codec="aac", time_s=3600.48)
        out = self.folder / "pictures"
        status, told, _ = run("align", self.reference, pocket, *cameras, "--picture", out)
        self.assertEqual(status, 0, told)
        self.assertEqual([path.name for path in out.iterdir()], ["north.mp4"])
        with av.open(str(out / "north.mp4")) as container:
            self.assertEqual(len(container.streams.video), 1)
            self.assertEqual([one.channels for one in container.streams.audio], [2, 1])
            self.assertEqual(container.streams.video[0].metadata["timecode"], "01:00:00:12")
        # Where it would be written over the recording itself nothing is, and the rest goes on.
        before = cameras[0].read_bytes()
        status, told, _ = run("align", self.reference, cameras[0], "--picture", self.folder)
        self.assertEqual((status, cameras[0].read_bytes() == before), (1, True))
        self.assertIn("over the recording itself", told)

    def test_a_drifting_recording_that_paused_comes_out_in_step(self):
        taken = clocked(self.event, 3.0, 1.00006, 50.0)
        paused = np.concatenate([taken[: 22 * RATE_HZ], taken[int(23.25 * RATE_HZ) :]])
        phone, out = self.write("phone.wav", wav_bytes(paused)), self.folder / "paused"
        status, told, _ = run("align", self.reference, phone, "--render", out, "--json", self.folder / "paused.json")
        self.assertEqual(status, 0)
        self.assertIn("left over. Runs 60.0 ppm fast", told)
        one = json.loads((self.folder / "paused.json").read_text())["recordings"][0]
        self.assertEqual([note["code"] for note in one["notes"]], ["clock-drift", "break"])
        (first, second), residual = one["pieces"], one["residual_ms"]
        self.assertAlmostEqual(second[0][0] - first[1][0], 1.25 / 1.00006, delta=1e-5)
        self.assertAlmostEqual(first[1][1], 22.0, delta=0.3)
        # What the residual says holds for the file that was written.
        rendered, _ = soundfile.read(out / "phone.wav")
        for at_s in (6.0, 15.0, 30.0, 48.0):
            span = slice(int(at_s * RATE_HZ), int((at_s + 2) * RATE_HZ))
            error = rendered[span] - self.event[span]
            slope = np.gradient(self.event[span], 1 / RATE_HZ)
            late_ms = -float((error * slope).sum() / (slope**2).sum()) * 1e3
            self.assertLess(abs(late_ms), max(residual["p95"] * 3, 0.001))
        self.assertLess(residual["p95"], 0.005)
        self.assertGreaterEqual(residual["windows"], 6)

    def test_a_bad_file_never_stops_the_others(self):
        good = self.write("good one é.wav", wav_bytes(self.event[: RATE_HZ * 20]))
        bad = self.write("bad.mp4", b"\x00\x01garbage" * 500)
        status, out, _ = run("align", self.reference, bad, self.folder / "absent.wav", good)
        self.assertEqual(status, 1)
        self.assertIn("bad.mp4 is not a sound or video file", out)
        self.assertIn("absent.wav cannot be opened: no such file", out)
        self.assertIn("good one é.wav: starts at 0.000000 s", out)

    def test_a_batch_says_of_each_what_it_says_alone(self):
        files = [self.folder / f"take{i}.{kind}" for i, kind in enumerate(("wav", "m4a", "flac", "wav"))]
        for i, path in enumerate(files):
            taken = clocked(self.event, 3.0 + i * 4.1234567, 1 + i * 2e-5, 25.0)
            if path.suffix == ".m4a":
                encode(path, taken, RATE_HZ, "aac")
            else:
                soundfile.write(path, taken, RATE_HZ, subtype="PCM_16")
        status, out, _ = run("align", self.reference, *files, "--json", "-")
        self.assertEqual(status, 0)
        together = json.loads(out)["recordings"]
        self.assertEqual([one["path"] for one in together], [str(path) for path in files])
        for i, one in enumerate(together):
            with self.subTest(path=one["path"]):
                self.assertAlmostEqual(one["offset_s"], 3.0 + i * 4.1234567, delta=2e-6)
                _, alone, _ = run("align", self.reference, files[i], "--json", "-")
                self.assertEqual(json.loads(alone)["recordings"][0], one)

    def test_a_batch_without_its_reference_still_reads_the_rest(self):
        good, bad = self.write("one.wav", wav_bytes(self.event[:RATE_HZ])), self.write("noref.wav", b"nothing" * 99)
        status, out, err = run("align", bad, good, good, self.folder / "gone.wav", "--json", "-")
        self.assertEqual(status, 1)
        self.assertIn("is not a sound or video file", err)
        recordings = json.loads(out)["recordings"]
        self.assertEqual([one["status"] for one in recordings], ["failed"] * 3)
        self.assertEqual(recordings[0]["duration_s"], 1.0)
        self.assertIn("reference could not be read", recordings[1]["notes"][0]["message"])
        self.assertIn("cannot be opened", recordings[2]["notes"][0]["message"])

    def test_who_does_not_meet_the_reference_is_placed_through_others(self):
        event = busy(110.0, 180)
        desk = self.write("meet/desk.wav", wav_bytes(event[: 40 * RATE_HZ]))
        far, middle, near = (
            self.write(f"meet/{name}.wav", wav_bytes(clocked(with_noise(event, 15.0, seed), start_s, rate, long_s)))
            for name, start_s, long_s, rate, seed in (
                ("far", 72.0, 33.0, 0.99998, 183),
                ("middle", 50.0, 35.0, 1.00003, 182),
                ("near", 20.0, 45.0, 1.00001, 181),
            )
        )
        stray = self.write("meet/stray.wav", wav_bytes(busy(30.0, 184)))
        out = self.folder / "met"
        files = (far, middle, near, stray)
        status, told, _ = run("align", desk, *files, "--render", out, "--json", self.folder / "met.json")
        self.assertEqual(status, 0)
        self.assertIn("Placed through near.wav and middle.wav, to about ", told)
        found = json.loads((self.folder / "met.json").read_text())["recordings"]
        self.assertEqual([one["status"] for one in found], ["placed", "placed", "placed", "unplaced"])
        self.assertEqual([one["by"] for one in found], ["neighbours", "neighbours", "sound", None])
        self.assertEqual([one["through"] for one in found], [[str(near), str(middle)], [str(near)], [], []])
        for one, offset_s, rate in zip(found, (72.0, 50.0, 20.0), (0.99998, 1.00003, 1.00001), strict=False):
            self.assertAlmostEqual(one["offset_s"], offset_s, delta=1e-3)
            self.assertAlmostEqual(one["rate"], rate, delta=2e-5)
            # All of it has a place, not only what another has heard.
            np.testing.assert_allclose(
                [one["pieces"][0][0][1], one["pieces"][-1][-1][1]], [0, one["duration_s"]], atol=1e-6
            )
        # Rendered at the reference's zero: what lies after its end is not in its file, the file is there all the same.
        self.assertEqual(sorted(one.name for one in out.iterdir()), ["far.wav", "middle.wav", "near.wav"])
        # Where the way is not to be used, only what meets the reference has a place.
        _, alone, _ = run("align", desk, *files, "--by", "sound", "--json", "-")
        apart = json.loads(alone)["recordings"]
        self.assertEqual([one["status"] for one in apart], ["unplaced", "unplaced", "placed", "unplaced"])
        self.assertEqual(apart[2], found[2])

    def test_of_what_is_unsure_nothing_is_written(self):
        verse = busy(15.0, 77)
        twice = self.write("twice.wav", wav_bytes(np.concatenate([verse, busy(15.0, 78), verse])))
        part, out = self.write("verse.wav", wav_bytes(verse[RATE_HZ : 13 * RATE_HZ])), self.folder / "verses"
        status, told, _ = run("align", twice, part, "--render", out)
        self.assertEqual(status, 0)
        self.assertIn("unsure, a person must choose", told)
        self.assertEqual(list(out.iterdir()), [])

    def test_strangers_are_a_judgement_not_a_failure(self):
        stray = self.write("stray.wav", wav_bytes(busy(20.0, 55)))
        status, out, _ = run("align", self.reference, stray)
        self.assertEqual(status, 0)
        self.assertIn("does not belong here", out)

    def test_unreadable_reference_is_named(self):
        bad = self.write("badref.wav", b"")
        status, out, err = run("align", bad, self.reference, "--json", "-")
        self.assertEqual(status, 1)
        self.assertIn("is empty: 0 bytes", err)
        self.assertEqual(json.loads(out)["recordings"][0]["status"], "failed")

    def test_wrong_usage_exits_with_2(self):
        for arguments, words in [
            (["align"], "required"),
            (["align", "a.wav", "b.wav", "--match", "nothing"], "invalid choice"),
            (["align", "a.wav", "b.wav", "--closeness", "0.5"], "goes with"),
            (["align", "a.wav", "b.wav", "--match", "performance", "--closeness", "7"], "from 0 to 1"),
            (["align", "a.wav", "b.wav", "--by", "sound,stars"], "got 'stars'"),
            (["align", "a.wav", "b.wav", "--by", "neighbours"], "needs another way beside it"),
            (["sing"], "invalid choice"),
        ]:
            status, _, err = run(*arguments)
            self.assertEqual(status, 2, arguments)
            self.assertIn(words, err)

    def test_names_that_begin_with_a_dash(self):
        self.write("-x.wav", wav_bytes(self.event[: RATE_HZ * 20]))
        with contextlib.chdir(self.folder):
            status, out, _ = run("align", "--", "hall.wav", "-x.wav")
        self.assertEqual(status, 0)
        self.assertIn("-x.wav: starts at 0.000000 s", out)
