"""Acts on many recordings: one change each, what cannot be changed is named; removing comes back; remarks."""

import io
import zipfile
from typing import ClassVar

from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import busy, clocked

EVENT = busy(40.0, 710)
REPORTS = ("report.csv", "report.json", "report.html")


class ManyTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Camera.wav": wav_bytes(clocked(EVENT, 5.0, 1.0, 20.0)),
        "Phone.wav": wav_bytes(clocked(EVENT, 12.0, 1.0, 20.0)),
        "Stray.wav": wav_bytes(busy(8.0, 711)),
    }

    def act(self, project: dict, names: list[str], **act: object) -> dict:
        ids = [self.recording(project, name)["id"] for name in names]
        answer = self.client.post(f"/api/projects/{project['id']}/acts", json={"recording_ids": ids, "act": act})
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def undo(self, project: dict) -> dict:
        answer = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"})
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_one_act_is_one_change_and_names_what_it_left(self):
        project = self.placed()
        self.edit(self.recording(project, "Phone"), kind="lock", locked=True)
        done = self.act(project, ["Camera", "Phone", "Stray", "Desk"], kind="gain", gain_db=-6.0)
        self.assertEqual(done["count"], 1)
        left = {one["name"]: one["reason"] for one in done["left"]}
        self.assertEqual(set(left), {"Phone", "Stray", "Desk"})
        self.assertEqual(left["Phone"], "it is locked")
        self.assertIn("no place yet", left["Stray"])
        self.assertEqual(left["Desk"], "it is the reference")
        self.assertRegex(done["words"], r"^Left as it is: .*Phone \(it is locked\).*\.$")
        self.assertEqual(self.recording(project, "Camera")["map"]["gain_db"], -6.0)
        self.undo(project)
        self.assertEqual(self.recording(project, "Camera")["map"]["gain_db"], 0.0)

    def test_two_are_nudged_and_taken_back_together(self):
        project = self.placed()
        before = {name: self.recording(project, name)["map"]["offset_s"] for name in ("Camera", "Phone")}
        self.assertEqual(self.act(project, ["Camera", "Phone"], kind="nudge", by_s=0.25)["count"], 2)
        self.assertIn("2 recordings: ", self.project(project)["undo"])
        for name, offset_s in before.items():
            self.assertAlmostEqual(self.recording(project, name)["map"]["offset_s"], offset_s + 0.25, delta=1e-9)
        self.undo(project)
        self.assertEqual({n: self.recording(project, n)["map"]["offset_s"] for n in before}, before)

    def test_a_set_in_the_selection_moves_once(self):
        project = self.placed()
        ids = [self.recording(project, name)["id"] for name in ("Camera", "Phone")]
        tied = self.client.post(f"/api/projects/{project['id']}/sets", json={"recording_ids": ids})
        self.assertEqual(tied.status_code, 201, tied.text)
        before = self.recording(project, "Camera")["map"]["offset_s"]
        self.act(project, ["Camera", "Phone"], kind="nudge", by_s=0.5)
        for name in ("Camera", "Phone"):
            self.assertAlmostEqual(self.recording(project, name)["map"]["offset_s"], before + 0.5, delta=1e-9)

    def test_locking_and_setting_aside_many(self):
        project = self.placed()
        self.assertEqual(self.act(project, ["Camera", "Phone"], kind="lock", locked=True)["count"], 2)
        self.assertTrue(self.recording(project, "Phone")["locked"])
        self.assertEqual(self.act(project, ["Camera", "Phone"], kind="lock", locked=False)["count"], 2)
        before = self.project(project)["undo"]
        self.assertEqual(self.act(project, ["Stray"], kind="set-aside")["count"], 1)
        self.assertTrue(self.recording(project, "Stray")["set_aside"])
        self.assertEqual(self.project(project)["undo"], before)
        self.assertEqual(self.act(project, ["Camera", "Stray"], kind="set-aside")["count"], 2)
        self.assertTrue(self.recording(project, "Camera")["set_aside"])
        self.assertEqual(self.project(project)["undo"], "Camera: set aside: it does not belong")

    def test_removing_many_comes_back_with_places_and_history(self):
        project = self.placed()
        self.edit(self.recording(project, "Phone"), kind="lock", locked=True)
        before = self.recording(project, "Camera")
        moved = self.edit(before, kind="nudge", by_s=0.1).json()
        done = self.act(project, ["Camera", "Stray", "Phone"], kind="remove-recordings")
        self.assertEqual((done["count"], [one["name"] for one in done["left"]]), (2, ["Phone"]))
        self.assertEqual([one["name"] for one in self.project(project)["recordings"]], ["Desk", "Phone"])
        self.assertEqual(self.project(project)["undo"], "2 recordings: removed from the project")
        refused = self.client.delete(f"/api/recordings/{self.recording(project, 'Phone')['id']}")
        self.assertIn("Phone is locked", refused.json()["detail"])
        self.assertEqual(self.client.get(f"/api/recordings/{before['id']}").status_code, 404)
        self.assertEqual(self.edit(moved, kind="nudge", by_s=1.0).status_code, 404)
        self.undo(project)
        back = self.recording(project, "Camera")
        self.assertEqual((back["map"], back["status"]), (moved["map"], moved["status"]))
        self.undo(project)
        self.assertEqual(self.recording(project, "Camera")["map"]["offset_s"], before["map"]["offset_s"])

    def test_one_that_was_removed_is_named_in_what_was_done(self):
        project = self.placed()
        self.client.delete(f"/api/recordings/{self.recording(project, 'Stray')['id']}")
        self.assertEqual(self.project(project)["undo"], "Stray: removed from the project")
        changes = self.client.get(f"/api/projects/{project['id']}/changes").json()
        self.assertEqual(changes[-1]["words"], "Stray: removed from the project")

    def test_what_is_removed_before_it_was_heard_is_heard_when_it_comes_back(self):
        project = self.filled()
        late = self.upload(project, "Late.wav", wav_bytes(busy(2.0, 712))).json()
        self.client.delete(f"/api/recordings/{late['id']}")
        self.run_jobs()
        self.undo(project)
        self.assertEqual(self.recording(project, "Late")["media"]["state"], "ready")

    def test_deleted_for_good_nothing_brings_it_back(self):
        project = self.new_project()
        self.upload(project, "Alone.wav", wav_bytes(busy(2.0, 713)))
        self.run_jobs()
        alone = self.recording(project, "Alone")
        self.client.patch(
            f"/api/projects/{project['id']}", json={"version": project["version"], "reference_id": alone["id"]}
        )
        self.client.delete(f"/api/recordings/{alone['id']}")
        self.assertIn("of recordings that were removed", self.client.get("/api/room").json()["removed_words"])
        self.assertEqual(self.client.post("/api/room/forgetting").json()["removed_words"], "")
        self.assertFalse(self.context.media.original(alone["media"]["content_hash"]).exists())
        self.assertIsNone(self.project(project)["undo"])

    def test_some_are_looked_for_and_some_delivered_as_flac(self):
        project = self.placed()
        ids = [self.recording(project, name)["id"] for name in ("Camera", "Phone")]
        works = self.client.post(f"/api/projects/{project['id']}/alignments", json={"recording_ids": ids}).json()
        self.assertEqual([one["recording_id"] for one in works], ids)
        self.run_jobs()
        asked = {"recording_ids": ids, "form": "flac24"}
        made = self.client.post(f"/api/projects/{project['id']}/deliveries", json=asked).json()
        self.run_jobs()
        file = self.client.get(f"/api/deliveries/{made['id']}/file")
        with zipfile.ZipFile(io.BytesIO(file.content)) as archive:
            self.assertEqual(set(archive.namelist()), {"Camera.flac", "Phone.flac", *REPORTS})

    def test_a_remark_is_kept_and_told(self):
        project = self.placed()
        camera = self.recording(project, "Camera")
        path = f"/api/recordings/{camera['id']}"
        said = self.client.patch(path, json={"version": camera["version"], "remark": " use the left\nchannel \x07"})
        self.assertEqual((said.json()["remark"], said.json()["name"]), ("use the left\nchannel", "Camera"))
        self.assertIn("use the left", self.client.get(f"/api/projects/{project['id']}/report.csv").text)
        long = self.client.patch(path, json={"version": said.json()["version"], "remark": "x" * 2001})
        self.assertIn("2000 characters at most", long.json()["detail"])

    def test_the_report_tells_by_what_and_with_which_set_and_can_be_printed(self):
        project = self.placed()
        path = f"/api/projects/{project['id']}"
        camera = self.recording(project, "Camera")
        self.client.patch(f"/api/recordings/{camera['id']}", json={"version": camera["version"], "name": "<b>Cam & co"})
        self.edit(self.recording(project, "Phone"), kind="push", push_s=0.002)
        page = self.client.get(f"{path}/report.html")
        self.assertEqual(page.headers["content-type"], "text/html; charset=utf-8")
        self.assertIn("&lt;b&gt;Cam &amp; co", page.text)
        self.assertNotIn("<b>Cam", page.text)
        self.assertGreater(page.text.count("<circle"), 4)
        for words in ("+2.0", "sound", "Desk</span> is the reference"):
            self.assertIn(words, page.text)
        ids = [self.recording(project, name)["id"] for name in ("<b>Cam & co", "Phone")]
        self.client.post(f"{path}/sets", json={"recording_ids": ids})
        self.edit(self.recording(project, "Phone"), kind="nudge", by_s=0.1)
        rows = {one["name"]: one for one in self.client.get(f"{path}/report.json").json()}
        self.assertEqual([rows[name]["by"] for name in ("Desk", "Phone", "Stray")], [None, "hand", None])
        self.assertEqual([rows[name]["set"] for name in ("Desk", "Phone", "<b>Cam & co")], [None, 1, 1])
