"""`--match performance`: ties and bent sound for other performances of a part."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from material.devices import RATE_HZ
from material.performances import music_pair, speech_pair
from material.spoken import VOICES
from tests.command_line.test_align import run


class PerformanceTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.case = speech_pair(8, VOICES, sentences=2)
        cls.other = cls.write("other.wav", music_pair(1, "plucked", "struck", duration_s=8.0).recording)
        cls.lead, cls.double = cls.write("lead.wav", cls.case.reference), cls.write("double.wav", cls.case.recording)

    @classmethod
    def write(cls, name: str, sound: np.ndarray) -> Path:
        path = cls.folder / name
        soundfile.write(path, sound * 0.5, RATE_HZ, subtype="PCM_24")
        return path

    def bent(self, *arguments: object, status: int = 0) -> list[dict]:
        found, out, err = run("align", self.lead, *arguments, "--match", "performance", "--json", "-")
        self.assertEqual(found, status, err)
        return json.loads(out)["recordings"]

    def moved(self, *arguments: object) -> np.ndarray:
        return np.array([tie["moved_s"] for tie in self.bent(self.double, *arguments)[0]["ties"]])

    def test_ties_and_pieces_have_the_agreed_form_and_are_right(self):
        one = self.bent(self.double)[0]
        self.assertEqual((one["status"], one["by"]), ("placed", "sound"))
        ties = one["ties"]
        self.assertGreater(len(ties), 20)
        for tie in ties:
            self.assertEqual(set(tie), {"t_ref", "t_rec", "kind", "certainty", "moved_s"})
            self.assertIn(tie["kind"], ("start", "opening", "end"))
        self.assertTrue(np.all(np.diff([[tie["t_ref"], tie["t_rec"]] for tie in ties], axis=0) > 0))
        knots = np.concatenate(one["pieces"])
        self.assertEqual(knots[0, 1], 0.0)
        self.assertAlmostEqual(knots[-1, 1], one["duration_s"])
        late = np.interp(self.case.t_rec, knots[:, 1], knots[:, 0]) - self.case.t_ref
        self.assertLess(np.percentile(np.abs(late), 90), 0.015)
        # Most knots between the ends are ties.
        known = {round(tie["t_rec"], 6) for tie in ties}
        self.assertGreater(sum(round(t, 6) in known for t in knots[:, 1]), 0.8 * (len(knots) - 2))

    def test_closeness_leave_below_limit_and_ends_change_what_is_moved(self):
        whole = self.moved()
        # In quick speech the limit keeps some ties back; of what it leaves free half is half.
        half = self.moved("--closeness", "0.5", "--limit", "200")
        free = self.moved("--limit", "200")
        np.testing.assert_allclose(half, free / 2, atol=0.012)
        self.assertEqual(np.abs(self.moved("--closeness", "0")).max(), 0.0)
        alone = self.moved("--leave-below", "1000000")
        self.assertLess(np.abs(alone).max(), 1e-9)
        self.assertGreater(np.abs(whole - self.moved("--limit", "5")).max(), 0.005)
        kinds = [tie["kind"] for tie in self.bent(self.double)[0]["ties"]]
        differs = np.abs(self.moved("--ends", "keep") - whole) > 1e-6
        self.assertTrue(any(one and kind == "end" for one, kind in zip(differs, kinds, strict=True)))

    def test_the_limit_holds_in_every_piece(self):
        for piece in self.bent(self.double, "--limit", "12")[0]["pieces"]:
            slopes = np.diff(np.array(piece)[:, 1]) / np.diff(np.array(piece)[:, 0])
            self.assertLessEqual(slopes.max(), 1.12 * 1.001)
            self.assertGreaterEqual(slopes.min(), 1 / 1.12 / 1.001)

    def test_strangers_copies_and_bad_files_beside_each_other(self):
        bad = self.folder / "bad.wav"
        bad.write_bytes(b"nothing")
        out = self.folder / "out"
        found = self.bent(self.double, self.other, bad, self.lead, "--render", out, status=1)
        self.assertEqual([one["status"] for one in found], ["placed", "unplaced", "failed", "placed"])
        self.assertEqual([one["ties"] for one in found[1:3]], [[], []])
        self.assertIsNone(found[1]["offset_s"])
        self.assertIn("same-event", [note["code"] for note in found[3]["notes"]])
        # The same sound comes out as it went in, to the bit.
        lead, copy = soundfile.read(self.lead)[0], soundfile.read(out / "lead.wav")[0]
        np.testing.assert_array_equal(copy, lead)
        bent, rate_hz = soundfile.read(out / "double.wav")
        self.assertEqual((bent.size, rate_hz), (lead.size, RATE_HZ))
        self.assertGreater(np.abs(bent).max(), 0.05)
        self.assertLess(found[0]["residual_ms"]["median"], 10.0)

    def test_what_makes_no_sense_is_refused(self):
        for arguments, words in (
            (("--closeness", "2", "--match", "performance"), "from 0 to 1"),
            (("--limit", "0", "--match", "performance"), "above 0"),
            (("--leave-below", "-1", "--match", "performance"), "0 ms or more"),
            (("--ends", "keep"), "goes with --match performance"),
            (("--leave-below", "3"), "goes with --match performance"),
            (("--by", "claps", "--match", "performance"), "goes by sound"),
        ):
            status, _, err = run("align", self.lead, self.double, *arguments)
            self.assertEqual(status, 2)
            self.assertIn(words, err)
