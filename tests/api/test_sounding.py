import io
import json
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

    def sound(self, path: str, first: int, samples: int, *, mix: list[dict] | None = None) -> np.ndarray:
        asked = {"first": first, "samples": samples}
        if mix is None:
            answer = self.client.get(path, params=asked)
        else:
            answer = self.client.post(path, params=asked, json={"voices": mix})
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
            mix = self.sound(path, at, 2000, mix=[])
            np.testing.assert_allclose(mix[0], level / np.sqrt(2) * EVENT[at : at + 2000], atol=1e-5)
            np.testing.assert_array_equal(mix[0], mix[1])

    def test_each_is_as_loud_and_where_it_is_wished(self):
        path, at = f"/api/projects/{self.project_['id']}/mix", 12 * RATE_HZ
        camera, phone = (self.recording(self.project_, name) for name in ("Camera", "Phone"))
        event = EVENT[at : at + 40_000]
        alone = [{"recording_id": phone["id"], "muted": True}, {"recording_id": camera["id"], "position": -1.0}]
        left, right = self.sound(path, at, 40_000, mix=alone)
        np.testing.assert_allclose(left, np.sqrt(2) * event, atol=1e-5)
        np.testing.assert_allclose(right, 0, atol=1e-7)
        softer = [{"recording_id": phone["id"], "level_db": -20.0}]
        # Phone is half as loud as the event, and a tenth of that.
        np.testing.assert_allclose(self.sound(path, at, 40_000, mix=softer)[0], 1.05 / np.sqrt(2) * event, atol=1e-5)
        refused = self.client.post(
            path, params={"first": 0, "samples": 10}, json={"voices": [{"recording_id": phone["id"], "level_db": 99}]}
        )
        self.assertEqual(refused.status_code, 422)

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

    def test_what_each_channel_holds_is_told(self):
        project = self.new_project()
        both = np.stack([EVENT * 0.1, np.zeros(EVENT.size)])
        self.upload(project, "Pair.wav", wav_bytes(both, subtype="FLOAT"))
        pair = self.recording(project, "Pair")
        early = self.client.get(f"/api/recordings/{pair['id']}/channels")
        self.assertIn("not been listened to yet", early.json()["detail"])
        self.run_jobs()
        told = self.client.get(f"/api/recordings/{pair['id']}/channels").json()
        self.assertEqual([one["holds"] for one in told], ["sound", "silence"])
        loudest_db = 20 * np.log10(np.sqrt(np.mean(EVENT**2)) * 0.1)
        self.assertAlmostEqual(float(np.median(told[0]["levels_dbfs"])), loudest_db, delta=6)

    def test_gain_channels_and_push_are_heard_and_kept_apart_from_the_place(self):
        phone = self.recording(self.project_, "Phone")
        path, at = f"/api/recordings/{phone['id']}/sound", 12 * RATE_HZ
        louder = self.edit(phone, kind="gain", gain_db=6.0).json()
        np.testing.assert_allclose(self.sound(path, at, 1000)[0], 0.5 * 10**0.3 * EVENT[at : at + 1000], atol=1e-6)
        self.assertEqual((louder["map"]["gain_db"], louder["undo"]), (6.0, "gain set to +6.0 dB"))
        pushed = self.edit(louder, kind="push", push_s=0.02).json()
        self.assertAlmostEqual(pushed["map"]["offset_s"], phone["map"]["offset_s"] + 0.02, delta=1e-9)
        self.assertTrue(pushed["as_judged"])
        self.assertIn("pushed 20 ms later on purpose", pushed["sentence"])
        later = self.sound(path, at + RATE_HZ // 50, 1000)[0]
        np.testing.assert_allclose(later, 0.5 * 10**0.3 * EVENT[at : at + 1000], atol=1e-6)
        # Typed where it is heard to start; the push stays on top of the place.
        typed = self.edit(pushed, kind="move", offset_s=11.0).json()
        self.assertEqual((typed["map"]["offset_s"], typed["map"]["push_ms"]), (11.0, 20.0))
        back = self.edit(typed, kind="push", push_s=0.0).json()
        self.assertAlmostEqual(back["map"]["offset_s"], 10.98, delta=1e-9)
        self.assertEqual(self.edit(back, kind="push", push_s=3.0).status_code, 422)
        self.assertEqual(self.edit(back, kind="gain", gain_db=99.0).status_code, 422)
        self.assertIn("1 channels", self.edit(back, kind="channels", channels=[1]).json()["detail"])
        alone = self.edit(back, kind="channels", channels=[0]).json()
        self.assertEqual((alone["map"]["channels"], alone["undo"]), ([0], "channel 1 alone heard"))
        self.edit(alone, kind="go", number=0)

    def test_scratch_sound_is_heard_and_not_delivered(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        scratch = self.edit(camera, kind="kept", kept=False).json()
        self.assertIn("scratch sound, not delivered", scratch["sentence"])
        deliveries = f"/api/projects/{project['id']}/deliveries"
        refused = self.client.post(deliveries, json={"recording_ids": [camera["id"]]})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("scratch sound", refused.json()["detail"])
        asked = self.client.post(deliveries, json={}).json()
        self.run_jobs()
        archive = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/deliveries/{asked['id']}/file").content))
        self.assertEqual({"Phone.wav", "report.csv", "report.html", "report.json"}, set(archive.namelist()))
        rows = {one["name"]: one for one in json.loads(archive.read("report.json"))}
        self.assertEqual([rows[name]["kept"] for name in ("Camera", "Phone")], [False, True])
        # It sounds all the same.
        self.assertGreater(np.abs(self.sound(f"/api/recordings/{camera['id']}/sound", 5 * RATE_HZ, 480)).max(), 0.0)
