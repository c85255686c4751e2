"""What noise covers is held evenly, what is missing is not."""

import unittest

import numpy as np

from gullywind.core.measure.unevenness import unevenness
from gullywind.core.sound.views import Listening
from tests.signals import RATE_HZ, busy, in_room, source, with_noise

SECONDS = 24.0
DRUM, LEAD, OTHER = busy(SECONDS, 61), busy(SECONDS, 62), busy(SECONDS, 63)


def uneven(reference: np.ndarray, recording: np.ndarray) -> float:
    views = Listening(source(reference), (0,)), Listening(source(recording), (0,))
    return unevenness(*views, lambda t: t, 0.0, SECONDS)


class UnevennessTest(unittest.TestCase):
    def test_a_room_and_noise_leave_it_even_at_any_level(self) -> None:
        event = DRUM + LEAD
        for snr_db in (20.0, 0.0, -10.0):
            self.assertLess(uneven(event, with_noise(in_room(event, 64), snr_db, 65)), 0.03, snr_db)

    def test_a_device_that_follows_the_level_slowly_does_as_well(self) -> None:
        event = DRUM + LEAD
        slow = np.interp(np.arange(event.size), np.arange(0, event.size, 4 * RATE_HZ), [1, 0.6, 1.3, 0.8, 1.4, 0.7])
        self.assertLess(uneven(event, event * slow), 0.1)

    def test_another_lead_over_the_same_drum_does_not(self) -> None:
        self.assertGreater(uneven(DRUM + LEAD, DRUM + OTHER), 0.3)
        self.assertGreater(uneven(DRUM + LEAD, with_noise(DRUM + OTHER, 5.0, 66)), 0.3)

    def test_nor_does_the_drum_alone(self) -> None:
        self.assertGreater(uneven(DRUM + LEAD, DRUM), 0.3)

    def test_nothing_is_said_of_silence_and_of_a_moment(self) -> None:
        self.assertEqual(uneven(DRUM, np.zeros(DRUM.size)), 0.0)
        views = Listening(source(DRUM), (0,)), Listening(source(DRUM), (0,))
        self.assertEqual(unevenness(*views, lambda t: t, 3.0, 3.2), 0.0)


if __name__ == "__main__":
    unittest.main()
