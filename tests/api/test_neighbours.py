"""Recordings that overlap one another but not the reference find their places through each other."""

from typing import ClassVar

from tests.api.case import ApiCase
from tests.files import wav_bytes
from tests.signals import RATE_HZ, busy, clocked, with_noise

EVENT = busy(110.0, 180)


def taken(start_s: float, end_s: float, seed: int, rate: float = 1.0) -> bytes:
    return wav_bytes(clocked(with_noise(EVENT, 15.0, seed), start_s, rate, end_s - start_s))


class NeighboursTest(ApiCase):
    #: In the order in which they are looked for: who has to wait for others comes first.
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT[: 40 * RATE_HZ]),
        "Far.wav": taken(72.0, 105.0, 183, 0.99998),
        "Middle.wav": taken(50.0, 85.0, 182, 1.00003),
        "Near.wav": taken(20.0, 65.0, 181, 1.00001),
        "Stray.wav": wav_bytes(busy(30.0, 184)),
    }

    def test_who_does_not_meet_the_reference_is_placed_through_those_who_do(self):
        project = self.placed()
        found = {one["name"]: one for one in project["recordings"]}
        self.assertEqual(
            {name: one["status"] for name, one in found.items() if name != "Desk"},
            {"Near": "placed", "Middle": "placed", "Far": "placed", "Stray": "unplaced"},
        )
        for name, offset_s in (("Near", 20.0), ("Middle", 50.0), ("Far", 72.0)):
            self.assertAlmostEqual(found[name]["map"]["offset_s"], offset_s, delta=1e-3)
            # All of it has a place, not only what another has heard.
            pieces, duration_s = found[name]["map"]["pieces"], found[name]["media"]["duration_s"]
            self.assertAlmostEqual(pieces[0][0][1], 0.0, delta=1e-6)
            self.assertAlmostEqual(pieces[-1][-1][1], duration_s, delta=1e-6)
        notes = {note["code"]: note["message"] for note in found["Far"]["judgement"]["notes"]}
        self.assertIn("Placed through Near and Middle, to about ", notes["through-neighbours"])
        self.assertIn("found through Near and Middle", found["Far"]["sentence"])
        self.assertNotIn("contradiction", notes)
        # Looked for again it is not compared again with whom it was compared, and stays out.
        self.client.post(f"/api/projects/{project['id']}/alignments", json={"recording_ids": [found["Stray"]["id"]]})
        self.run_jobs()
        self.assertEqual(self.recording(project, "Stray")["status"], "unplaced")
        self.assertEqual(self.recording(project, "Far")["map"], found["Far"]["map"])
        # One order of the person, one step back.
        self.assertEqual(project["undo"], "3 recordings: placed by sound")
        undone = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"}).json()
        self.assertEqual({one["map"] for one in undone["recordings"]}, {None})


class DoubtTest(ApiCase):
    """A jingle that is played twice ties a clip to another: what comes in later shows that it is not of that moment."""

    LATER = with_noise(busy(36.0, 188), 20.0, 189)
    LATER[: 16 * RATE_HZ] = EVENT[50 * RATE_HZ : 66 * RATE_HZ]
    files: ClassVar[dict[str, bytes]] = {
        "Desk.wav": wav_bytes(EVENT[: 40 * RATE_HZ]),
        "Near.wav": taken(20.0, 66.0, 185),
        "Jingle.wav": wav_bytes(LATER),
    }

    def test_a_place_through_others_is_in_doubt_once_what_should_sound_like_it_does_not(self):
        project = self.placed()
        jingle = self.recording(project, "Jingle")
        self.assertEqual(jingle["status"], "placed")
        self.assertIn("found through Near", jingle["sentence"])
        self.assertAlmostEqual(jingle["map"]["offset_s"], 50.0, delta=0.05)
        for name, body in {"Long.wav": taken(22.0, 100.0, 186), "Late.wav": taken(65.5, 105.0, 187)}.items():
            self.upload(project, name, body)
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.run_jobs()
        found = {one["name"]: one for one in self.project(project)["recordings"]}
        self.assertEqual((found["Near"]["status"], found["Long"]["status"]), ("placed", "placed"))
        # Which of the two is not of that moment nobody can say: both keep their place as a suggestion.
        for name, offset_s in (("Jingle", 50.0), ("Late", 65.5)):
            self.assertEqual(found[name]["status"], "unsure")
            self.assertAlmostEqual(found[name]["map"]["offset_s"], offset_s, delta=0.05)
            self.assertLessEqual(found[name]["judgement"]["confidence"], 0.5)
        # All of it was one order: one step back.
        undone = self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "undo"}).json()
        before = {one["name"]: one for one in undone["recordings"]}
        self.assertEqual((before["Jingle"]["status"], before["Late"]["map"]), ("placed", None))
        # Once others say which of the two is of that moment, the doubt clears.
        self.client.post(f"/api/projects/{project['id']}/changes", json={"kind": "redo"})
        for name, body in {"More.wav": taken(58.0, 98.0, 190), "Again.wav": taken(45.0, 90.0, 191)}.items():
            self.upload(project, name, body)
        self.client.post(f"/api/projects/{project['id']}/alignments", json={})
        self.run_jobs()
        cleared = {one["name"]: one for one in self.project(project)["recordings"]}
        self.assertEqual({cleared[name]["status"] for name in ("Late", "More", "Again")}, {"placed"})
        self.assertAlmostEqual(cleared["Late"]["map"]["offset_s"], 65.5, delta=1e-3)
        self.assertNotEqual(cleared["Jingle"]["status"], "placed")
