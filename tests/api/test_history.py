"""What was done to a project, taken back and done again; places that come back through what is known."""

from typing import ClassVar

import numpy as np

from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import busy, clocked, with_noise

EVENT = busy(60.0, 60)


def taken(start_s: float, seconds: float, seed: int, rate: float = 1.0) -> bytes:
    return wav_bytes(clocked(with_noise(EVENT, 20.0, seed), start_s, rate, seconds))


class HistoryTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Camera.wav": taken(3.0, 50.0, 61, 1.00004),
        "Phone.wav": taken(8.0, 40.0, 62, 0.99997),
        "Stray.wav": wav_bytes(busy(20.0, 63)),
    }

    def step(self, project: dict, **wish: object) -> dict:
        answer = self.client.post(f"/api/projects/{project['id']}/changes", json=wish)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def changes(self, project: dict, **query: object) -> list[dict]:
        return self.client.get(f"/api/projects/{project['id']}/changes", params=query).json()

    def places(self, project: dict) -> dict[str, list | None]:
        return {one["name"]: one["map"] and one["map"]["pieces"] for one in self.project(project)["recordings"]}

    def choose(self, project: dict, name: str) -> dict:
        now = self.project(project)
        body = {"version": now["version"], "reference_id": self.recording(project, name)["id"]}
        answer = self.client.patch(f"/api/projects/{project['id']}", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_one_action_on_several_is_one_step(self):
        project = self.placed()
        found = self.places(project)
        path = f"/api/projects/{project['id']}/clocks"
        self.assertEqual(self.client.post(path, json={"use": "none"}).json(), 2)
        refused = self.places(project)
        self.assertNotEqual(refused["Camera"], found["Camera"])
        self.assertEqual(self.project(project)["undo"], "2 recordings: measured clocks refused")
        back = self.step(project, kind="undo")
        self.assertEqual(self.places(project), found)
        self.assertEqual(back["redo"], "2 recordings: measured clocks refused")
        self.step(project, kind="redo")
        self.assertEqual(self.places(project), refused)

    def test_the_whole_history_is_listed_and_any_step_gone_to(self):
        project = self.placed()
        states = [self.places(project)]
        for name, by_s in (("Camera", 0.1), ("Phone", -0.2), ("Camera", 0.3)):
            self.edit(self.recording(project, name), kind="nudge", by_s=by_s)
            states.append(self.places(project))
        listed = self.changes(project)[-3:]
        self.assertEqual(
            [one["sentence"] for one in listed], ["moved 100 ms later", "moved 200 ms earlier", "moved 300 ms later"]
        )
        theirs = self.changes(project, recording_id=self.recording(project, "Phone")["id"])
        self.assertEqual([one["number"] for one in theirs if not one["moves_reference"]][-1], listed[1]["number"])
        for number, state in ((listed[0]["number"], states[1]), (listed[2]["number"], states[3])):
            self.step(project, kind="go", number=number)
            self.assertEqual(self.places(project), state)
        self.step(project, kind="go", number=0)
        self.assertEqual(set(self.places(project).values()), {None})
        self.assertIsNone(self.project(project)["reference_id"])
        self.step(project, kind="go", number=listed[2]["number"])
        self.assertEqual(self.places(project), states[3])

    def test_a_copy_of_the_reference_lies_on_it(self):
        project = self.filled()
        self.assertEqual(self.upload(project, "Desk again.wav", self.files["Desk.wav"]).status_code, 201)
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.run_jobs()
        copy = self.recording(project, "Desk again")
        self.assertEqual((copy["status"], copy["map"]["pieces"][0][0]), ("placed", [0.0, 0.0]))
        self.assertEqual(self.edit(copy, kind="nudge", by_s=0.5).status_code, 200)
        self.choose(project, "Camera")
        self.assertEqual(self.recording(project, "Desk")["status"], "placed")
        self.choose(project, "Desk")
        self.assertAlmostEqual(self.places(project)["Desk again"][0][0][0], 0.5, delta=1e-9)

    def test_of_two_copies_of_a_file_that_were_set_down_what_was_done_last_outlives_the_reference(self):
        project = self.placed()
        self.assertEqual(self.upload(project, "Camera again.wav", self.files["Camera.wav"]).status_code, 201)
        self.run_jobs()
        for name, offset_s in (("Camera again", 3.0), ("Camera", 5.0)):
            answer = self.edit(self.recording(project, name), kind="move", offset_s=offset_s)
            self.assertEqual(answer.status_code, 200, answer.text)
        self.choose(project, "Phone")
        self.choose(project, "Desk")
        places = self.places(project)
        self.assertAlmostEqual(places["Camera"][0][0][0], 5.0, delta=1e-6)
        self.assertAlmostEqual(places["Camera again"][0][0][0], 5.0, delta=1e-6)

    def test_a_recording_has_its_own_undo_and_leaves_the_others_alone(self):
        project = self.placed()
        camera = self.edit(self.recording(project, "Camera"), kind="nudge", by_s=0.1).json()
        phone = self.edit(self.recording(project, "Phone"), kind="nudge", by_s=0.2).json()
        back = self.edit(camera, kind="undo").json()
        self.assertEqual(self.places(project)["Phone"], phone["map"]["pieces"])
        again = self.edit(back, kind="redo").json()
        self.assertEqual(again["map"]["pieces"], camera["map"]["pieces"])
        # A new edit drops what was taken back of this recording, not of the other.
        back = self.edit(again, kind="undo").json()
        phone = self.edit(self.recording(project, "Phone"), kind="undo").json()
        self.edit(back, kind="nudge", by_s=0.5)
        self.assertEqual(self.recording(project, "Phone")["redo"], "moved 200 ms later")

    def test_what_was_done_to_several_is_not_overturned_from_one(self):
        project = self.placed()
        self.client.post(f"/api/projects/{project['id']}/clocks", json={"use": "none"})
        self.edit(self.recording(project, "Phone"), kind="nudge", by_s=0.2)
        refused = self.edit(self.recording(project, "Camera"), kind="undo")
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Phone was changed since: “moved 200 ms later”", refused.json()["detail"])

    def test_the_measured_clock_outlives_what_was_taken_back(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        changes = self.changes(project, recording_id=camera["id"])
        before = self.edit(camera, kind="unplace").json()
        by_hand = self.edit(before, kind="move", offset_s=2.0).json()
        self.assertEqual(by_hand["map"]["rate"], 1.0)
        measured = self.edit(by_hand, kind="clock", use="measured").json()
        self.assertAlmostEqual(measured["map"]["clock_ppm"], 40.0, delta=0.5)
        self.assertGreater(len(self.changes(project, recording_id=camera["id"])), len(changes))

    def test_another_reference_loses_nothing_and_reads_no_sound(self):
        project = self.placed()
        found = self.project(project)
        by_hand = self.edit(self.recording(project, "Phone"), kind="nudge", by_s=0.010).json()
        changed = self.choose(project, "Camera")
        # Nothing is listened to or looked for again; what was drawn is proved.
        self.assertEqual({one["kind"] for one in changed["works"]}, {"prove"})
        names = {one["name"]: one for one in changed["recordings"]}
        self.assertEqual(
            {name: one["status"] for name, one in names.items()},
            {"Desk": "placed", "Camera": "waiting", "Phone": "placed", "Stray": "waiting"},
        )
        self.assertIsNone(names["Camera"]["map"])
        self.assertAlmostEqual(names["Desk"]["map"]["offset_s"], -3.0, delta=1e-3)
        # 5 s and 10 ms by hand, on a clock that is 40 ppm fast.
        self.assertAlmostEqual(names["Phone"]["map"]["offset_s"], 5.010 * 1.00004, delta=1e-4)
        self.assertIn("Placed through Desk", " ".join(note["message"] for note in names["Phone"]["judgement"]["notes"]))
        self.assertEqual(changed["undo"], "reference is Camera")
        self.run_jobs()
        proved = self.recording(project, "Desk")
        self.assertTrue(proved["proof"]["in_step"])
        # Back again: all as it was, to the last digit, and once more by undo.
        again = self.choose(project, "Desk")
        names = {one["name"]: one for one in again["recordings"]}
        camera = next(one for one in found["recordings"] if one["name"] == "Camera")
        self.assertEqual(names["Camera"]["map"]["pieces"], camera["map"]["pieces"])
        self.assertEqual(
            (names["Camera"]["status"], names["Camera"]["judgement"]["candidates"]),
            ("placed", camera["judgement"]["candidates"]),
        )
        self.assertEqual(names["Phone"]["map"]["pieces"], by_hand["map"]["pieces"])
        self.assertIn("Set by hand", names["Phone"]["sentence"])
        self.assertEqual(names["Stray"]["status"], "unplaced")
        self.step(project, kind="undo")
        self.step(project, kind="undo")
        undone = self.project(project)
        self.assertEqual(undone["reference_id"], found["reference_id"])
        self.assertEqual(self.recording(project, "Phone")["map"]["pieces"], by_hand["map"]["pieces"])
        self.assertEqual(self.recording(project, "Camera")["sentence"], camera["sentence"])

    def test_from_one_recording_the_reference_is_not_moved(self):
        project = self.placed()
        self.choose(project, "Camera")
        phone = self.recording(project, "Phone")
        self.assertIsNone(phone["undo"])
        refused = self.edit(phone, kind="undo")
        self.assertIn("The reference was changed there", refused.json()["detail"])

    def test_another_project_of_the_same_files_knows_them_at_once(self):
        self.placed()
        other = self.filled()
        self.assertEqual(self.recording(other, "Camera")["status"], "placed")
        self.assertEqual(self.recording(other, "Stray")["status"], "unplaced")

    def test_what_was_not_listened_to_yet_waits_though_it_is_known(self):
        before = self.recording(self.placed(), "Camera")
        # The files go with their projects; what was measured of them stays.
        for one in self.client.get("/api/projects").json():
            self.client.delete(f"/api/projects/{one['id']}")
        project = self.new_project()
        for name, body in self.files.items():
            self.upload(project, name, body)
        self.choose(project, "Desk")
        self.run_jobs()
        self.assertEqual(self.recording(project, "Camera")["status"], "waiting")
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.run_jobs()
        camera = self.recording(project, "Camera")
        self.assertEqual((camera["map"]["pieces"], camera["proof"]["current"]), (before["map"]["pieces"], True))

    def test_without_its_reference_a_project_still_knows_what_was_measured(self):
        project = self.placed()
        camera, phone = self.recording(project, "Camera"), self.recording(project, "Phone")
        self.client.delete(f"/api/recordings/{project['reference_id']}")
        left = self.project(project)
        self.assertEqual({one["status"] for one in left["recordings"]}, {"waiting"})
        self.choose(project, "Camera")
        found = self.recording(project, "Phone")
        expected = (phone["map"]["offset_s"] - camera["map"]["offset_s"]) * camera["map"]["rate"]
        self.assertAlmostEqual(found["map"]["offset_s"], expected, delta=1e-6)
        self.assertIn(
            "Placed through a recording that was removed", " ".join(n["message"] for n in found["judgement"]["notes"])
        )

    def test_versions_are_asked_for_by_their_id_and_stay(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        moved = self.edit(camera, kind="nudge", by_s=0.1).json()
        self.assertEqual(moved["earlier_id"], camera["map"]["id"])
        path = f"/api/recordings/{camera['id']}/versions"
        earlier = self.client.get(f"{path}/{moved['earlier_id']}")
        self.assertEqual(earlier.json()["pieces"], camera["map"]["pieces"])
        self.assertIn("immutable", earlier.headers["cache-control"])
        stray = self.recording(project, "Stray")["id"]
        self.assertEqual(self.client.get(f"/api/recordings/{stray}/versions/{camera['map']['id']}").status_code, 404)
        np.testing.assert_allclose(
            np.array(moved["map"]["pieces"])[..., 0] - np.array(camera["map"]["pieces"])[..., 0], 0.1, atol=1e-9
        )
