import json
import unittest

import numpy as np

from gullywind.core.maps.time_map import TimeMap
from scripts.golden import FILE, vectors


class GoldenTest(unittest.TestCase):
    """The vectors that the interface's tests read as well: both languages say the same of a map."""

    def test_maps_and_moves_are_as_they_were_written(self):
        written = json.loads(FILE.read_text())
        made = vectors()
        self.assertEqual([one["name"] for one in made], [one["name"] for one in written])
        for one, other in zip(made, written, strict=True):
            with self.subTest(name=one["name"]):
                np.testing.assert_allclose(np.array(one["t_rec"], float), np.array(other["t_rec"], float), atol=1e-9)
                for move, stored in zip(one["moves"], other["moves"], strict=True):
                    self.assertEqual(move["move"]["kind"], stored["move"]["kind"])
                    for piece, knots in zip(TimeMap.from_json(move["pieces"]).pieces, stored["pieces"], strict=True):
                        np.testing.assert_allclose(piece.knots, knots, atol=1e-9)
