import unittest

import numpy as np

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.breaks.find import find_breaks
from gullywind.core.measure.evidence import Status
from gullywind.core.measure.windows import Line
from tests.signals import RATE_HZ, busy, clocked, in_room, source, with_noise

RATE = 1.00003


class BreaksTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.event = busy(200.0, 91)
        cls.prepared = prepare_reference(source(cls.event))
        heard = with_noise(in_room(cls.event, 7), 12.0, 8)
        cls.taken = clocked(heard, 10.0, RATE, 170.0)

    def broken(self, *breaks: tuple[float, float]) -> np.ndarray:
        """The recording with `(t_rec, lost_s)` cut out, or silence put in where `lost_s` is negative."""
        parts, last = [], 0
        for at_s, lost_s in breaks:
            cut = int(at_s * RATE_HZ)
            parts.append(self.taken[last:cut])
            if lost_s > 0:
                last = cut + int(lost_s * RATE_HZ)
            else:
                parts.append(np.zeros(int(-lost_s * RATE_HZ)))
                last = cut
        return np.concatenate([*parts, self.taken[last:]])

    def align(self, sound: np.ndarray):
        return align_recording(self.prepared, hear(source(sound)))

    def test_no_break_where_there_is_none(self):
        result = self.align(self.taken)
        self.assertEqual(len(result.time_map.pieces), 1)
        self.assertNotIn("break", [note.code for note in result.notes])

    def test_where_no_window_is_alike_there_is_no_break_and_no_fault(self):
        tone = 0.1 * np.sin(2 * np.pi * 440 * np.arange(5 * RATE_HZ) / RATE_HZ)
        other = hear(source(tone))[0]
        ours = self.prepared.heard[0]
        found = find_breaks((ours.view, ours.features), (other.view, other.features), Line(30.0, 1.0))
        self.assertIsNone(found)

    def test_two_talkers_at_different_distances_are_no_breaks(self):
        # 3 m between the microphones: whoever speaks, one of the two hears it up to 9 ms later.
        turns = (np.arange(self.event.size) // (9 * RATE_HZ)) % 2 == 0
        first, second = np.where(turns, self.event, 0.0), np.where(turns, 0.0, self.event)
        late = np.roll(first, int(0.004 * RATE_HZ)) + np.roll(second, -int(0.004 * RATE_HZ))
        result = self.align(clocked(with_noise(late, 15.0, 9), 10.0, RATE, 170.0))
        self.assertEqual(len(result.time_map.pieces), 1)
        self.assertLess(abs(result.time_map.offset_s - 10.0), 0.005)

    def test_pauses_from_a_moment_to_half_a_minute(self):
        for lost_s in (0.02, 0.3, 1.7, 28.0):
            with self.subTest(lost_s=lost_s):
                result = self.align(self.broken((70.0, lost_s)))
                self.assertEqual((result.status, len(result.time_map.pieces)), (Status.PLACED, 2))
                before, after = result.time_map.pieces
                gap_s = after.start[0] - before.end_exclusive[0]
                self.assertAlmostEqual(gap_s, lost_s / RATE, delta=1e-4)
                self.assertAlmostEqual(before.end_exclusive[1], 70.0, delta=0.3)
                self.assertAlmostEqual(result.time_map.clock_ppm, 30.0, delta=0.5)
                self.assertIn("break", [note.code for note in result.notes])

    def test_several_pauses(self):
        result = self.align(self.broken((40.0, 0.5), (90.0, 2.0), (130.0, 0.08)))
        gaps = [
            b.start[0] - a.end_exclusive[0]
            for a, b in zip(result.time_map.pieces, result.time_map.pieces[1:], strict=False)
        ]
        np.testing.assert_allclose(gaps, [0.5, 2.0, 0.08], atol=2e-4)

    def test_of_a_block_that_was_written_twice_the_first_copy_is_kept(self):
        cut, block = int(80 * RATE_HZ), int(4 * RATE_HZ)
        twice = np.concatenate([self.taken[:cut], self.taken[cut - block : cut], self.taken[cut:]])
        before, after = self.align(twice).time_map.pieces
        self.assertAlmostEqual(before.end_exclusive[1], 80.0, delta=0.3)
        self.assertAlmostEqual(after.start[1] - before.end_exclusive[1], 4.0, delta=1e-3)

    def test_inserted_silence_is_left_out(self):
        result = self.align(self.broken((80.0, -1.2)))
        before, after = result.time_map.pieces
        self.assertAlmostEqual(after.start[1] - before.end_exclusive[1], 1.2, delta=1e-3)
        self.assertAlmostEqual(after.start[0], before.end_exclusive[0], delta=1e-3)


class RepeatingTest(unittest.TestCase):
    """Sections that come again to the sample, recorded from before the reference began or until after it ended."""

    @classmethod
    def setUpClass(cls):
        verse, refrain, bridge, end = (
            busy(length_s, seed) for length_s, seed in ((19, 81), (16, 82), (23, 83), (14, 84))
        )
        cls.event = np.concatenate([refrain, verse, refrain, bridge, verse, refrain, refrain, end, verse])

    def placed(self, reference: np.ndarray, recording: np.ndarray):
        return align_recording(prepare_reference(source(reference)), hear(source(recording)))

    def part(self, start_s: float, end_s: float) -> np.ndarray:
        return self.event[int(start_s * RATE_HZ) : int(end_s * RATE_HZ)]

    def test_a_head_outside_the_reference_is_outside(self):
        found = self.placed(self.part(16, 140), self.part(0, 120))
        self.assertEqual(found.status, Status.PLACED)
        self.assertEqual([len(found.time_map.pieces), found.time_map.offset_s], [1, -16.0])

    def test_a_tail_outside_the_reference_is_outside(self):
        found = self.placed(self.part(0, 108), self.part(20, 150))
        self.assertEqual(found.status, Status.PLACED)
        self.assertEqual([len(found.time_map.pieces), found.time_map.offset_s], [1, 20.0])

    def test_a_true_pause_is_found_beside_a_head_outside(self):
        paused = np.concatenate([self.part(0, 70.0), self.part(70.75, 130)])
        found = self.placed(self.part(16, 150), paused)
        self.assertEqual(found.status, Status.PLACED)
        first, second = found.time_map.pieces
        self.assertAlmostEqual(first.start[0], -16.0, delta=1e-4)
        self.assertAlmostEqual(second.start[0] - first.end_exclusive[0], 0.75, delta=1e-4)
        self.assertAlmostEqual(first.end_exclusive[1], 70.0, delta=0.3)
