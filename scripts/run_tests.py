"""Run all tests, or those named, with a PostgreSQL of their own; ends with `N passed, N failed`.

python -m scripts.run_tests [tests.core.measure.test_drift ...]
"""

import os
import sys
import unittest
from pathlib import Path

from scripts.cluster import Cluster, ClusterError

ROOT = Path(__file__).resolve().parent.parent


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
        result = unittest.TextTestRunner(verbosity=2 if names else 1, stream=sys.stdout).run(suite)
    finally:
        cluster.stop()
    broken = [test for test, _ in [*result.failures, *result.errors]] + result.unexpectedSuccesses
    # Of a test with parts that failed, once.
    failed = len({getattr(test, "test_case", test) for test in broken})
    print(f"{result.testsRun - failed - len(result.skipped)} passed, {failed} failed")
    return 1 if failed or result.testsRun == 0 else 0


if __name__ == "__main__":
    sys.exit(main())
