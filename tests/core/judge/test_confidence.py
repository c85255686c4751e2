import unittest
from dataclasses import replace

from gullywind.core.judge.confidence import confidence_of, is_repeat, status_of
from gullywind.core.measure.evidence import NO_RIVAL, Status, Support

CLEAR = Support(
    30.0,
    windows=12,
    agreeing=12,
    chance_nats=40.0,
    quality=80.0,
    score=0.8,
    explained=0.8,
    overlap_s=60.0,
    coverage=1.0,
)
STRANGER = Support(
    5.0, windows=8, agreeing=2, chance_nats=0.0, quality=5.0, score=0.02, explained=0.02, overlap_s=30.0, coverage=1.0
)


class ConfidenceTest(unittest.TestCase):
    def test_clear_places_and_strangers(self):
        self.assertGreater(confidence_of(CLEAR), 0.98)
        self.assertLess(confidence_of(STRANGER), 0.02)
        self.assertIs(status_of(confidence_of(CLEAR), CLEAR, None), Status.PLACED)
        self.assertIs(status_of(confidence_of(STRANGER), STRANGER, STRANGER), Status.UNPLACED)

    def test_more_evidence_is_never_less_sure(self):
        for change in (
            {"chance_nats": 5.0},
            {"agreeing": 6},
            {"coverage": 0.2},
            {"lead": 0.5},
            {"explained": 0.3},
        ):
            with self.subTest(change=change):
                self.assertLessEqual(confidence_of(replace(CLEAR, **change)), confidence_of(CLEAR))

    def test_clear_windows_that_lack_sound_are_less_sure_than_noisy_ones(self):
        noisy = replace(CLEAR, quality=12.0, explained=0.2)
        self.assertGreater(confidence_of(noisy), 0.9)
        self.assertLess(confidence_of(replace(noisy, quality=90.0)), confidence_of(noisy))

    def test_what_is_missing_is_no_match_and_what_is_covered_may_be_one(self):
        covered = replace(CLEAR, explained=0.1, quality=15.0)
        self.assertGreater(confidence_of(covered), 0.95)
        self.assertLess(confidence_of(replace(covered, unevenness=0.6)), 0.5)

    def test_the_whole_overlap_speaks_where_windows_are_few(self):
        few = replace(CLEAR, windows=4, agreeing=4, chance_nats=4.0, height=8.0)
        self.assertLess(confidence_of(few), 0.9)
        self.assertGreater(confidence_of(replace(few, height=25.0)), 0.99)

    def test_equal_places_are_never_placed(self):
        equal = replace(CLEAR, lead=0.0)
        self.assertLessEqual(confidence_of(equal), 0.5)
        self.assertTrue(is_repeat(equal, CLEAR))
        self.assertIs(status_of(confidence_of(equal), equal, CLEAR), Status.UNSURE)

    def test_a_sure_lead_is_no_repeat(self):
        self.assertFalse(is_repeat(replace(CLEAR, lead=5.0), CLEAR))
        self.assertFalse(is_repeat(replace(CLEAR, lead=NO_RIVAL), None))
