"""Runs all tests, or those whose dotted name contains one of the given words; two modules at a time."""

import io
import multiprocessing
import os
import sys
import tempfile
import time
import unittest
from concurrent.futures import ProcessPoolExecutor, as_completed
from pathlib import Path

ROOT = Path(__file__).parents[1]
WORKERS = 2
# The modules that take longest, longest first: started first, none is left running alone at the end.
LONGEST = (
    "test_commands", "test_find", "test_finders", "test_gauges", "test_desk", "test_stages", "test_finds",
    "test_contract", "test_colour", "test_practice", "test_heal", "test_shape", "test_finish", "test_even",
    "test_house", "test_review", "test_restraint", "test_deliver", "test_lessons", "test_sitting",
)
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


def settle(home: str) -> None:
    """A process of its own, with a home of its own."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("LATHER_FINDS_ON_OPENING", "0")  # tests that want finds ask for them
    os.environ.setdefault("QT_LOGGING_RULES", "*.debug=false")
    for name in ("OPENBLAS", "OMP"):  # two workers on two cores: threads of their own only get into each other's way
        os.environ.setdefault(f"{name}_NUM_THREADS", "1")
    for name in ("STATE", "CONFIG", "CACHE", "DATA"):
        os.environ[f"XDG_{name}_HOME"] = f"{home}/{os.getpid()}/{name.lower()}"


def run_module(job: tuple[str, list[str]]) -> tuple[str, dict[str, float], int, int, int]:
    """(what was printed, seconds by test, tests run, failed, skipped) of one module."""
    module, words = job
    tests = chosen(unittest.defaultTestLoader.loadTestsFromName(module), words)
    out = io.StringIO()
    result = unittest.TextTestRunner(out, verbosity=2, resultclass=TimedResult).run(unittest.TestSuite(tests))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return out.getvalue(), result.seconds, result.testsRun, failed, len(result.skipped)


def rank(module: str) -> int:
    name = module.rpartition(".")[2]
    return LONGEST.index(name) if name in LONGEST else len(LONGEST)


def main() -> int:
    words, start = sys.argv[1:], time.monotonic()
    found = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    tests = list(chosen(found, words))
    for test in tests:
        if type(test).__module__ == "unittest.loader":
            test.debug()  # raises what keeps its module from being read
    modules = sorted({type(test).__module__ for test in tests}, key=lambda m: (rank(m), m))
    seconds, counts = {}, [0, 0, 0]
    spawned = multiprocessing.get_context("spawn")  # a forked process would share its parent's threads
    with (
        tempfile.TemporaryDirectory(prefix="lather-test-") as home,
        ProcessPoolExecutor(WORKERS, spawned, settle, (home,)) as pool,
    ):
        for running in as_completed([pool.submit(run_module, (module, words)) for module in modules]):
            text, own, *numbers = running.result()
            print(text, file=sys.stderr, flush=True)
            seconds |= own
            counts = [a + b for a, b in zip(counts, numbers)]
    run, failed, skipped = counts
    for name, took in sorted(seconds.items(), key=lambda item: -item[1])[:int(os.environ.get("LATHER_SLOWEST", 12))]:
        print(f"{took:5.1f} s  {name}")
    print(f"{time.monotonic() - start:.0f} s")
    print(f"{run - failed - skipped} passed, {failed} failed, {skipped} skipped")
    return 0 if run and not failed else 1


if __name__ == "__main__":
    sys.exit(main())
