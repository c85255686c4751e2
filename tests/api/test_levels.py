"""One loudness for all, measured in the sound as it is heard; no true peak over the limit."""

from typing import ClassVar

import numpy as np
from scipy.signal import resample_poly

from gullywind.core.sound.loudness import LoudnessMeter
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked

EVENT = busy(30.0, 310)
PEAKY = clocked(EVENT, 4.0, 1.0, 20.0)
PEAKY[5 * RATE_HZ] = 0.97


class LevelsTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Soft.wav": wav_bytes(clocked(EVENT, 5.0, 1.0, 20.0) * 0.3),
        "Loud.wav": wav_bytes(clocked(EVENT, 3.0, 1.0, 20.0) * 2.5),
        "Peaky.wav": wav_bytes(PEAKY * 0.5),
    }

    def heard(self, recording: dict) -> np.ndarray:
        asked = {"first": round(recording["map"]["offset_s"] * RATE_HZ), "samples": 20 * RATE_HZ}
        answer = self.client.get(f"/api/recordings/{recording['id']}/sound", params=asked)
        return np.frombuffer(answer.content, "<f4")

    def loudness(self, recording: dict) -> float:
        meter = LoudnessMeter(RATE_HZ)
        meter.push(self.heard(recording)[None, :].copy())
        return meter.finish()

    def test_all_are_as_loud_as_the_reference_and_one_step_takes_it_back(self):
        project = self.placed()
        path = f"/api/projects/{project['id']}/levels"
        target = self.recording(project, "Desk")["media"]["loudness_lufs"]
        self.assertEqual(self.client.post(path, json={"limit_dbtp": 0}).json(), 3)
        for name in ("Soft", "Loud", "Peaky"):
            self.assertAlmostEqual(self.loudness(self.recording(project, name)), target, delta=0.1)
        self.assertEqual(self.client.post(path, json={"limit_dbtp": 0}).json(), 0)
        undone = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"}).json()
        self.assertEqual([one["map"]["gain_db"] for one in undone["recordings"] if one["map"]], [0.0] * 3)
        # Louder than the peaks allow: each as loud as it may be.
        self.client.post(path, json={"target_lufs": -22.5, "limit_dbtp": -2})
        for name in ("Soft", "Loud", "Peaky"):
            row = self.recording(project, name)
            peak_db = 20 * np.log10(np.abs(resample_poly(self.heard(row), 8, 1)).max())
            self.assertLessEqual(peak_db, -2.0)
            expected = -22.5 if name != "Peaky" else self.loudness(row)
            self.assertAlmostEqual(self.loudness(row), expected, delta=0.1)
        self.assertLess(self.loudness(self.recording(project, "Peaky")), -23.5)
        self.assertIn("less than asked for its peaks", self.recording(project, "Peaky")["undo"])

    def test_nonsense_is_refused_in_words(self):
        project = self.placed()
        for body, words in (
            ({"target_lufs": 3}, "between -60 and -5 LUFS"),
            ({"limit_dbtp": 2}, "between -20 and 0 dBTP"),
        ):
            refused = self.client.post(f"/api/projects/{project['id']}/levels", json=body)
            self.assertEqual(refused.status_code, 422)
            self.assertIn(words, refused.json()["detail"])
