"""What the command line makes of places that neighbours speak for, and against."""

import unittest
from itertools import pairwise
from pathlib import Path

from gullywind.actions.place.tie_files import REFERENCE, with_places
from gullywind.core.ground.words import Note
from gullywind.core.judge.loops import Contradiction
from gullywind.core.judge.placing import Drawn, Known
from gullywind.core.maps.time_map import TimeMap
from gullywind.core.measure.evidence import Alignment, Status, Way
from gullywind.formats.result_json import RecordingResult

PATHS = [Path("Near.wav"), Path("Jingle.wav")]


def judged(offset_s: float | None, confidence: float, *notes: Note) -> RecordingResult:
    """A recording by its own sound."""
    status = Status.UNPLACED if offset_s is None else Status.PLACED
    placed = None if offset_s is None else TimeMap.placement(offset_s, 1.0, 30.0)
    return RecordingResult("Jingle.wav", None, Alignment(status, placed, 1, confidence, (), None, notes), notes)


def drawn(status: Status, offset_s: float, confidence: float, *through: str) -> Drawn:
    placed = TimeMap.placement(offset_s, 1.0, 30.0)
    chain = [REFERENCE, *through, "1"]
    way = tuple(Known(f"{a}-{b}", a, b, status, placed, 0.99) for a, b in pairwise(chain))
    return Drawn(status, placed, confidence, 1, None, way, through, direct=not through)


class WithPlacesTest(unittest.TestCase):
    def told(self, own: RecordingResult, where: Drawn) -> RecordingResult:
        near = judged(20.0, 0.99)
        return with_places([near, own], {"1": where}, [], PATHS)[1]

    def test_what_lies_there_by_its_own_sound_is_doubted_where_others_would_have_it_elsewhere_as_well(self):
        own = judged(50.0, 0.99)
        told = self.told(own, drawn(Status.UNSURE, 50.001, 0.5)).alignment
        self.assertEqual((told.status, told.confidence, told.by), (Status.UNSURE, 0.5, Way.SOUND))
        # It keeps its own place, which is the sharper one.
        self.assertEqual(told.time_map, own.alignment.time_map)

    def test_what_others_agree_with_stays_as_it_was_judged(self):
        own = judged(50.0, 0.93)
        self.assertIs(self.told(own, drawn(Status.PLACED, 50.001, 0.99)).alignment, own.alignment)

    def test_what_several_have_elsewhere_is_moved_there(self):
        told = self.told(judged(50.0, 0.99), drawn(Status.PLACED, 24.0, 0.97, "0"))
        self.assertAlmostEqual(told.alignment.time_map.offset_s, 24.0)
        self.assertEqual((told.alignment.by, told.through), (Way.NEIGHBOURS, ("Near.wav",)))
        self.assertIn("Near.wav", told.alignment.notes[0].message)

    def test_what_is_silent_keeps_its_judgement(self):
        silent = judged(None, 0.0, Note("silent", "Nothing is heard in it."))
        # Others may say nothing surely of it; that is no reason to doubt what was heard.
        self.assertIs(self.told(silent, drawn(Status.UNSURE, 0.0, 0.3)).alignment, silent.alignment)

    def test_a_pair_that_contradicts_is_named_with_both(self):
        pair = Contradiction(Known("0-1", "0", "1", Status.PLACED, TimeMap.placement(3.0, 1.0, 30.0), 0.99), 0.34)
        near, other = with_places([judged(20.0, 0.99), judged(50.0, 0.99)], {}, [pair], PATHS)
        for one in (near, other):
            self.assertEqual([note.code for note in one.notes], ["contradiction"])
            self.assertIn("Near.wav", one.notes[0].message)
            self.assertIn("Jingle.wav", one.notes[0].message)


if __name__ == "__main__":
    unittest.main()
