import ast
import unittest
from collections import defaultdict
from pathlib import Path

CORE = Path(__file__).resolve().parent.parent.parent / "gullywind" / "core"


def constants() -> dict[str, list[str]]:
    """Where each constant of the core is given its value."""
    found = defaultdict(list)
    for path in sorted(CORE.rglob("*.py")):
        for node in ast.parse(path.read_text()).body:
            for target in node.targets if isinstance(node, ast.Assign) else ():
                names = target.elts if isinstance(target, ast.Tuple) else [target]
                for name in names:
                    if isinstance(name, ast.Name) and name.id.isupper():
                        found[name.id].append(path.relative_to(CORE).as_posix())
    return found


class ConstantsTest(unittest.TestCase):
    def test_each_name_has_one_value_in_the_whole_core(self):
        found = constants()
        self.assertGreater(len(found), 200)
        self.assertEqual({name: places for name, places in found.items() if len(places) > 1}, {})
