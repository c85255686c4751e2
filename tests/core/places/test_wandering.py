import unittest

import numpy as np

from gullywind.core.align import align_recording, hear, prepare_reference
from gullywind.core.measure.evidence import Status
from gullywind.core.measure.windows import Line
from gullywind.core.places.wandering import follow_course, simplified
from gullywind.core.sound.views import Listening
from material.devices import followed
from tests.signals import RATE_HZ, busy, in_room, source, with_noise

EVENT_S, OFFSET_S, LENGTH_S = 60.0, 12.0, 30.0
EVENT = busy(EVENT_S, 71)
T_REC = np.arange(int(LENGTH_S * RATE_HZ)) / RATE_HZ


def carried(most_s: float) -> tuple[np.ndarray, np.ndarray]:
    """A recording whose delay wanders, and the reference times that it holds, s."""
    t_ref = OFFSET_S + T_REC + most_s * np.sin(2 * np.pi * T_REC / 14.0)
    return followed(with_noise(in_room(EVENT, 72), 12.0, 73), t_ref), t_ref


def view(sound: np.ndarray) -> Listening:
    return Listening(source(sound), (0,))


class WanderingTest(unittest.TestCase):
    def test_a_course_is_followed_to_a_tenth_of_a_millisecond(self):
        recording, t_ref = carried(0.005)
        course = follow_course(view(EVENT), view(-recording), Line(OFFSET_S + 0.01, 1.0))
        true = np.interp(course.t_rec, T_REC, t_ref)
        self.assertLess(float(np.median(np.abs(course.t_ref - true))), 1e-4)
        self.assertGreater(course.ratio, 1.5)
        self.assertLess(course.straight, 0.8)
        self.assertEqual(course.polarity, -1)
        self.assertAlmostEqual(course.wandered_s, 0.010, delta=0.003)

    def test_a_stranger_gains_no_more_than_chance(self):
        course = follow_course(view(EVENT), view(busy(LENGTH_S, 74)), Line(OFFSET_S, 1.0))
        self.assertLess(course.ratio, 1.25)

    def test_what_lies_on_a_line_keeps_its_gain_there(self):
        recording, _ = carried(0.0)
        course = follow_course(view(EVENT), view(recording), Line(OFFSET_S + 0.01, 1.0))
        self.assertGreater(course.straight, 0.9)
        self.assertAlmostEqual(course.line.offset_s, OFFSET_S, delta=1e-4)

    def test_it_is_placed_and_its_map_follows_it(self):
        recording, t_ref = carried(0.005)
        found = align_recording(prepare_reference(source(EVENT)), hear(source(recording)))
        self.assertEqual(found.status, Status.PLACED)
        there = found.time_map.to_reference(T_REC[::4800])
        self.assertLess(float(np.nanmedian(np.abs(there - t_ref[::4800]))), 2e-4)
        (note,) = [one for one in found.notes if one.code == "wandering"]
        self.assertRegex(note.message, r"wanders by up to \d+(\.\d)? ms, as where a distance changes by \d\.\d.m")
        self.assertLess(found.residual.median_ms, 0.3)

    def test_knots_that_say_nothing_are_left_out(self):
        t_ref = np.linspace(0, 10, 101)
        t_rec = t_ref + np.where(t_ref > 5, (t_ref - 5) * 1e-3, 0.0)
        self.assertEqual(simplified(t_ref, t_rec, within_s=1e-6), [0, 50, 100])
