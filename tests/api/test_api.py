import csv
import io
import json
import zipfile

import numpy as np
import soundfile

from gullywind.store.migrate import check
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked, in_room

OFFSET_S, RATE = 7.25, 1.00004


class ApiTest(ApiCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        event = busy(60.0, 31)
        cls.reference_bytes = wav_bytes(event)
        cls.recording_bytes = wav_bytes(clocked(in_room(event, 3), OFFSET_S, RATE, 40.0, 44100), 44100)
        cls.stray_bytes = wav_bytes(busy(20.0, 99), subtype="PCM_16")
        cls.files = {"Desk.wav": cls.reference_bytes, "Camera.wav": cls.recording_bytes, "Stray.wav": cls.stray_bytes}

    def test_from_upload_to_delivery(self):
        project = self.placed()
        camera, stray = self.recording(project, "Camera"), self.recording(project, "Stray")
        self.assertEqual((camera["status"], stray["status"]), ("placed", "unplaced"))
        self.assertAlmostEqual(camera["map"]["offset_s"], OFFSET_S, delta=2e-5)
        self.assertAlmostEqual(camera["map"]["clock_ppm"], 40.0, delta=0.5)
        self.assertIn("ppm fast", camera["sentence"])
        self.assertIn("Does not belong", stray["sentence"])
        self.assertEqual(project["works"], [])

        asked = self.client.post(f"/api/projects/{project['id']}/deliveries", json={"form": "float32"}).json()
        self.run_jobs()
        answer = self.client.get(f"/api/deliveries/{asked['id']}/file")
        archive = zipfile.ZipFile(io.BytesIO(answer.content))
        self.assertEqual(sorted(archive.namelist()), ["Camera.wav", "report.csv", "report.html", "report.json"])
        rendered, rate_hz = soundfile.read(io.BytesIO(archive.read("Camera.wav")))
        self.assertEqual((rate_hz, rendered.size), (RATE_HZ, 60 * RATE_HZ))
        event, _ = soundfile.read(io.BytesIO(self.reference_bytes))
        inside = slice(10 * RATE_HZ, 40 * RATE_HZ)
        self.assertGreater(np.corrcoef(rendered[inside], event[inside])[0, 1], 0.7)
        rows = list(csv.DictReader(io.StringIO(archive.read("report.csv").decode())))
        self.assertEqual([row["status"] for row in rows], ["reference", "placed", "unplaced"])
        self.assertAlmostEqual(float(rows[1]["offset_s"]), OFFSET_S, delta=2e-5)
        self.assertEqual(json.loads(archive.read("report.json"))[1]["name"], "Camera")

    def test_edits_make_versions_and_stale_ones_conflict(self):
        camera = self.recording(self.placed(), "Camera")
        start = camera["map"]["offset_s"]
        moved = self.edit(camera, kind="nudge", by_s=0.0001).json()
        self.assertAlmostEqual(moved["map"]["offset_s"], start + 0.0001, delta=1e-9)
        self.assertEqual(moved["undo"], "moved 100 µs later")
        stale = self.edit(camera, kind="nudge", by_s=5.0)
        self.assertEqual((stale.status_code, stale.json()["type"]), (409, "urn:gullywind:conflict"))
        back = self.edit(moved, kind="undo").json()
        self.assertEqual(back["map"]["offset_s"], start)
        again = self.edit(back, kind="redo").json()
        self.assertEqual(again["map"]["offset_s"], moved["map"]["offset_s"])
        typed = self.edit(again, kind="move", offset_s=1.5).json()
        self.assertEqual(typed["map"]["offset_s"], 1.5)
        self.assertIn("Set by hand", typed["sentence"])
        refused = self.edit(typed, kind="redo")
        self.assertEqual((refused.status_code, refused.json()["detail"]), (409, "There is nothing to redo."))
        self.assertEqual(self.edit(typed, kind="nudge").status_code, 422)
        self.assertIn("within a day", self.edit(typed, kind="move", offset_s=1e9).json()["detail"])

    def test_stray_can_be_placed_by_hand_and_taken_back(self):
        stray = self.recording(self.placed(), "Stray")
        by_hand = self.edit(stray, kind="move", offset_s=3.0).json()
        self.assertEqual((by_hand["status"], by_hand["map"]["offset_s"]), ("placed", 3.0))
        self.assertEqual(self.edit(by_hand, kind="undo").json()["status"], "unplaced")

    def test_sound_comes_in_reference_time_for_each_version(self):
        project = self.placed()
        camera, desk = self.recording(project, "Camera"), self.recording(project, "Desk")
        moved = self.edit(camera, kind="nudge", by_s=0.5).json()

        def sound(recording: dict, **query: int) -> np.ndarray:
            answer = self.client.get(f"/api/recordings/{recording['id']}/sound", params={"samples": 48000, **query})
            self.assertEqual(answer.status_code, 200, answer.text)
            return np.frombuffer(answer.content, "<f4")

        event, _ = soundfile.read(io.BytesIO(self.reference_bytes))
        np.testing.assert_allclose(sound(desk, first=96000), event[96000:144000], atol=1e-6)
        before = sound(moved, first=20 * RATE_HZ, map_id=camera["map"]["id"])
        after = sound(moved, first=20 * RATE_HZ + RATE_HZ // 2)
        np.testing.assert_allclose(after, before, atol=1e-5)
        self.assertEqual(np.abs(sound(moved, first=0)).max(), 0.0)

    def test_peaks_hold_the_extremes(self):
        desk = self.recording(self.placed(), "Desk")
        event, _ = soundfile.read(io.BytesIO(self.reference_bytes))
        for bin_samples in (1, 64, 256, 4096):
            answer = self.client.get(f"/api/media/{desk['media']['content_hash']}/peaks/{bin_samples}/0")
            rows = np.frombuffer(answer.content, "<i2").reshape(-1, 3)
            part = event[: rows.shape[0] * bin_samples][: 100 * bin_samples].reshape(-1, bin_samples)
            np.testing.assert_allclose(rows[: len(part), 1] / 32767, part.max(axis=1), atol=1e-4)
            np.testing.assert_allclose(rows[: len(part), 0] / 32767, part.min(axis=1), atol=1e-4)
        self.assertEqual(self.client.get(f"/api/media/{desk['media']['content_hash']}/peaks/3/0").status_code, 422)

    def test_timing_is_measured_anew_through_a_version(self):
        camera = self.recording(self.placed(), "Camera")
        late = self.edit(camera, kind="nudge", by_s=0.004).json()
        moments = self.client.get(f"/api/recordings/{camera['id']}/loupes").json()
        self.assertEqual(len(moments), 3)
        self.assertEqual(moments, sorted(moments))
        for version, expected_ms in [(camera["map"]["id"], 0.0), (late["map"]["id"], 4.0)]:
            timing = self.client.get(
                f"/api/recordings/{camera['id']}/timing", params={"map_id": version, "t_ref": moments[1]}
            )
            self.assertAlmostEqual(timing.json()["lag_ms"], expected_ms, delta=0.05)
            heard = self.client.get(
                f"/api/recordings/{camera['id']}/doubling", params={"map_id": version, "t_ref": moments[1]}
            ).json()
            self.assertAlmostEqual(heard["lag_ms"], expected_ms, delta=0.05)
            self.assertEqual(heard["kind"], "coloured by combing" if expected_ms else "in step")

    def test_match_curve_peaks_at_the_place(self):
        camera = self.recording(self.placed(), "Camera")
        curve = self.client.get(f"/api/recordings/{camera['id']}/match-curve").json()
        best = curve["start_s"] + curve["step_s"] * int(np.argmax(curve["heights"]))
        self.assertAlmostEqual(best, OFFSET_S, delta=0.1)

    def test_bad_files_are_named_and_harm_nothing(self):
        project = self.new_project("Odd files")
        nothing = self.upload(project, "nothing.wav", b"")
        self.assertEqual((nothing.status_code, nothing.json()["detail"]), (422, "The file is empty: 0 bytes."))
        self.upload(project, "noise.mov", np.random.default_rng(1).bytes(50000))
        self.upload(project, "text.wav", b"not a sound at all" * 100)
        self.upload(project, "../../etc/Émile – take 1.wav", self.stray_bytes)
        cut = wav_bytes(busy(5.0))[: 48000 * 3 * 3]
        self.upload(project, "-cut.wav", cut)
        self.run_jobs()
        states = {one["file_name"]: one for one in self.project(project)["recordings"]}
        self.assertEqual(states["noise.mov"]["status"], "failed")
        self.assertIn("Cannot be used: is not a sound or video file", states["noise.mov"]["sentence"])
        self.assertEqual(states["text.wav"]["status"], "failed")
        self.assertEqual(states["Émile – take 1.wav"]["media"]["state"], "ready")
        self.assertTrue(states["-cut.wav"]["media"]["truncated"])
        self.assertIn("cut off", states["-cut.wav"]["media"]["line"])

    def test_same_content_is_stored_once_and_deleted_last(self):
        one, two = self.new_project("One"), self.new_project("Two")
        body = wav_bytes(busy(2.0, 77))
        self.upload(one, "a.wav", body)
        self.upload(two, "b.wav", body)
        hashes = {self.project(p)["recordings"][0]["media"]["content_hash"] for p in (one, two)}
        self.assertEqual(len(hashes), 1)
        path = self.context.media.original(hashes.pop())
        self.run_jobs()
        self.client.delete(f"/api/projects/{one['id']}")
        self.assertTrue(path.exists())
        self.client.delete(f"/api/projects/{two['id']}")
        self.assertFalse(path.exists())

    def test_repeats_are_unsure_and_a_person_chooses(self):
        project = self.new_project("Round dance")
        bar = busy(4.0, 12)
        self.upload(project, "Dulcimer.wav", wav_bytes(np.tile(bar, 8)))
        self.upload(project, "Drum.wav", wav_bytes(np.tile(bar, 2)))
        self.run_jobs()
        change = {"version": project["version"], "reference_id": self.recording(project, "Dulcimer")["id"]}
        self.client.patch(f"/api/projects/{project['id']}", json=change)
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.run_jobs()
        drum = self.recording(project, "Drum")
        self.assertEqual(drum["status"], "unsure")
        self.assertIn("places fit", drum["sentence"])
        chosen = self.edit(drum, kind="take", index=1).json()
        self.assertEqual(chosen["status"], "placed")
        self.assertAlmostEqual(chosen["map"]["offset_s"], drum["judgement"]["candidates"][1]["offset_s"], delta=1e-9)
        self.assertEqual(self.edit(chosen, kind="undo").json()["status"], "unsure")

    def test_without_its_reference_nothing_has_a_place_until_it_comes_back(self):
        project = self.placed()
        desk = self.recording(project, "Desk")
        self.assertEqual(self.client.delete(f"/api/recordings/{desk['id']}").status_code, 204)
        left = self.project(project)
        self.assertIsNone(left["reference_id"])
        self.assertEqual({one["status"] for one in left["recordings"]}, {"waiting"})
        asked = self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.assertIn("Choose the reference first", asked.json()["detail"])
        self.assertEqual(left["undo"], "reference removed: Desk")
        back = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"}).json()
        self.assertEqual(back["reference_id"], desk["id"])
        known = {one["name"]: (one["status"], one["map"]) for one in project["recordings"]}
        self.assertEqual({one["name"]: (one["status"], one["map"]) for one in back["recordings"]}, known)

    def test_reference_deleted_while_the_job_waits(self):
        project = self.filled()
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.client.delete(f"/api/recordings/{project['reference_id']}")
        self.run_jobs()
        self.assertEqual(self.project(project)["works"], [])
        self.assertEqual({one["status"] for one in self.project(project)["recordings"]}, {"waiting"})

    def test_queued_work_can_be_cancelled(self):
        project = self.filled()
        self.upload(project, "New.wav", wav_bytes(busy(8.0, 77)))
        works = self.client.post(f"/api/projects/{project['id']}/alignments", json={}).json()
        self.assertEqual(len(works), 1)
        for one in works:
            self.assertEqual(self.client.delete(f"/api/works/{one['id']}").status_code, 202)
        self.run_jobs()
        self.assertEqual(self.recording(project, "New")["status"], "waiting")

    def test_problems_have_one_form(self):
        answer = self.client.get("/api/projects/00000000-0000-0000-0000-000000000000")
        self.assertEqual(answer.headers["content-type"], "application/problem+json")
        self.assertEqual(answer.json()["detail"], "This project does not exist any more.")
        wrong = self.client.post("/api/projects", json={"name": "x", "colour": "red"})
        self.assertEqual((wrong.status_code, wrong.json()["type"]), (422, "urn:gullywind:bad-input"))
        self.assertIn("colour", wrong.json()["detail"])
        self.assertIn("visible character", self.client.post("/api/projects", json={"name": "  "}).json()["detail"])
        self.assertIn(
            "frame rate", self.client.post("/api/projects", json={"name": "x", "frame_rate": "26"}).json()["detail"]
        )

    def test_stale_project_change_conflicts(self):
        project = self.new_project()
        change = {"version": project["version"], "name": "Morning"}
        self.assertEqual(self.client.patch(f"/api/projects/{project['id']}", json=change).json()["name"], "Morning")
        self.assertEqual(self.client.patch(f"/api/projects/{project['id']}", json=change).status_code, 409)

    def test_tables_and_migrations_agree(self):
        check(self.settings.database_url)
