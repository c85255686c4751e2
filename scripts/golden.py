"""Write the golden vectors of the time map: what Python says, for the tests of both languages to read.

Run: python -m scripts.golden [--check]
"""

import argparse
import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

from gullywind.core.maps.edits import MapEdit, Nudge, Stretch
from gullywind.core.maps.piece_edits import Slide, Trim
from gullywind.core.maps.time_map import Piece, TimeMap

FILE = Path(__file__).resolve().parent.parent / "tests" / "golden" / "time_maps.json"
DURATION_S = 100.0


def maps() -> dict[str, TimeMap]:
    """Maps of every shape: straight, bent, in pieces with gaps and overlaps, of many knots."""
    rng = np.random.default_rng(20)
    t_rec = np.linspace(0.0, 90.0, 400)
    bent = np.stack([t_rec + 5 + 0.02 * np.sin(t_rec / 3), t_rec], axis=1)
    steps = rng.uniform(0.05, 2.0, (40, 2)).cumsum(axis=0)
    return {
        "straight": TimeMap.placement(3.25, 1.0, 60.0),
        "fast": TimeMap.placement(-12.5, 1.0000381, 80.0),
        "bent": TimeMap((Piece(bent),)),
        "crooked": TimeMap((Piece(steps),)),
        "paused": TimeMap((Piece(((10.0, 0.0), (50.0, 40.0))), Piece(((52.0, 40.0), (90.0, 78.0))))),
        "overlapping": TimeMap((Piece(((0.0, 0.0), (40.0, 40.0))), Piece(((30.0, 41.0), (70.0, 81.002))))),
    }


def vectors() -> list[dict[str, Any]]:
    """Every map with moments, and moves with the maps that they make."""
    return [{"name": name, **_vector(one)} for name, one in maps().items()]


def _vector(time_map: TimeMap) -> dict[str, Any]:
    start, end = time_map.start_ref_s, time_map.end_ref_s_exclusive
    t_ref = np.linspace(start - 1, end + 1, 61)
    found = time_map.to_recording(t_ref)
    last = len(time_map.pieces) - 1
    edge = time_map.pieces[last]
    middle_s = (edge.start[0] + edge.end_exclusive[0]) / 2
    moves: list[tuple[dict[str, Any], MapEdit]] = [
        ({"kind": "shift", "byS": 1.5}, Nudge(1.5)),
        ({"kind": "stretch", "holdS": start, "atS": end, "byS": 0.25}, Stretch(start, end, 0.25)),
        ({"kind": "slide", "index": last, "byS": 0.01}, Slide(last, 0.01)),
        (
            {"kind": "trim", "index": last, "edge": "start", "tRefS": middle_s},
            Trim(last, "start", middle_s, DURATION_S),
        ),
        ({"kind": "trim", "index": last, "edge": "end", "tRefS": middle_s}, Trim(last, "end", middle_s, DURATION_S)),
    ]
    return {
        "pieces": time_map.to_json(),
        "t_ref": t_ref.tolist(),
        "t_rec": [None if np.isnan(one) else float(one) for one in found],
        "moves": [{"move": move, "pieces": edit.apply(time_map).time_map.to_json()} for move, edit in moves],
    }


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true", help="only say whether the file is as it would be written")
    text = json.dumps(vectors(), indent=None, separators=(",", ":")) + "\n"
    if parser.parse_args().check:
        return int(not FILE.exists() or FILE.read_text() != text)
    FILE.write_text(text)
    return 0


if __name__ == "__main__":
    sys.exit(main())
