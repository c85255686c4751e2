"""Another performance matched and bent over the API, with real jobs."""

from typing import ClassVar

import numpy as np

from material.performances import music_pair, speech_pair
from material.spoken import VOICES
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, in_room, with_noise

CASE = speech_pair(8, VOICES, sentences=2)


class BendingTest(ApiCase):
    files: ClassVar = {
        "Desk.wav": wav_bytes(CASE.reference * 0.5),
        "Double.wav": wav_bytes(CASE.recording * 0.5),
        "Room.wav": wav_bytes(np.concatenate([CASE.recording * 0.1, np.zeros(48000)])),
        "Stranger.wav": wav_bytes(np.random.default_rng(1).standard_normal(CASE.recording.size) * 0.05),
    }

    def match(self, project: dict, *names: str) -> list[dict]:
        ids = [self.recording(project, name)["id"] for name in names]
        queued = self.client.post(f"/api/projects/{project['id']}/matches", json={"recording_ids": ids})
        self.assertEqual(queued.status_code, 202, queued.text)
        return queued.json()

    def matched(self) -> dict:
        project = self.filled()
        self.match(project, "Double")
        self.run_jobs()
        return self.recording(project, "Double")

    def bend(self, recording: dict) -> dict:
        return self.client.get(f"/api/recordings/{recording['id']}/bend").json()

    def edited(self, recording: dict, **wish: object) -> dict:
        answer = self.edit(recording, **wish)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def lands(self, recording: dict, t_rec: np.ndarray) -> np.ndarray:
        version = self.client.get(f"/api/recordings/{recording['id']}/versions/{recording['map']['id']}").json()
        knots = np.concatenate(version["pieces"])
        return np.interp(t_rec, knots[:, 1], knots[:, 0])

    def test_a_double_is_matched_bent_and_proved(self):
        double = self.matched()
        self.assertEqual(double["status"], "placed")
        self.assertRegex(double["sentence"], r"bent along \d+ ties; .* left over")
        self.assertEqual(double["map"]["clock_label"], "bent")
        self.assertIn("along its ties", double["map"]["pitch_reason"])
        self.assertEqual(double["undo"], "matched as another performance")
        late = self.lands(double, CASE.t_rec) - CASE.t_ref
        self.assertLess(np.percentile(np.abs(late), 90), 0.015)
        self.assertTrue(double["proof"]["current"])
        self.assertLess(double["proof"]["median_ms"], 10.0)
        verdicts = [window["verdict"] for window in self.windows(double)]
        self.assertGreater(verdicts.count("agrees"), len(verdicts) / 2)
        bend = self.bend(double)
        self.assertEqual((bend["closeness"], bend["limit_percent"], bend["ends"]), (1.0, 30.0, True))
        self.assertLessEqual(max(abs(one["percent"]) for one in bend["stretches"]), 30.1)
        self.assertGreater(len(bend["ties"]), 20)

    def test_another_performance_is_recognised_and_offered_and_nothing_done_unasked(self):
        project = self.filled()
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.run_jobs()
        double, stranger = self.recording(project, "Double"), self.recording(project, "Stranger")
        self.assertIn(double["status"], ("unplaced", "unsure"))
        self.assertTrue(double["performs"])
        self.assertRegex(double["sentence"], r"Performs the part anew, .+% sure")
        self.assertEqual((stranger["status"], stranger["performs"]), ("unplaced", False))
        self.match(project, "Double")
        self.run_jobs()
        double = self.recording(project, "Double")
        self.assertEqual((double["status"], double["performs"]), ("placed", False))
        self.assertNotIn("performance", [note["code"] for note in double["judgement"]["notes"]])

    def test_the_second_microphone_of_a_take_gets_the_identical_bend(self):
        double = self.matched()
        project = self.client.get(f"/api/projects/{double['project_id']}").json()
        room = self.recording(project, "Room")
        as_double = self.edited(room, kind="bend-as", recording_id=double["id"])
        self.assertEqual((as_double["undo"], as_double["map"]["bent"]), ("bent as Double", True))
        moments = np.linspace(0.0, CASE.recording.size / 48000, 200)
        np.testing.assert_array_equal(self.lands(as_double, moments), self.lands(double, moments))
        refused = self.edit(as_double, kind="bend-as", recording_id=self.recording(project, "Stranger")["id"])
        self.assertEqual(refused.status_code, 409)
        self.assertIn("is not bent", refused.json()["detail"])

    def test_moments_are_told_once_for_all_and_become_no_ties(self):
        double = self.matched()
        ties = len(self.bend(double)["ties"])
        url = f"/api/recordings/{double['id']}/moments"
        moments = self.client.get(url).json()["times_s"]
        self.assertEqual(moments, sorted(moments))
        # Most sounds that are said begin at one of them.
        near_s = np.abs(np.array(moments)[:, None] - CASE.t_rec).min(axis=0)
        self.assertLess(np.median(near_s), 0.02)
        self.assertEqual(self.client.get(url).json()["times_s"], moments)
        self.assertEqual(len(self.bend(double)["ties"]), ties)
        self.assertEqual(self.client.get(f"/api/recordings/{double['project_id']}/moments").status_code, 404)

    def test_closeness_is_changed_afterwards_and_undo_is_exact(self):
        double = self.matched()
        moments = np.linspace(1.0, 6.0, 40)
        fully = self.lands(double, moments)
        wish = {"leave_below_ms": 0.0, "limit_percent": 30.0, "ends": True}
        half = self.edited(double, kind="bend", closeness=0.5, **wish)
        self.assertIn("bent by 50", half["sentence"])
        self.assertEqual(len(self.bend(half)["ties"]), len(self.bend(double)["ties"]))
        self.assertGreater(np.abs(self.lands(half, moments) - fully).max(), 0.02)
        untouched = self.edited(half, kind="bend", closeness=0.0, **wish)
        self.assertIn("timing untouched", untouched["sentence"])
        self.assertEqual(untouched["map"]["clock_label"], "untouched")
        np.testing.assert_allclose(np.diff(self.lands(untouched, moments)), np.diff(moments), atol=1e-9)
        back = self.edited(self.edited(untouched, kind="undo"), kind="undo")
        np.testing.assert_array_equal(self.lands(back, moments), fully)
        refused = self.edit(back, kind="bend", closeness=1.5, **wish)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("from 0 to 1", refused.json()["detail"])

    def test_ties_are_set_moved_held_split_and_removed_and_act_between_their_neighbours(self):
        double = self.matched()
        before = self.bend(double)["ties"]
        index = len(before) // 2
        tie = before[index]
        moved = self.edited(double, kind="tie", index=index, t_ref=tie["t_ref"] + 0.004, t_rec=tie["t_rec"])
        after = self.bend(moved)["ties"]
        self.assertAlmostEqual(after[index]["t_ref"], tie["t_ref"] + 0.004)
        self.assertEqual(after[index]["certainty"], 1.0)
        away = np.array([one["t_rec"] for one in before[: index - 8] + before[index + 9 :]])
        np.testing.assert_allclose(self.lands(moved, away), self.lands(double, away), atol=2e-4)
        split = self.edited(moved, kind="closeness", indices=[index], times=0.5)
        again = self.edited(split, kind="closeness", indices=[index], times=0.5)
        self.assertAlmostEqual(self.bend(again)["ties"][index]["closeness"], 0.25)
        self.assertIn("difference split", again["undo"])
        held = self.edited(again, kind="hold-ties", indices=[index, index + 1], held=True)
        lies = [one["lies_s"] for one in self.bend(held)["ties"][index : index + 2]]
        wish = {"leave_below_ms": 0.0, "limit_percent": 30.0, "ends": True}
        loose = self.edited(held, kind="bend", closeness=0.9, **wish)
        np.testing.assert_allclose(
            [one["lies_s"] for one in self.bend(loose)["ties"][index : index + 2]], lies, atol=5e-3
        )
        gone = self.edited(loose, kind="remove-ties", indices=[0, 1])
        self.assertEqual(len(self.bend(gone)["ties"]), len(before) - 2)
        refused = self.edit(gone, kind="remove-ties", indices=[9999])
        self.assertEqual(refused.status_code, 422)
        self.assertIn("does not exist", refused.json()["detail"])

    def test_a_stretch_is_held_at_its_edges_and_bent_alone_and_settings_are_tried_out(self):
        double = self.matched()
        spans = self.bend(double)["ties"]
        start_s, end_s = spans[8]["lies_s"] + 0.01, spans[-8]["lies_s"] + 0.01
        held = self.edited(double, kind="hold-edges", start_s=start_s, end_s=end_s)
        self.assertEqual(sum(tie["held"] for tie in self.bend(held)["ties"]), 2)
        alone = self.edited(held, kind="hold-edges", start_s=start_s, end_s=end_s, only=True)
        self.assertLess(len(self.bend(alone)["ties"]), len(spans))
        refused = self.edit(alone, kind="hold-edges", start_s=-500.0, end_s=end_s)
        self.assertEqual(refused.status_code, 422)
        tried = self.client.get(f"/api/recordings/{double['id']}/bend", params={"closeness": 0.3, "ends": False}).json()
        self.assertEqual((tried["closeness"], tried["ends"]), (0.3, False))
        # Nothing of that is stored.
        self.assertEqual(self.bend(alone)["closeness"], 1.0)

    def test_a_stretch_alone_is_matched_and_nothing_outside_of_it_moves(self):
        project = self.filled()
        ids = [self.recording(project, "Double")["id"]]
        url = f"/api/projects/{project['id']}/matches"
        middle = CASE.t_ref.size // 2
        offset_s = float(CASE.t_ref[middle] - CASE.t_rec[middle])
        stretch_s = [float(CASE.t_ref[middle]) - 1.2, float(CASE.t_ref[middle]) + 1.2]
        refused = self.client.post(
            url, json={"recording_ids": ids, "stretch": {"start_s": stretch_s[0], "end_s": stretch_s[1]}}
        )
        self.assertIn("no place yet", refused.json()["detail"])
        self.edited(self.recording(project, "Double"), kind="move", offset_s=offset_s)
        for stretch, said in (([5.0, 4.0], "one after the other"), ([-900.0, 4.0], "does not sound at both edges")):
            refused = self.client.post(
                url, json={"recording_ids": ids, "stretch": {"start_s": stretch[0], "end_s": stretch[1]}}
            )
            self.assertEqual(refused.status_code, 422)
            self.assertIn(said, refused.json()["detail"])
        self.client.post(url, json={"recording_ids": ids, "stretch": {"start_s": stretch_s[0], "end_s": stretch_s[1]}})
        self.run_jobs()
        bent = self.recording(project, "Double")
        self.assertTrue(bent["undo"].endswith("matched, its edges held"))
        edges = np.array(stretch_s) - offset_s
        moments = np.linspace(0.0, CASE.recording.size / 48000, 300)
        outside = moments[(moments < edges[0]) | (moments > edges[1])]
        np.testing.assert_allclose(self.lands(bent, outside), outside + offset_s, atol=1e-6)
        within = (CASE.t_rec > edges[0] + 0.3) & (CASE.t_rec < edges[1] - 0.3)
        late = np.abs(self.lands(bent, CASE.t_rec[within]) - CASE.t_ref[within])
        plain = np.abs(CASE.t_rec[within] + offset_s - CASE.t_ref[within])
        self.assertLess(np.median(late), 0.01)
        self.assertLess(np.median(late), np.median(plain))

    def test_a_stretch_of_what_is_bent_is_matched_anew_and_the_ties_around_it_stay(self):
        whole = self.matched()
        stretch_s = [float(CASE.t_ref.mean()) - 1.2, float(CASE.t_ref.mean()) + 1.2]
        wish = {"recording_ids": [whole["id"]], "stretch": {"start_s": stretch_s[0], "end_s": stretch_s[1]}}
        self.client.post(f"/api/projects/{whole['project_id']}/matches", json=wish)
        self.run_jobs()
        again = self.client.get(f"/api/recordings/{whole['id']}").json()
        self.assertIn("matched, its edges held", again["undo"])
        kept = [one for one in self.bend(whole)["ties"] if not stretch_s[0] - 0.1 < one["lies_s"] < stretch_s[1] + 0.1]
        self.assertGreater(len(kept), 10)
        np.testing.assert_allclose(
            self.lands(again, np.array([one["t_rec"] for one in kept])), [one["lies_s"] for one in kept], atol=2e-3
        )
        back, moments = self.edited(again, kind="undo"), np.linspace(0.0, CASE.recording.size / 48000, 300)
        np.testing.assert_array_equal(self.lands(back, moments), self.lands(whole, moments))

    def test_the_whole_is_moved_with_its_ties_and_pieces_are_refused(self):
        double = self.matched()
        before = self.bend(double)["ties"][3]
        moved = self.edited(double, kind="nudge", by_s=0.02)
        self.assertAlmostEqual(self.bend(moved)["ties"][3]["t_ref"], before["t_ref"] + 0.02)
        for wish in ({"kind": "split", "t_ref": 3.0}, {"kind": "clock", "use": "none"}):
            refused = self.edit(moved, **wish)
            self.assertEqual(refused.status_code, 409)
            self.assertIn("take the bend off", refused.json()["detail"])
        # All clocks at once leave it alone, and a hand that drags it takes its ties along.
        changed = self.client.post(f"/api/projects/{moved['project_id']}/clocks", json={"use": "none"})
        self.assertEqual(changed.json(), 0)
        moved = self.edited(moved, kind="settle", by_s=0.05, reach_s=1.0)
        self.assertAlmostEqual(self.bend(moved)["ties"][3]["t_ref"], before["t_ref"] + 0.07)
        plain = self.edited(moved, kind="unbend")
        self.assertIsNone(self.bend(plain))
        self.assertEqual(plain["map"]["rate"], 1.0)

    def test_all_that_follow_at_one_order_are_one_change(self):
        project = self.filled()
        self.upload(project, "Again.wav", wav_bytes(CASE.recording * 0.3))
        self.run_jobs()
        self.match(project, "Double", "Again")
        self.run_jobs()
        self.assertTrue(all(self.recording(project, name)["map"]["bent"] for name in ("Double", "Again")))
        undone = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"})
        self.assertLess(undone.status_code, 300, undone.text)
        self.assertTrue(all(self.recording(project, name)["map"] is None for name in ("Double", "Again")))

    def test_ties_are_told_and_set_as_they_are_heard_with_the_push(self):
        double = self.matched()
        before = self.bend(double)["ties"][5]
        pushed = self.edited(double, kind="push", push_s=0.03)
        tie = self.bend(pushed)["ties"][5]
        self.assertAlmostEqual(tie["lies_s"], before["lies_s"] + 0.03)
        self.assertAlmostEqual(tie["late_ms"], before["late_ms"], places=6)
        moved = self.edited(pushed, kind="tie", index=5, t_ref=tie["lies_s"] + 0.004, t_rec=tie["t_rec"])
        self.assertAlmostEqual(self.bend(moved)["ties"][5]["t_ref"], tie["lies_s"] + 0.004)
        self.assertEqual(moved["map"]["push_ms"], 30.0)

    def test_what_cannot_be_followed_says_why(self):
        project = self.filled()
        self.match(project, "Stranger")
        self.run_jobs()
        works = self.project(project)["works"]
        self.assertEqual(
            [work["message"] for work in works if work["kind"] == "match"],
            ["Nothing in it is enough like the reference to follow it."],
        )
        self.assertIsNone(self.recording(project, "Stranger")["map"])
        desk = self.recording(project, "Desk")
        refused = self.client.post(f"/api/projects/{project['id']}/matches", json={"recording_ids": [desk["id"]]})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("all others follow it", refused.json()["detail"])
        stranger = self.recording(project, "Stranger")
        self.edited(stranger, kind="move", offset_s=1.0)
        refused = self.edit(self.recording(project, "Stranger"), kind="remove-ties", indices=[0])
        self.assertIn("not bent", refused.json()["detail"])

    def test_members_of_a_set_get_the_identical_map(self):
        project = self.new_project()
        second = wav_bytes(CASE.recording * 0.2)
        for name, body in {**self.files, "Second.wav": second}.items():
            self.upload(project, name, body)
        self.run_jobs()
        desk = self.recording(project, "Desk")
        self.client.patch(
            f"/api/projects/{project['id']}", json={"version": project["version"], "reference_id": desk["id"]}
        )
        pair = [self.recording(project, name)["id"] for name in ("Double", "Second")]
        tied = self.client.post(
            f"/api/projects/{project['id']}/sets", json={"recording_ids": pair, "one_after_another": False}
        )
        self.assertLess(tied.status_code, 300, tied.text)
        self.match(project, "Double")
        self.run_jobs()
        moments = np.linspace(1.0, 6.0, 40)
        maps = [self.lands(self.recording(project, name), moments) for name in ("Double", "Second")]
        np.testing.assert_allclose(maps[0], maps[1], atol=1e-9)
        # Never one by one: the other is moved by the one that is bent.
        refused = self.edit(self.recording(project, "Second"), kind="nudge", by_s=0.01)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("that is bent", refused.json()["detail"])
        self.edited(self.recording(project, "Double"), kind="nudge", by_s=0.01)
        moved = self.lands(self.recording(project, "Second"), moments)
        np.testing.assert_allclose(moved, maps[1] + 0.01, atol=1e-9)


class RepeatingTest(ApiCase):
    """Music of which every bar is the same to the sample, and a phone that heard three bars of it."""

    BAR = music_pair(4001, "struck", "plucked").reference[: 4 * RATE_HZ] * 0.3
    files: ClassVar = {
        "Desk.wav": wav_bytes(np.tile(BAR, 8)),
        "Phone.wav": wav_bytes(with_noise(in_room(np.tile(BAR, 3), 79), 10.0, 78)),
    }

    def test_what_fits_in_several_places_is_not_called_another_performance(self):
        project = self.placed()
        phone = self.recording(project, "Phone")
        self.assertEqual(phone["status"], "unsure")
        self.assertGreater(len(phone["judgement"]["candidates"]), 3)
        self.assertFalse(phone["performs"])
