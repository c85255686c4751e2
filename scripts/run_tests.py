"""Run all tests, or those named, with a PostgreSQL of their own, and the interface's; ends with `N passed, N failed`.

python -m scripts.run_tests [tests.core.measure.test_drift ...]
"""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from time import perf_counter

from scripts.cluster import Cluster, ClusterError

ROOT = Path(__file__).resolve().parent.parent
#: So many of the slowest tests are named at the end.
SLOWEST = 12


class TimedResult(unittest.TextTestResult):
    """Remembers how long each test took, its class's preparation with the first of them."""

    def __init__(self, *args: object, **more: object) -> None:
        super().__init__(*args, **more)  # type: ignore[arg-type]
        self.took: list[tuple[float, str]] = []
        self._since = perf_counter()

    def stopTest(self, test: unittest.TestCase) -> None:  # noqa: N802 - unittest's name
        super().stopTest(test)
        now = perf_counter()
        self.took.append((now - self._since, test.id()))
        self._since = now


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
    try:
        loader = unittest.TestLoader()
        names = sys.argv[1:]
        suite = loader.loadTestsFromNames(names) if names else loader.discover("tests", top_level_dir=str(ROOT))
        runner = unittest.TextTestRunner(verbosity=2 if names else 1, stream=sys.stdout, resultclass=TimedResult)
        result = runner.run(suite)
    finally:
        cluster.stop()
    broken = [test for test, _ in [*result.failures, *result.errors]] + result.unexpectedSuccesses
    # Of a test with parts that failed, once.
    failed = len({getattr(test, "test_case", test) for test in broken})
    passed = result.testsRun - failed - len(result.skipped)
    if not names:
        assert isinstance(result, TimedResult)
        for seconds, name in sorted(result.took, reverse=True)[:SLOWEST]:
            print(f"{seconds:7.1f} s  {name}")
        passed_there, failed_there = interface_tests()
        passed, failed = passed + passed_there, failed + failed_there
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or result.testsRun == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
