"""What the API refuses, in which words, and what stays as it was; names, deliveries, and changes told to the page."""

import asyncio
import io
import json
import unittest
import uuid
import zipfile

import numpy as np
import soundfile

from gullywind.store.changes import ChangeFeed
from gullywind.store.database import announce
from tests.api.case import ApiCase
from tests.database import DatabaseTest
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked


class EdgesTest(ApiCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        event = busy(30.0, 131)
        cls.event = event
        cls.files = {
            "Desk.wav": wav_bytes(np.stack([event, event * 0.9])),
            "Camera.wav": wav_bytes(clocked(event, 3.5, 1.0, 20.0), subtype="PCM_16"),
            "Stray.wav": wav_bytes(busy(12.0, 199), subtype="PCM_16"),
        }
        cls.shared = cls("problem").placed()

    def problem(self, answer, status: int, words: str) -> None:
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertIn(words, answer.json()["detail"])

    def test_only_what_is_placed_is_delivered(self):
        project = self.shared
        stray = self.recording(project, "Stray")
        deliveries = f"/api/projects/{project['id']}/deliveries"
        self.problem(
            self.client.post(deliveries, json={"recording_ids": [stray["id"]], "form": "pcm24"}),
            409,
            "Nothing is placed",
        )
        self.problem(self.client.post(deliveries, json={"form": "mp3"}), 422, "form")
        empty = self.new_project("Nothing yet")
        self.problem(
            self.client.post(f"/api/projects/{empty['id']}/deliveries", json={"form": "pcm24"}),
            409,
            "Choose the reference first",
        )

    def test_a_delivery_is_there_when_it_is_written_and_not_before(self):
        project = self.shared
        camera = self.recording(project, "Camera")
        asked = self.client.post(
            f"/api/projects/{project['id']}/deliveries", json={"recording_ids": [camera["id"]], "form": "pcm24"}
        ).json()
        self.problem(self.client.get(f"/api/deliveries/{asked['id']}/file"), 404, "not written yet")
        self.run_jobs()
        answer = self.client.get(f"/api/deliveries/{asked['id']}/file")
        self.assertIn("Camera.wav", answer.headers["content-disposition"])
        sound, rate_hz = soundfile.read(io.BytesIO(answer.content), dtype="int32")
        # Whole samples at rate 1: 16 bits in, the same bits out, at their place.
        taken, _ = soundfile.read(io.BytesIO(self.files["Camera.wav"]), dtype="int32")
        self.assertEqual((rate_hz, sound.size), (RATE_HZ, 30 * RATE_HZ))
        start = int(3.5 * RATE_HZ)
        np.testing.assert_array_equal(sound[start : start + taken.size], taken)
        self.assertEqual(int(np.abs(sound[:start]).max()), 0)
        newest = self.client.get(f"/api/projects/{project['id']}/deliveries").json()[0]
        self.assertEqual((newest["id"], newest["ready"], newest["file_name"]), (asked["id"], True, "Camera.wav"))

    def test_recordings_of_one_name_are_numbered_and_odd_names_made_safe(self):
        project = self.placed()
        for name, new in [("Camera", "Cam/1: left?"), ("Stray", "Cam/1: left?")]:
            one = self.recording(project, name)
            self.client.patch(f"/api/recordings/{one['id']}", json={"version": one["version"], "name": new})
        second = next(one for one in self.project(project)["recordings"] if one["status"] == "unplaced")
        self.assertEqual(self.edit(second, kind="move", offset_s=1.0).status_code, 200)
        asked = self.client.post(f"/api/projects/{project['id']}/deliveries", json={"form": "pcm24"}).json()
        self.run_jobs()
        archive = zipfile.ZipFile(io.BytesIO(self.client.get(f"/api/deliveries/{asked['id']}/file").content))
        sounds = sorted(name for name in archive.namelist() if name.endswith(".wav"))
        self.assertEqual(sounds, ["Cam_1_ left_-2.wav", "Cam_1_ left_.wav"])

    def test_names_are_kept_readable(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        path = f"/api/recordings/{camera['id']}"
        renamed = self.client.patch(path, json={"version": camera["version"], "name": "  Kamera\u0007 Süd "}).json()
        self.assertEqual(renamed["name"], "Kamera Süd")
        self.problem(
            self.client.patch(path, json={"version": camera["version"], "name": "again"}), 409, "changed elsewhere"
        )
        self.problem(self.client.patch(path, json={"version": renamed["version"], "name": " \t"}), 422, "visible")
        # A new name is no new timing: what was found stays.
        self.assertEqual((renamed["status"], renamed["map"]), ("placed", camera["map"]))

    def test_a_foreign_reference_is_refused(self):
        project, other = self.placed(), self.filled()
        foreign = {"version": project["version"], "reference_id": other["reference_id"]}
        self.problem(
            self.client.patch(f"/api/projects/{project['id']}", json=foreign), 422, "recording of this project"
        )
        self.assertEqual(self.recording(project, "Camera")["status"], "placed")

    def test_edits_that_make_no_sense_leave_the_map_alone(self):
        project = self.shared
        camera, stray = self.recording(project, "Camera"), self.recording(project, "Stray")
        for recording, wish, status, words in [
            (stray, {"kind": "nudge", "by_s": 0.1}, 409, "no place yet"),
            (stray, {"kind": "undo"}, 409, "The reference was changed there"),
            (camera, {"kind": "redo"}, 409, "nothing to redo"),
            (camera, {"kind": "go", "number": 7}, 409, "does not exist any more"),
            (camera, {"kind": "take", "index": 77}, 409, "not offered any more"),
            (camera, {"kind": "set_rate", "rate": 9.0}, 422, "rate"),
            (camera, {"kind": "split", "t_ref": 999.0}, 422, "cut"),
            (camera, {"kind": "remove", "index": 0}, 422, "piece"),
            (camera, {"kind": "sing"}, 422, "kind"),
        ]:
            with self.subTest(wish=wish):
                self.problem(self.edit(recording, **wish), status, words)
        self.assertEqual(self.recording(project, "Camera"), camera)
        for value in ("nan", "inf", "-inf"):
            body = json.dumps({"version": camera["version"], "kind": "nudge", "by_s": 0}).replace("0}", f"{value}}}")
            answer = self.client.post(f"/api/recordings/{camera['id']}/map-edits", content=body)
            self.assertEqual(answer.status_code, 422, value)

    def test_sound_has_limits_and_says_why_there_is_none(self):
        project = self.shared
        camera, stray = self.recording(project, "Camera"), self.recording(project, "Stray")
        sound = f"/api/recordings/{camera['id']}/sound"
        self.problem(self.client.get(sound, params={"first": 0, "samples": 10**7}), 422, "samples")
        self.problem(self.client.get(sound, params={"first": 0, "samples": 0}), 422, "samples")
        unplaced = f"/api/recordings/{stray['id']}/sound"
        self.problem(self.client.get(unplaced, params={"first": 0, "samples": 9}), 409, "no place yet")
        gone = {"first": 0, "samples": 9, "map_id": str(uuid.uuid4())}
        self.problem(self.client.get(sound, params=gone), 409, "no place yet")
        # Before its start a recording is silent; far beyond the reference's end as well.
        for first in (-RATE_HZ, 10**9):
            answer = self.client.get(sound, params={"first": first, "samples": 480})
            self.assertEqual(np.frombuffer(answer.content, "<f4").tolist(), [0.0] * 480)
        # The reference plays as it is, both channels.
        desk = self.client.get(f"/api/recordings/{project['reference_id']}/sound", params={"first": 960, "samples": 48})
        self.assertEqual(desk.headers["x-channels"], "2")
        left = np.frombuffer(desk.content, "<f4").reshape(2, 48)[0]
        np.testing.assert_allclose(left, self.event[960:1008], atol=1e-6)

    def test_peaks_are_asked_for_in_tiles(self):
        content = self.recording(self.shared, "Camera")["media"]["content_hash"]
        self.problem(self.client.get(f"/api/media/{content}/peaks/3/0"), 422, "Bins must be one of")
        self.problem(self.client.get(f"/api/media/{content}/peaks/256/-1"), 422, "tiles 0 or more")
        past = self.client.get(f"/api/media/{content}/peaks/256/99999")
        self.assertEqual((past.status_code, past.content), (200, b""))
        self.assertEqual(self.client.get(f"/api/media/{'0' * 64}/peaks/256/0").status_code, 404)
        self.assertEqual(self.client.get("/api/media/..%2F..%2Fsecret/peaks/256/0").status_code, 404)

    def test_one_can_be_looked_for_alone_and_again(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        moved = self.edit(camera, kind="move", offset_s=9.0).json()
        self.assertFalse(moved["as_judged"])
        works = self.client.post(
            f"/api/projects/{project['id']}/alignments", json={"recording_ids": [camera["id"]]}
        ).json()
        self.assertEqual([work["recording_id"] for work in works], [camera["id"]])
        self.run_jobs()
        found = self.recording(project, "Camera")
        self.assertAlmostEqual(found["map"]["offset_s"], 3.5, delta=1e-6)
        # The person's own place is a version that undo brings back.
        self.assertAlmostEqual(self.edit(found, kind="undo").json()["map"]["offset_s"], 9.0, delta=1e-9)

    def test_the_list_of_projects_counts(self):
        line = next(one for one in self.client.get("/api/projects").json() if one["id"] == self.shared["id"])
        self.assertEqual((line["recordings"], line["placed"], line["needs_you"]), (3, 1, 1))

    def test_uploads_of_nothing_are_named(self):
        project = self.new_project("Scraps")
        self.problem(self.upload(project, "Void.wav", b""), 422, "is empty: 0 bytes")
        self.upload(project, "../../etc/-n Text.wav", b"These are only words, whatever the name says. " * 200)
        self.run_jobs()
        text = self.recording(project, "-n Text")
        self.assertEqual((text["status"], len(self.project(project)["recordings"])), ("failed", 1))
        self.assertIn("not a sound or video file", text["sentence"])
        self.problem(self.upload({"id": str(uuid.uuid4())}, "Late.wav", b"x"), 404, "does not exist any more")

    def test_the_report_says_who_moved_what_last(self):
        project = self.placed()
        self.edit(self.recording(project, "Camera"), kind="nudge", by_s=0.001)
        self.run_jobs()
        rows = {row["name"]: row for row in self.client.get(f"/api/projects/{project['id']}/report.json").json()}
        self.assertEqual({name: row["status"] for name, row in rows.items()}["Stray"], "unplaced")
        self.assertAlmostEqual(rows["Camera"]["offset_s"], 3.501, delta=1e-6)
        self.assertAlmostEqual(rows["Camera"]["residual_median_ms"], 1.0, delta=0.01)
        self.assertIn("moved 1 ms later", rows["Camera"]["last_change"])
        self.assertIsNone(rows["Stray"]["offset_s"])


class ChangesTest(DatabaseTest):
    def test_a_change_wakes_those_who_watch_that_project_and_nobody_else(self):
        async def watched() -> tuple[bool, bool]:
            feed = ChangeFeed(self.settings.database_url)
            listening = asyncio.create_task(feed.run())
            mine, other = uuid.uuid4(), uuid.uuid4()
            with feed.watch(str(mine)) as changed, feed.watch(str(other)) as quiet:
                # Whoever begins to listen is woken once: something may have changed before.
                await asyncio.wait_for(changed.wait(), 30)
                changed.clear()
                quiet.clear()

                def change() -> None:
                    with self.context.database.session() as session:
                        announce(session, mine)

                await asyncio.to_thread(change)
                await asyncio.wait_for(changed.wait(), 30)
                told = changed.is_set(), quiet.is_set()
            listening.cancel()
            await asyncio.gather(listening, return_exceptions=True)
            return told

        self.assertEqual(asyncio.run(watched()), (True, False))

    def test_closing_wakes_all(self):
        async def closed() -> bool:
            feed = ChangeFeed(self.settings.database_url)
            with feed.watch("any") as changed:
                feed.close()
                return changed.is_set() and feed.closing.is_set()

        self.assertTrue(asyncio.run(closed()))


if __name__ == "__main__":
    unittest.main()
