"""Whether the accuracy gate notices: move thresholds that decide a judgement, one at a time, and judge all pairs anew.

Run: python -m scripts.move_thresholds
"""

import importlib
import pkgutil
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context

import gullywind.core
from material.gate import GateCase, gate_case, gate_cases
from scripts.figures import line
from scripts.gate import Judged, complaints, judge

#: Module, name, and what it is moved to: far enough that judgements ought to get worse.
MOVES = (
    ("places.weigh", "LEAST_HEIGHT", 14.0),
    ("places.weigh", "RIVAL_SHARE", 2.0),
    ("places.accumulate", "REACH_S", 0.004),
    ("places.accumulate", "LINE_NATS", -1.0),
    ("places.verify", "FINE_TOLERANCE_S", 2e-7),
    ("places.find", "RIVAL_NATS", 60.0),
    ("places.speeds", "LEAST_SPEED_HEIGHT", 60.0),
    ("places.speeds", "SPEED_SHARE", 3.0),
    ("align", "PLACES", 1),
    ("places.search", "FULL_Z", 0.5),
    ("measure.correlate", "MOST_WEIGHT", 1e-6),
    ("judge.confidence", "PLACED_FROM", 0.995),
)
MADE: dict[tuple[str, int], GateCase] = {}


@contextmanager
def moved(module: str, name: str, value: float) -> Iterator[None]:
    """The constant, wherever it was imported to; defaults of arguments keep the old one."""
    old = getattr(importlib.import_module(f"gullywind.core.{module}"), name)
    users = [
        one for key, one in sys.modules.items() if key.startswith("gullywind.core") and getattr(one, name, None) is old
    ]
    for one in users:
        setattr(one, name, value)
    try:
        yield
    finally:
        for one in users:
            setattr(one, name, old)


def judged(case: tuple[str, int]) -> Judged:
    return judge(case, MADE[case])


def main() -> None:
    for found in pkgutil.walk_packages(gullywind.core.__path__, "gullywind.core."):
        # The compiled loops lie among the modules and are none.
        if not found.name.endswith("libkernels"):
            importlib.import_module(found.name)
    with ProcessPoolExecutor() as pool:
        MADE.update(zip(gate_cases(), pool.map(_made, gate_cases()), strict=True))
    for module, name, value in MOVES:
        # Forked, so that the children have the moved constant and the cases.
        with moved(module, name, value), ProcessPoolExecutor(mp_context=get_context("fork")) as pool:
            told = complaints(pool.map(judged, gate_cases()))
        line(f"{module}.{name} = {value}", f"{len(told)} complaints" if told else "not noticed", "noticed")


def _made(case: tuple[str, int]) -> GateCase:
    return gate_case(*case)


if __name__ == "__main__":
    main()
