"""Run all tests, or those named, with a PostgreSQL of their own, and the interface's; ends with `N passed, N failed`.

python -m scripts.run_tests [tests.core.measure.test_drift ...]
"""

import io
import json
import multiprocessing
import os
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path
from time import perf_counter

from scripts.cluster import Cluster, ClusterError

ROOT = Path(__file__).resolve().parent.parent
#: Tests that compare what is heard or shown with the clock, or kill the whole program, have the machine to themselves.
ALONE = ("tests.interface.test_listening", "tests.interface.test_picture", "tests.jobs.test_program")
#: Begun first, or the last of the others would wait for them.
LONGEST = ("tests.accuracy", "tests.core.bending", "tests.command_line", "tests.interface")
#: Modules of the others that run at once.
AT_ONCE = 2
#: So many of the slowest tests are named at the end.
SLOWEST = 12


@dataclass(frozen=True)
class Outcome:
    """What one module's tests, or those that were named, came to."""

    name: str
    run: int
    failed: int
    skipped: int
    #: How long each test took, s, its class's preparation with the first of them.
    took: tuple[tuple[float, str], ...]
    #: What the runner wrote.
    told: str = ""

    @property
    def passed(self) -> int:
        return self.run - self.failed - self.skipped


class TimedResult(unittest.TextTestResult):
    """Remembers how long each test took."""

    def __init__(self, *args: object, **more: object) -> None:
        super().__init__(*args, **more)  # type: ignore[arg-type]
        self.took: list[tuple[float, str]] = []
        self._since = perf_counter()

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - unittest's name
        super().stopTest(test)
        now = perf_counter()
        self.took.append((now - self._since, test.id()))
        self._since = now


def run_named(names: Sequence[str], stream: io.TextIOBase | None = None) -> Outcome:
    """The tests of these names, in this process, told on `stream`, or kept in what is returned."""
    kept = io.StringIO()
    suite = unittest.TestLoader().loadTestsFromNames(names)
    runner = unittest.TextTestRunner(verbosity=2 if stream else 1, stream=stream or kept, resultclass=TimedResult)
    result = runner.run(suite)
    assert isinstance(result, TimedResult)
    broken = [test for test, _ in [*result.failures, *result.errors]] + result.unexpectedSuccesses
    # Of a test with parts that failed, once.
    failed = len({getattr(test, "test_case", test) for test in broken})
    return Outcome(names[0], result.testsRun, failed, len(result.skipped), tuple(result.took), kept.getvalue())


def run_modules(names: Sequence[str], at_once: int) -> Iterator[Outcome]:
    """Each module's outcome as it comes; a module that takes its process with it has failed, once."""
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(at_once, mp_context=context) as pool:
        waiting: dict[Future[Outcome], str] = {pool.submit(run_named, [name]): name for name in names}
        for done in as_completed(waiting):
            error = done.exception()
            if error is None:
                yield done.result()
            else:
                yield Outcome(waiting[done], 1, 1, 0, (), f"{type(error).__name__}: {error}\n")


def modules() -> list[str]:
    """All modules of tests, the longest first."""
    paths = sorted((ROOT / "tests").rglob("test_*.py"))
    names = [".".join(path.relative_to(ROOT).with_suffix("").parts) for path in paths]
    return sorted(names, key=lambda name: not name.startswith(LONGEST))


def run_all() -> list[Outcome]:
    names = modules()
    outcomes = []
    for alone, at_once in ((False, AT_ONCE), (True, 1)):
        for outcome in run_modules([name for name in names if (name in ALONE) == alone], at_once):
            seconds = sum(took for took, _ in outcome.took)
            print(f"{outcome.name}: {outcome.passed} passed, {outcome.failed} failed, {seconds:.1f} s", flush=True)
            if outcome.failed:
                print(outcome.told, flush=True)
            outcomes.append(outcome)
    return outcomes


def interface_tests() -> tuple[int, int]:
    """The tests of the interface's pure code and stores: how many passed, how many failed."""
    with tempfile.TemporaryDirectory() as folder:
        report = Path(folder) / "report.json"
        options = ["run", "--reporter=default", "--reporter=json", f"--outputFile={report}"]
        done = subprocess.run(["npx", "--no-install", "vitest", *options], cwd=ROOT / "web", check=False)
        if not report.exists():
            return 0, 1
        told = json.loads(report.read_text())
    failed = told["numFailedTests"] + (done.returncode != 0 and told["numFailedTests"] == 0)
    return told["numPassedTests"], failed


def main() -> int:
    # The libraries' own threads would fight over two cores with the tests' processes.
    os.environ.setdefault("OMP_NUM_THREADS", "1")
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    cluster = Cluster(ROOT / ".local" / "test-postgres", makes_databases=True)
    try:
        cluster.start()
    except ClusterError as error:
        print(error, file=sys.stderr)
        print("0 passed, 1 failed")
        return 1
    os.environ["GULLYWIND_TEST_DATABASE"] = cluster.url("{name}")
    names = sys.argv[1:]
    try:
        outcomes = [run_named(names, sys.stdout)] if names else run_all()  # type: ignore[arg-type]
    finally:
        cluster.stop()
    passed, failed = sum(one.passed for one in outcomes), sum(one.failed for one in outcomes)
    if not names:
        slowest = sorted((took for one in outcomes for took in one.took), reverse=True)[:SLOWEST]
        for seconds, name in slowest:
            print(f"{seconds:7.1f} s  {name}")
        passed_there, failed_there = interface_tests()
        passed, failed = passed + passed_there, failed + failed_there
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not any(one.run for one in outcomes) else 0


if __name__ == "__main__":
    sys.exit(main())
