"""Runs all tests, or those whose dotted name contains one of the given words."""

import os
import sys
import tempfile
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]


def chosen(suite: unittest.TestSuite, words: list[str]):
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from chosen(test, words)
        elif not words or any(word in test.id() for word in words):
            yield test


class TimedResult(unittest.TextTestResult):
    """Keeps how long each test took."""

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.seconds: dict[str, float] = {}

    def startTest(self, test):
        self._began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):
        super().stopTest(test)
        self.seconds[test.id()] = time.monotonic() - self._began


def main() -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("LATHER_FINDS_ON_OPENING", "0")  # tests that want finds ask for them
    os.environ.setdefault("QT_LOGGING_RULES", "*.debug=false")
    with tempfile.TemporaryDirectory(prefix="lather-test-") as home:
        for name in ("STATE", "CONFIG", "CACHE", "DATA"):
            os.environ[f"XDG_{name}_HOME"] = f"{home}/{name.lower()}"
        start = time.monotonic()
        found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
        tests = list(chosen(found, sys.argv[1:]))
        result = unittest.TextTestRunner(verbosity=2, resultclass=TimedResult).run(unittest.TestSuite(tests))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    for name, seconds in sorted(result.seconds.items(), key=lambda item: -item[1])[:12]:
        print(f"{seconds:5.1f} s  {name}")
    print(f"{time.monotonic() - start:.0f} s")
    print(f"{result.testsRun - failed - len(result.skipped)} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if result.testsRun and not failed else 1


if __name__ == "__main__":
    sys.exit(main())
