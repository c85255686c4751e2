"""Pictures are delivered with the reference's sound, or another recording's."""

import io
import struct
import tempfile
from pathlib import Path
from typing import ClassVar

import av
import numpy as np

from material.pictures import video
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked

EVENT = busy(40.0, 910)
ON_ITS_CLOCK = clocked(EVENT, 6.0, 1.00005, 24.0)


def video_bytes(sound: np.ndarray) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "v.mp4"
        video(path, sound, seconds=sound.size / RATE_HZ, hue=0.4, codec="aac", time_s=0.0)
        return path.read_bytes()


class PicturesTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Camera.mp4": video_bytes(ON_ITS_CLOCK),
        "Lapel.wav": wav_bytes(clocked(EVENT, 3.0, 1.0, 30.0) * 0.5),
        "Stray.wav": wav_bytes(busy(10.0, 911)),
    }

    def ask(self, project: dict, video_name: str, *sounds: str, instead: bool = False):
        ids = [self.recording(project, name)["id"] for name in (video_name, *sounds)]
        body = {"recording_id": ids[0], "sounds_from": ids[1:], "instead": instead}
        return self.client.post(f"/api/projects/{project['id']}/pictures", json=body)

    def first_track(self, delivery: dict) -> tuple[np.ndarray, list[str]]:
        answer = self.client.get(f"/api/deliveries/{delivery['id']}/file")
        self.assertEqual(answer.status_code, 200, answer.text)
        with av.open(io.BytesIO(answer.content)) as container:
            out = np.zeros(26 * RATE_HZ)
            for frame in container.decode(container.streams.audio[0]):
                at = round(float(frame.time) * RATE_HZ)
                part = frame.to_ndarray()[0, max(0, -at) :]
                out[max(at, 0) : max(at, 0) + part.size] = part
            return out, [stream.type for stream in container.streams if stream.type != "data"]

    def test_the_file_comes_in_parts_and_frames_by_time(self):
        project = self.filled()
        camera, desk = (self.recording(project, name)["id"] for name in ("Camera", "Desk"))
        part = self.client.get(f"/api/recordings/{camera}/file", headers={"Range": "bytes=4-7"})
        self.assertEqual((part.status_code, part.content, part.headers["content-type"]), (206, b"ftyp", "video/mp4"))
        self.assertEqual(self.client.get(f"/api/recordings/{desk}/file").status_code, 404)
        # Its frames are even: they are where their rate has them.
        self.assertEqual(self.client.get(f"/api/recordings/{camera}/frame-times").content, b"")
        self.assertEqual(self.client.get(f"/api/recordings/{desk}/frame-times").status_code, 404)
        path = f"/api/recordings/{camera}/frames"
        body = self.client.get(path, params={"start": 2.01, "stop": 2.09, "width": 96}).content
        starts = []
        while body:
            start_s, size = struct.unpack_from("<dI", body)
            starts.append(start_s)
            self.assertEqual(body[12:14], b"\xff\xd8")
            body = body[12 + size :]
        np.testing.assert_allclose(starts, [2.0, 2.04, 2.08], atol=1e-6)
        self.assertIn("no picture", self.client.get(f"/api/recordings/{desk}/frames?start=0&stop=0").json()["detail"])
        long = self.client.get(path, params={"start": 0, "stop": 60})
        self.assertEqual((long.status_code, "2 s of pictures" in long.json()["detail"]), (422, True))

    def test_the_picture_gets_the_sound_of_the_reference_or_of_another(self):
        project = self.placed()
        for sound, gain, instead in (("Desk", 1.0, False), ("Lapel", 0.5, True)):
            asked = self.ask(project, "Camera", sound, instead=instead)
            self.assertEqual(asked.status_code, 202, asked.text)
            self.run_jobs()
            (newest, *_) = self.client.get(f"/api/projects/{project['id']}/deliveries").json()
            self.assertEqual((newest["ready"], newest["file_name"]), (True, "Camera.mp4"), newest)
            heard, streams = self.first_track(newest)
            self.assertEqual(streams, ["video", "audio"] if instead else ["video", "audio", "audio"])
            for at_s in (1.0, 12.0, 22.0):
                part = slice(round(at_s * RATE_HZ), round((at_s + 0.5) * RATE_HZ))
                likeness = np.corrcoef(heard[part], ON_ITS_CLOCK[part])[0, 1]
                self.assertGreater(likeness, 0.97, (sound, at_s))
            self.assertAlmostEqual(float(np.std(heard[RATE_HZ : 20 * RATE_HZ]) / np.std(EVENT)), gain, delta=0.15)

    def test_several_sounds_become_tracks_of_their_names(self):
        project = self.placed()
        self.assertEqual(self.ask(project, "Camera", "Lapel", "Desk").status_code, 202)
        self.run_jobs()
        (newest, *_) = self.client.get(f"/api/projects/{project['id']}/deliveries").json()
        answer = self.client.get(f"/api/deliveries/{newest['id']}/file")
        with av.open(io.BytesIO(answer.content)) as container:
            names = [one.metadata.get("handler_name") for one in container.streams.audio]
            self.assertEqual(names, ["Lapel", "Desk", "own sound"])
            lengths = [sum(frame.samples for frame in container.decode(audio=0)) / RATE_HZ]
        self.assertAlmostEqual(lengths[0], ON_ITS_CLOCK.size / RATE_HZ, delta=0.05)

    def test_what_cannot_be_is_refused_in_words(self):
        project = self.placed()
        for names, words in (
            (("Lapel", "Desk"), "Lapel has no picture"),
            (("Camera", "Camera"), "Its own sound is on it already"),
            (("Camera", "Stray"), "Stray has no place yet"),
        ):
            self.assertIn(words, self.ask(project, *names).json()["detail"])
