"""Sets move as one and keep their phase; what is locked does not move at all."""

from typing import ClassVar

import numpy as np
from scipy.ndimage import shift

from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked

EVENT = busy(60.0, 410)
#: The pair of microphones begins at 12.25 s, the right one hears 1.25 ms later and is inverted.
STARTS_S, LATE_S = 12.25, 0.00125
HISS = np.random.default_rng(411).standard_normal((2, 30 * RATE_HZ)) * 3e-4
LEFT = clocked(EVENT, STARTS_S, 1.00002, 30.0) + HISS[0]
RIGHT = -shift(LEFT, LATE_S * RATE_HZ, order=5) + HISS[1]
PARTS = clocked(EVENT, 8.0, 1.0, 40.0)


class SetCase(ApiCase):
    def sets(self, project: dict) -> dict:
        return self.client.get(f"/api/projects/{project['id']}/sets").json()

    def tie(self, project: dict, *names: str, one_after_another: bool = False):
        ids = [self.recording(project, name)["id"] for name in names]
        body = {"recording_ids": ids, "one_after_another": one_after_another}
        return self.client.post(f"/api/projects/{project['id']}/sets", json=body)

    def step(self, project: dict, kind: str) -> dict:
        return self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": kind}).json()

    def lies(self, project: dict, name: str) -> list:
        return self.recording(project, name)["map"]["pieces"]


class SetsTest(SetCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Stage left.wav": wav_bytes(LEFT),
        "Stage right.wav": wav_bytes(RIGHT),
        "Other.wav": wav_bytes(clocked(EVENT, 3.0, 1.0, 20.0)),
    }

    def test_microphones_of_one_recorder_are_offered_and_a_refusal_stays(self):
        project = self.filled()
        (offer,) = self.sets(project)["offered"]
        self.assertEqual(offer["words"], "Stage left, Stage right: microphones of one recorder?")
        path = f"/api/projects/{project['id']}/no-sets"
        self.assertEqual(self.client.post(path, json={"recording_ids": offer["recording_ids"]}).status_code, 204)
        self.assertEqual(self.sets(project), {"sets": [], "offered": []})

    def test_they_move_as_one_and_one_step_takes_it_back(self):
        project = self.placed()
        before = self.lies(project, "Stage right")
        # Found one by one, the other lies elsewhere by what it hears later.
        self.assertAlmostEqual(self.lies(project, "Stage left")[0][0][0] - before[0][0][0], LATE_S, delta=2e-5)
        tied = self.tie(project, "Stage left", "Stage right")
        self.assertEqual(tied.status_code, 201, tied.text)
        self.assertEqual(self.lies(project, "Stage right"), self.lies(project, "Stage left"))
        self.edit(self.recording(project, "Stage left"), kind="nudge", by_s=0.5)
        self.edit(self.recording(project, "Stage right"), kind="push", push_s=0.01)
        self.edit(self.recording(project, "Stage right"), kind="split", t_ref=20.0)
        self.assertEqual(self.lies(project, "Stage right"), self.lies(project, "Stage left"))
        self.assertEqual(len(self.lies(project, "Stage left")), 2)
        self.assertAlmostEqual(self.lies(project, "Stage left")[0][0][0], STARTS_S + 0.51, delta=1e-3)
        for _ in range(3):
            self.step(project, "undo")
        self.assertAlmostEqual(self.lies(project, "Stage left")[0][0][0], STARTS_S, delta=1e-3)
        # The tie itself is a step as well, and comes back.
        self.step(project, "undo")
        self.assertEqual(self.lies(project, "Stage right"), before)
        self.assertEqual(self.sets(project)["sets"], [])
        self.step(project, "redo")
        self.assertEqual(len(self.sets(project)["sets"]), 1)
        self.assertEqual(self.lies(project, "Stage right"), self.lies(project, "Stage left"))

    def test_how_they_sound_stays_their_own(self):
        project = self.placed()
        self.tie(project, "Stage left", "Stage right")
        self.edit(self.recording(project, "Stage left"), kind="gain", gain_db=-3)
        self.assertEqual(self.recording(project, "Stage right")["map"]["gain_db"], 0)

    def test_delay_and_polarity_inside_are_told_and_the_delay_can_be_taken_out(self):
        project = self.placed()
        set_id = self.tie(project, "Stage left", "Stage right").json()["sets"][0]["id"]
        first, second = self.client.get(f"/api/projects/{project['id']}/sets/{set_id}/inside").json()
        self.assertEqual(first["words"], "what the others are told against")
        self.assertAlmostEqual(second["late_s"], LATE_S, delta=2e-6)
        self.assertTrue(second["inverted"])
        words = "hears 1.250 ms, 60.0 samples, 0.4"
        self.assertIn(words, second["words"])
        self.assertIn("later than Stage left, inverted against Stage left", second["words"])
        right = self.recording(project, "Stage right")
        self.edit(right, kind="correct-in-set", corrected_s=second["late_s"])
        offset_s = [self.lies(project, name)[0][0][0] for name in ("Stage left", "Stage right")]
        self.assertAlmostEqual(offset_s[0] - offset_s[1], LATE_S, delta=2e-6)
        # It stays so wherever the set goes, and off is as recorded.
        self.edit(self.recording(project, "Stage left"), kind="move", offset_s=2.0)
        self.assertAlmostEqual(2.0 - self.lies(project, "Stage right")[0][0][0], LATE_S, delta=2e-6)
        self.edit(self.recording(project, "Stage right"), kind="correct-in-set", corrected_s=0.0)
        self.assertEqual(self.lies(project, "Stage right"), self.lies(project, "Stage left"))
        refused = self.edit(self.recording(project, "Stage right"), kind="correct-in-set", corrected_s=1.0)
        self.assertIn("30 ms at most", refused.json()["detail"])

    def test_a_set_taken_apart_stays_where_it_lies(self):
        project = self.placed()
        set_id = self.tie(project, "Stage left", "Stage right").json()["sets"][0]["id"]
        lay = self.lies(project, "Stage right")
        self.assertEqual(self.client.delete(f"/api/projects/{project['id']}/sets/{set_id}").json()["sets"], [])
        self.edit(self.recording(project, "Stage left"), kind="nudge", by_s=0.5)
        self.assertEqual(self.lies(project, "Stage right"), lay)
        self.assertEqual(self.client.delete(f"/api/projects/{project['id']}/sets/{set_id}").status_code, 404)

    def test_the_set_of_the_reference_lies_with_it_and_does_not_move(self):
        project = self.placed()
        self.tie(project, "Desk", "Other")
        self.assertEqual(self.lies(project, "Other")[0][0], [0.0, 0.0])
        refused = self.edit(self.recording(project, "Other"), kind="nudge", by_s=0.1)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("and that is the reference", refused.json()["detail"])

    def test_nonsense_is_refused_in_words(self):
        project = self.placed()
        self.tie(project, "Stage left", "Stage right")
        again = self.tie(project, "Stage left", "Other")
        self.assertIn("Stage left is in a set already", again.json()["detail"])
        other = self.recording(project, "Other")["id"]
        alone = self.client.post(f"/api/projects/{project['id']}/sets", json={"recording_ids": [other, other]})
        self.assertIn("two or more recordings of one project", alone.json()["detail"])
        none = self.edit(self.recording(project, "Other"), kind="correct-in-set", corrected_s=0.001)
        self.assertIn("in no set", none.json()["detail"])

    def test_another_reference_keeps_sets_together(self):
        project = self.placed()
        self.tie(project, "Stage left", "Stage right")
        now = self.project(project)
        body = {"version": now["version"], "reference_id": self.recording(project, "Other")["id"]}
        self.assertEqual(self.client.patch(f"/api/projects/{project['id']}", json=body).status_code, 200)
        self.assertAlmostEqual(self.lies(project, "Stage left")[0][0][0], STARTS_S - 3.0, delta=1e-3)
        self.assertEqual(self.lies(project, "Stage right"), self.lies(project, "Stage left"))


class FoundLaterTest(SetCase):
    #: Of other contents: what is known of two files is known in every project.
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Stage left.wav": wav_bytes(LEFT * 0.9),
        "Stage right.wav": wav_bytes(RIGHT * 0.9),
    }

    def test_who_is_found_later_finds_the_place_for_all(self):
        project = self.filled()
        self.tie(project, "Stage left", "Stage right")
        left = self.recording(project, "Stage left")["id"]
        self.client.post(f"/api/projects/{project['id']}/alignments", json={"recording_ids": [left]})
        self.run_jobs()
        rows = [self.recording(project, name) for name in ("Stage left", "Stage right")]
        self.assertEqual([one["status"] for one in rows], ["placed", "placed"])
        self.assertEqual(rows[0]["map"]["pieces"], rows[1]["map"]["pieces"])
        told = [note["code"] for one in rows for note in one["judgement"]["notes"]]
        self.assertEqual(told.count("with-its-set"), 1)


class SplitFileTest(SetCase):
    """The parts of one recorder's file follow each other to the sample."""

    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Take_1.wav": wav_bytes(PARTS[: 15 * RATE_HZ]),
        "Take_2.wav": wav_bytes(PARTS[15 * RATE_HZ : 30 * RATE_HZ]),
        "Take_3.wav": wav_bytes(PARTS[30 * RATE_HZ :]),
    }

    def test_parts_are_offered_in_their_order_and_join_to_the_sample(self):
        project = self.filled()
        (offer,) = self.sets(project)["offered"]
        self.assertTrue(offer["one_after_another"])
        self.assertIn("Take_1, Take_2, Take_3: the parts of one recording?", offer["words"])
        self.tie(project, "Take_1", "Take_2", "Take_3", one_after_another=True)
        self.client.post(
            f"/api/projects/{project['id']}/alignments",
            json={"recording_ids": [self.recording(project, "Take_2")["id"]]},
        )
        self.run_jobs()
        maps = [self.lies(project, f"Take_{k}")[0] for k in (1, 2, 3)]
        for before, after in ((maps[0], maps[1]), (maps[1], maps[2])):
            self.assertAlmostEqual(before[-1][0], after[0][0], delta=1e-9)
        self.assertAlmostEqual(maps[0][0][0], 8.0, delta=1e-5)
        # Cut one and the others stay whole.
        self.edit(self.recording(project, "Take_2"), kind="trim", index=0, edge="end", t_ref=30.0)
        self.assertEqual([len(self.lies(project, f"Take_{k}")) for k in (1, 2, 3)], [1, 1, 1])
        self.assertAlmostEqual(self.lies(project, "Take_3")[0][0][0], maps[2][0][0], delta=1e-9)


class LockTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT),
        "Stage left.wav": wav_bytes(LEFT),
        "Stage right.wav": wav_bytes(RIGHT),
    }

    def test_what_is_locked_refuses_every_edit_and_says_so(self):
        project = self.placed()
        left = self.recording(project, "Stage left")
        locked = self.edit(left, kind="lock", locked=True).json()
        self.assertTrue(locked["locked"])
        for wish in (
            {"kind": "nudge", "by_s": 0.1},
            {"kind": "gain", "gain_db": 1},
            {"kind": "unplace"},
            {"kind": "undo"},
            {"kind": "take", "index": 0},
        ):
            refused = self.edit(locked, **wish)
            self.assertEqual(refused.status_code, 409, wish)
            self.assertIn("locked: unlock it before it is changed", refused.json()["detail"])
        self.assertEqual(self.recording(project, "Stage left")["map"], left["map"])
        # A step back of all that touches it too.
        back = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"})
        self.assertIn("touches Stage left, which is locked", back.json()["detail"])
        unlocked = self.edit(locked, kind="lock", locked=False).json()
        self.assertEqual(self.edit(unlocked, kind="nudge", by_s=0.1).status_code, 200)

    def test_a_set_is_locked_whole(self):
        project = self.placed()
        ids = [self.recording(project, name)["id"] for name in ("Stage left", "Stage right")]
        self.client.post(f"/api/projects/{project['id']}/sets", json={"recording_ids": ids})
        self.edit(self.recording(project, "Stage left"), kind="lock", locked=True)
        self.assertTrue(self.recording(project, "Stage right")["locked"])

    def test_levels_and_clocks_of_all_leave_it(self):
        project = self.placed()
        locked = self.edit(self.recording(project, "Stage left"), kind="lock", locked=True).json()
        self.client.post(f"/api/projects/{project['id']}/levels", json={"target_lufs": -30})
        self.client.post(f"/api/projects/{project['id']}/clocks", json={"use": "none"})
        self.assertEqual(self.recording(project, "Stage left")["map"], locked["map"])
        self.assertNotEqual(self.recording(project, "Stage right")["map"]["gain_db"], 0)
