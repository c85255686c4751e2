"""Claps, timecode and marks: other ways to a place than the sound as a whole."""

from typing import ClassVar

import numpy as np

from material.claps import clapped, going_on
from material.containers import with_time_reference
from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked, with_noise

EVENT = busy(60.0, 210)
CLAPS = clapped([20.0, 20.42], "hands", 60.0, np.random.default_rng(3)) * 0.12
DAY_S = 36000


def at_time(wav: bytes, start_s: float) -> bytes:
    return with_time_reference(wav, round(start_s * RATE_HZ))


def noise(seconds: float, seed: int) -> np.ndarray:
    return going_on("pink", seed, seconds) * 0.05


class WaysTest(ApiCase):
    #: In the order in which they are looked for.
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": at_time(wav_bytes(EVENT + CLAPS[: EVENT.size]), DAY_S),
        "Far.wav": at_time(wav_bytes(noise(12.0, 5)), DAY_S + 40.0),
        "Phone.wav": wav_bytes((noise(30.0, 6) + CLAPS[: 30 * RATE_HZ])[5 * RATE_HZ :]),
        "Camera.wav": at_time(wav_bytes(clocked(with_noise(EVENT, 20.0, 7), 8.0, 1.0, 40.0)), DAY_S + 8.01),
        "Late.wav": at_time(wav_bytes(clocked(with_noise(EVENT, 20.0, 8), 10.0, 1.0, 40.0)), DAY_S + 3610.0),
    }

    def notes(self, recording: dict) -> dict:
        return {note["code"]: note["message"] for note in recording["judgement"]["notes"]}

    def test_claps_and_timecode_place_what_the_sound_does_not(self):
        project = self.placed()
        found = {one["name"]: one for one in project["recordings"]}
        phone = found["Phone"]
        self.assertEqual(phone["status"], "placed")
        self.assertAlmostEqual(phone["map"]["offset_s"], 5.0, delta=0.001)
        self.assertIn("Placed by 2 sharp sounds", self.notes(phone)["by-claps"])
        # Once the camera's timecode was right, that of the others is trusted, also of who was looked for before.
        far = found["Far"]
        self.assertEqual((far["status"], far["map"]["offset_s"]), ("placed", 40.0))
        self.assertIn("Placed by its timecode, 10:00:40:00", self.notes(far)["by-timecode"])
        # What was measured along another way's place is no proof of this one: there is nothing alike to measure here.
        self.assertTrue(far["proof"]["current"])
        self.assertIsNone(far["proof"]["median_ms"])
        self.assertIn("exactly 1 hour later", self.notes(found["Late"])["timecode-disagrees"])
        codes = self.client.get(f"/api/recordings/{found['Late']['id']}/timecodes").json()
        self.assertEqual(
            codes, [{"source": "bwf", "start": "11:00:10:00", "rate": "25", "offset_s": 3610.0, "agrees": False}]
        )
        (camera,) = self.client.get(f"/api/recordings/{found['Camera']['id']}/timecodes").json()
        self.assertTrue(camera["agrees"])
        # One order is one change, however each was found.
        undone = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"}).json()
        self.assertEqual([one["map"] for one in undone["recordings"]], [None] * 5)


class MarksTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(noise(30.0, 11) + CLAPS[: 30 * RATE_HZ]),
        "Phone.wav": wav_bytes((noise(30.0, 12) + CLAPS[: 30 * RATE_HZ])[5 * RATE_HZ :]),
    }

    def edit(self, recording: dict, **edit: object):
        body = {"version": recording["version"], **edit}
        return self.client.post(f"/api/recordings/{recording['id']}/map-edits", json=body)

    def test_marks_are_found_put_named_and_made_one_moment(self):
        project = self.filled()
        desk, phone = self.recording(project, "Desk"), self.recording(project, "Phone")
        listed = {
            one["recording_id"]: one["marks"] for one in self.client.get(f"/api/projects/{project['id']}/marks").json()
        }
        self.assertEqual(set(listed), {desk["id"], phone["id"]})
        found = [mark["t_rec"] for mark in listed[phone["id"]] if mark["certainty"] is not None]
        self.assertTrue(any(abs(t - 15.0) < 0.003 for t in found), found)
        put = self.client.post(f"/api/recordings/{phone['id']}/marks", json={"t_rec": 15.0, "name": " clap "})
        self.assertEqual((put.status_code, put.json()["name"]), (201, "clap"))
        mark = put.json()["id"]
        self.assertEqual(self.client.patch(f"/api/marks/{mark}", json={"name": "slate"}).json()["name"], "slate")
        beyond = self.client.post(f"/api/recordings/{phone['id']}/marks", json={"t_rec": 99.0})
        self.assertEqual(beyond.status_code, 422)
        self.assertIn("A mark must lie within the recording", beyond.json()["detail"])
        # Without a place it gets one: its mark is that moment of the reference.
        met = self.edit(phone, kind="meet", t_rec=15.0, t_ref=20.0).json()
        self.assertAlmostEqual(met["map"]["offset_s"], 5.0, delta=1e-9)
        self.assertIn("placed by hand: its 15.000 s set to the reference's 20.000 s", met["sentence"])
        again = self.edit(met, kind="meet", t_rec=15.0, t_ref=21.5).json()
        self.assertEqual(
            (again["map"]["offset_s"], again["undo"]), (6.5, "its 15.000 s set to the reference's 21.500 s")
        )
        self.assertEqual(self.edit(again, kind="undo").json()["map"], met["map"])
        self.assertEqual(self.client.delete(f"/api/marks/{mark}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/marks/{mark}").status_code, 404)


class SetAsideTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(busy(40.0, 230)),
        "Stray.wav": wav_bytes(busy(20.0, 231)),
        "Near.wav": wav_bytes(clocked(busy(40.0, 230), 6.0, 1.0, 20.0)),
    }

    def edit(self, recording: dict, **edit: object):
        body = {"version": recording["version"], **edit}
        return self.client.post(f"/api/recordings/{recording['id']}/map-edits", json=body)

    def test_what_does_not_belong_stays_so_whatever_is_looked_for(self):
        project = self.placed()
        aside = self.edit(self.recording(project, "Stray"), kind="set-aside", aside=True).json()
        self.assertEqual((aside["status"], aside["set_aside"]), ("unplaced", True))
        self.assertIn("as you said", aside["sentence"])
        near = self.edit(self.recording(project, "Near"), kind="set-aside", aside=True).json()
        self.assertEqual((near["map"], near["set_aside"]), (None, True))
        for name in ("Near", "Desk"):
            reference = self.recording(project, name)
            now = self.project(project)
            body = {"version": now["version"], "reference_id": reference["id"]}
            self.assertEqual(self.client.patch(f"/api/projects/{project['id']}", json=body).status_code, 200)
        self.assertTrue(self.recording(project, "Near")["set_aside"])
        # A person who moves it there themselves has changed their mind.
        back = self.edit(self.recording(project, "Near"), kind="move", offset_s=6.0).json()
        self.assertEqual((back["status"], back["set_aside"]), ("placed", False))
        may = self.edit(self.recording(project, "Stray"), kind="set-aside", aside=False).json()
        self.assertFalse(may["set_aside"])


class SettleTest(ApiCase):
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(busy(40.0, 240)),
        "Near.wav": wav_bytes(with_noise(clocked(busy(40.0, 240), 6.0, 1.0, 20.0), 12.0, 241)),
    }

    def test_a_strip_settles_where_it_sounds_alike_within_reach_and_else_lies_where_it_was_put(self):
        project = self.placed()
        near = self.recording(project, "Near")
        far = self.edit(near, kind="nudge", by_s=2.4).json()
        left = self.edit(far, kind="settle", by_s=-0.4, reach_s=0.05).json()
        self.assertAlmostEqual(left["map"]["offset_s"], 8.0, delta=1e-4)
        self.assertIn("400 ms earlier", left["undo"])
        settled = self.edit(left, kind="settle", by_s=-1.98, reach_s=0.05).json()
        self.assertAlmostEqual(settled["map"]["offset_s"], 6.0, delta=1e-5)
        self.assertIn("settled where it sounds alike", settled["undo"])
        # Far off as well, by its match curve.
        # Drawn away and settled back: nothing was done.
        back = self.edit(settled, kind="settle", by_s=0.003, reach_s=0.05).json()
        self.assertEqual((back["map"], back["undo"]), (settled["map"], settled["undo"]))
        again = self.edit(self.edit(settled, kind="nudge", by_s=3.0).json(), kind="settle", by_s=-1.0, reach_s=5.0)
        self.assertAlmostEqual(again.json()["map"]["offset_s"], 6.0, delta=1e-5)
        refused = self.edit(again.json(), kind="settle", by_s=0.0, reach_s=60.0)
        self.assertIn("settles within 10 s", refused.json()["detail"])

    def test_what_was_set_down_by_hand_settles_though_nobody_looked_for_it(self):
        project = self.filled()
        near = self.recording(project, "Near")
        down = self.edit(near, kind="unplace").json() if near["map"] else near
        put = self.edit(down if "version" in down else near, kind="move", offset_s=6.03).json()
        settled = self.edit(put, kind="settle", by_s=0.0, reach_s=0.05).json()
        self.assertAlmostEqual(settled["map"]["offset_s"], 6.0, delta=1e-5)
