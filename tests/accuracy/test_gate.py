"""The accuracy gate: rates on 60 generated pairs of a family that nothing was tuned on (`material/gate.py`)."""

import unittest

from material.gate import KINDS, STRANGERS
from scripts.gate import complaints, run_gate


class GateTest(unittest.TestCase):
    def test_sixty_pairs_are_judged_as_well_as_ever(self):
        rows = run_gate()
        self.assertEqual(len(rows), sum(KINDS.values()))
        self.assertEqual(sum(one.kind in STRANGERS and one.status == "placed" for one in rows), 0)
        self.assertEqual(complaints(rows), [])


if __name__ == "__main__":
    unittest.main()
