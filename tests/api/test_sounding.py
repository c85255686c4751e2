import io
import zipfile
from typing import ClassVar

import numpy as np
import soundfile

from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy

EVENT = busy(30.0, 41)


class SoundingTest(ApiCase):
    """How recordings sound together: polarity put right, all of them mixed, files that keep the room small."""

    files: ClassVar = {
        "Desk.wav": wav_bytes(EVENT, subtype="FLOAT"),
        "Camera.wav": wav_bytes(-EVENT[3 * RATE_HZ : 25 * RATE_HZ], subtype="FLOAT"),
        "Phone.wav": wav_bytes(0.5 * EVENT[10 * RATE_HZ :], subtype="FLOAT"),
    }

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.project_ = cls.placed(cls())

    def sound(self, path: str, first: int, samples: int) -> np.ndarray:
        answer = self.client.get(path, params={"first": first, "samples": samples})
        self.assertEqual(answer.status_code, 200, answer.text)
        return np.frombuffer(answer.content, "<f4").reshape(int(answer.headers["x-channels"]), samples)

    def test_what_was_recorded_inverted_is_put_right_and_can_be_turned(self):
        camera = self.recording(self.project_, "Camera")
        self.assertEqual((camera["judgement"]["polarity"], camera["map"]["polarity"]), (-1, -1))
        self.assertIn("put right", " ".join(note["message"] for note in camera["judgement"]["notes"]))
        path, at = f"/api/recordings/{camera['id']}/sound", 5 * RATE_HZ
        np.testing.assert_allclose(self.sound(path, at, 1000)[0], EVENT[at : at + 1000], atol=1e-6)
        turned = self.edit(camera, kind="polarity", polarity=1).json()
        np.testing.assert_allclose(self.sound(path, at, 1000)[0], -EVENT[at : at + 1000], atol=1e-6)
        self.assertEqual(self.edit(turned, kind="undo").json()["map"]["polarity"], -1)
        self.assertEqual(self.edit(turned, kind="polarity", polarity=0).status_code, 422)

    def test_all_together_is_the_sum_of_those_that_sound_then(self):
        path = f"/api/projects/{self.project_['id']}/mix"
        for at_s, level in ((5, 1.0), (12, 1.5), (26, 0.5), (1, 0.0)):
            at = at_s * RATE_HZ
            mix = self.sound(path, at, 2000)
            np.testing.assert_allclose(mix[0], level / np.sqrt(2) * EVENT[at : at + 2000], atol=1e-5)
            np.testing.assert_array_equal(mix[0], mix[1])

    def test_a_zip_is_named_after_its_project_and_clipping_is_said(self):
        project = self.project_
        asked = self.client.post(f"/api/projects/{project['id']}/deliveries", json={}).json()
        self.run_jobs()
        done = next(
            one
            for one in self.client.get(f"/api/projects/{project['id']}/deliveries").json()
            if one["id"] == asked["id"]
        )
        self.assertEqual((done["file_name"], done["ready"]), ("Evening.zip", True))
        body = self.client.get(f"/api/deliveries/{done['id']}/file").content
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            rendered, _ = soundfile.read(io.BytesIO(archive.read("Camera.wav")))
        clipped = int(np.count_nonzero(np.abs(EVENT[3 * RATE_HZ : 25 * RATE_HZ]) > 1 + 1e-7))
        np.testing.assert_allclose(rendered[5 * RATE_HZ :][:1000], EVENT[5 * RATE_HZ :][:1000].clip(-1, 1), atol=1e-6)
        self.assertEqual("clipped in the file" in (done["message"] or ""), clipped > 0)

    def test_the_room_is_told_and_deleting_frees_it(self):
        used = self.client.get("/api/room").json()
        self.assertGreaterEqual(used["originals"], sum(map(len, self.files.values())))
        self.assertRegex(used["words"], r"MB of recordings, .* made from them, .* delivered; .* are free")
        other = self.new_project("Other")
        self.upload(other, "loud.wav", wav_bytes(busy(9.0, 42)))
        self.assertGreater(self.client.get("/api/room").json()["originals"], used["originals"])
        self.client.delete(f"/api/projects/{other['id']}")
        self.assertEqual(self.client.get("/api/room").json()["originals"], used["originals"])
        self.assertFalse(self.client.post("/api/room/freeing").json()["can_free"])
