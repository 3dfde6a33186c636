"""Runs the tests: two classes at a time, modules that take longest first, by what a recorded run took.

`./lather test` runs the default set, `./lather test --all` also what judges quality on whole plates (marked by
`tests.support.sets.for_release`). Words choose tests whose dotted name contains one of them, whatever their set.
"""

import argparse
import contextlib
import gc
import hashlib
import io
import json
import multiprocessing
import os
import resource
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from dataclasses import dataclass, field
from multiprocessing.connection import Connection, wait
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
WORKERS = 2
RECORD = ROOT / "tests" / "seconds.json"
"""Seconds by class, fixtures and all, as `--record` wrote them; where they are missing, tests are counted."""
_USUAL_S = 1.5  # of a test that was never timed
_MOST_MIB = 850  # a worker that has grown past it is followed by a new one


@dataclass
class Outcome:
    """What came of one class."""

    name: str
    text: str = ""
    run: int = 0
    failed: int = 0
    skipped: int = 0
    seconds: float = 0.0
    mib: int = 0
    peak_mib: int = 0
    compiled: list[str] = field(default_factory=list)
    tests: dict[str, float] = field(default_factory=dict)


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


def every(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from every(test)
        else:
            yield test


def class_of(test: unittest.TestCase) -> str:
    return f"{type(test).__module__}.{type(test).__qualname__}"


def module_of(class_name: str) -> str:
    return class_name.rpartition(".")[0]


def is_chosen(test: unittest.TestCase, words: list[str], whole: bool) -> bool:
    if words:
        return any(word in test.id() for word in words)
    method = getattr(type(test), test._testMethodName, None)
    return whole or not (getattr(type(test), "for_release", False) or getattr(method, "for_release", False))


def settle(home: str) -> None:
    """A process of its own, with a home of its own."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("LATHER_FINDS_ON_OPENING", "0")  # tests that want finds, gauges, needed light ask for them
    os.environ.setdefault("LATHER_STRICT_LOOPS", "1")
    os.environ.setdefault("QT_LOGGING_RULES", "*.debug=false")
    for name in ("OPENBLAS", "OMP"):  # two workers on two cores: threads of their own only get into each other's way
        os.environ.setdefault(f"{name}_NUM_THREADS", "1")
    for name in ("STATE", "CONFIG", "CACHE", "DATA"):
        os.environ[f"XDG_{name}_HOME"] = f"{home}/{os.getpid()}/{name.lower()}"


def give_one_core() -> None:
    """Two workers on two cores: what OpenCV does in threads of its own would only get into the other's way."""
    import cv2

    cv2.setNumThreads(1)


def run_class(name: str, words: list[str], whole: bool) -> Outcome:
    module = module_of(name)
    began = time.monotonic()
    tests = [test for test in every(unittest.defaultTestLoader.loadTestsFromName(module))
             if class_of(test) == name and is_chosen(test, words, whole)]
    out = io.StringIO()
    result = unittest.TextTestRunner(out, verbosity=2, resultclass=TimedResult).run(unittest.TestSuite(tests))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return Outcome(name, out.getvalue(), result.testsRun, failed, len(result.skipped), time.monotonic() - began,
                   tests=result.seconds)


def memory_mib() -> int:
    """What this process holds now."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize() // 2**20


def work(pipe: Connection, home: str) -> None:
    """Classes come in by the pipe, outcomes go out; None ends it."""
    settle(home)
    give_one_core()
    from lather.core import loops
    from lather.core.memory import give_back_memory
    from tests.support import remembered

    remembered.begin()

    module = ""
    while (job := pipe.recv()) is not None:
        if (now := module_of(job[0])) != module:
            forget(module)
            module = now
        outcome = run_class(*job)
        outcome.compiled = [name for name in loops.compiled_here if name.startswith("lather.")]
        loops.compiled_here.clear()
        gc.collect()
        give_back_memory()
        outcome.mib, outcome.peak_mib = memory_mib(), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        pipe.send(outcome)


def forget(module: str) -> None:
    """What a module of tests kept for its own classes (`functools.cache`), once they are done; and all sitters."""
    for kept in (module, "lather.core.practice.sitters", "lather.core.practice.frames"):
        for value in list(vars(sys.modules[kept]).values()) if kept in sys.modules else ():
            if getattr(value, "__module__", "") == kept and hasattr(value, "cache_clear"):
                value.cache_clear()


class Queue:
    """Classes by module, the longest first. A worker stays with its module, whose fixtures it has made."""

    def __init__(self, seconds: dict[str, float]):
        self._waiting: dict[str, list[str]] = {}
        self._seconds = seconds
        for name in sorted(seconds, key=lambda name: -seconds[name]):
            self._waiting.setdefault(module_of(name), []).append(name)

    def __bool__(self) -> bool:
        return bool(self._waiting)

    def next(self, last: str, others: set[str]) -> str:
        """For a worker that had a class of module `last`, while others are with theirs."""
        module = last
        if module not in self._waiting:
            free = [name for name in self._waiting if name not in others] or list(self._waiting)
            module = max(free, key=lambda name: sum(self._seconds[one] for one in self._waiting[name]))
        name = self._waiting[module].pop(0)
        if not self._waiting[module]:
            del self._waiting[module]
        return name


class Workers:
    """Processes that take classes; one that has grown large, or died, is followed by a new one."""

    def __init__(self, home: str):
        self._context = multiprocessing.get_context("spawn")  # a forked process would share its parent's threads
        self._home = home
        self._running: dict[Connection, tuple[multiprocessing.Process, str]] = {}
        self._ending: list[multiprocessing.Process] = []  # nobody waits for them until all is done

    def run(self, waiting: Queue, words: list[str], whole: bool) -> Iterator[Outcome]:
        """Outcomes as they come."""
        for _ in range(WORKERS):
            if waiting:
                self._begin(waiting.next("", self._modules()), words, whole)
        while self._running:
            for pipe in wait(list(self._running)):
                process, name = self._running.pop(pipe)
                try:
                    outcome = pipe.recv()
                except EOFError:
                    process.join()
                    outcome = Outcome(name, f"{name}: its process ended with code {process.exitcode}\n", 1, 1)
                yield outcome
                keep = outcome.mib and outcome.mib < _MOST_MIB
                following = waiting.next(module_of(name), self._modules()) if waiting else None
                if following and keep:
                    self._give(pipe, process, following, words, whole)
                    continue
                self._end(pipe, process)
                if following:
                    self._begin(following, words, whole)
        for process in self._ending:
            process.join(30)

    def _modules(self) -> set[str]:
        return {module_of(name) for _, name in self._running.values()}

    def _begin(self, name: str, words: list[str], whole: bool) -> None:
        pipe, other = self._context.Pipe()
        process = self._context.Process(target=work, args=(other, self._home))
        process.start()
        other.close()
        self._give(pipe, process, name, words, whole)

    def _give(self, pipe: Connection, process, name: str, words: list[str], whole: bool) -> None:
        pipe.send((name, words, whole))
        self._running[pipe] = (process, name)

    def _end(self, pipe: Connection, process) -> None:
        with contextlib.suppress(OSError):
            pipe.send(None)
        pipe.close()
        self._ending.append(process)


def compile_loops() -> None:
    """Once for all workers, by two processes; what is compiled already is only looked at."""
    sys.path.insert(0, str(ROOT / "src"))
    from lather.core import warmup

    if not warmup.is_warm():
        print("compiling the fast loops (once)", file=sys.stderr)
        halves = [f"from lather.core import warmup; warmup.run(warmup.ORDER[{n}::2])" for n in range(2)]
        for process in [subprocess.Popen([sys.executable, "-c", half],
                                         env=os.environ | {"PYTHONPATH": str(ROOT / "src")}) for half in halves]:
            process.wait()
        warmup.keep_mark()


def shared_folder() -> Path:
    """Where plates and finds are kept for all workers, and for later runs of the same code."""
    digest = hashlib.blake2b(digest_size=8)
    for path in sorted((ROOT / "src" / "lather" / "core").rglob("*")):
        if path.is_file() and "__pycache__" not in path.parts:
            digest.update(f"{path.relative_to(ROOT)}\0".encode() + path.read_bytes())
    top = Path(os.environ["XDG_CACHE_HOME"]) / "lather" / "tests"
    for other in top.glob("*") if top.is_dir() else ():
        if other.name != digest.hexdigest():
            shutil.rmtree(other, ignore_errors=True)
    folder = top / digest.hexdigest()
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def in_order(tests: list[unittest.TestCase]) -> Queue:
    """Their classes, by how long they take as far as that is known."""
    known = json.loads(RECORD.read_text()) if RECORD.exists() else {}
    guessed: dict[str, float] = {}
    for test in tests:
        guessed[class_of(test)] = guessed.get(class_of(test), 0.0) + _USUAL_S
    return Queue({name: known.get(name, seconds) for name, seconds in guessed.items()})


def report(outcomes: list[Outcome], seconds: float) -> int:
    longest = sorted(((took, name) for one in outcomes for name, took in one.tests.items()), reverse=True)
    for took, name in longest[: int(os.environ.get("LATHER_SLOWEST", 12))]:
        print(f"{took:5.1f} s  {name}")
    modules: dict[str, list[float]] = {}
    for one in outcomes:
        own = modules.setdefault(module_of(one.name), [0.0, 0.0])
        own[0], own[1] = own[0] + one.seconds, max(own[1], one.peak_mib)
    if "LATHER_SLOWEST" in os.environ:
        for name, (took, peak) in sorted(modules.items(), key=lambda item: -item[1][0]):
            print(f"{took:6.1f} s {peak:6.0f} MiB  {name}")
    compiled = {name for one in outcomes for name in one.compiled}
    print(f"loops compiled after the warm-up: {', '.join(sorted(compiled)) or 'none'}")
    run, failed, skipped = (sum(getattr(one, key) for one in outcomes) for key in ("run", "failed", "skipped"))
    print(f"{seconds:.0f} s, a worker at most {max((one.peak_mib for one in outcomes), default=0)} MiB")
    print(f"{run - failed - skipped} passed, {failed} failed, {skipped} skipped")
    return 0 if run and not failed and not compiled else 1


def main() -> int:
    parser = argparse.ArgumentParser(description="Runs the tests.")
    parser.add_argument("words", nargs="*", help="only tests whose dotted name contains one of these")
    parser.add_argument("--all", action="store_true", help="also what judges quality on plates: before a release")
    parser.add_argument("--record", action="store_true", help="keep how long each class took, for the order")
    arguments = parser.parse_args()
    start = time.monotonic()
    os.environ["LATHER_TEST_ALL"] = str(int(arguments.all))
    os.environ["XDG_CACHE_HOME"] = os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    compile_loops()
    found = list(every(unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))))
    for test in found:
        if type(test).__module__ == "unittest.loader":
            test.debug()  # raises what keeps its module from being read
    tests = [test for test in found if is_chosen(test, arguments.words, arguments.all)]
    outcomes = []
    with tempfile.TemporaryDirectory(prefix="lather-test-") as home:
        os.environ.setdefault("LATHER_TEST_SHARED", str(shared_folder()))
        for outcome in Workers(home).run(in_order(tests), arguments.words, arguments.all):
            print(outcome.text, file=sys.stderr, flush=True)
            outcomes.append(outcome)
    if arguments.record:
        known = json.loads(RECORD.read_text()) if RECORD.exists() else {}
        known |= {one.name: round(one.seconds, 1) for one in outcomes}
        RECORD.write_text(json.dumps(dict(sorted(known.items())), indent=0) + "\n")
    return report(outcomes, time.monotonic() - start)


if __name__ == "__main__":
    sys.exit(main())
