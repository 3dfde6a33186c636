"""Many files by one command: several at a time, with time left, stopped and gone on with, one failing alone.

Each file that is done leaves a small record in the folder that is written to, made by whoever did it: what was done, by
which work, and size and hash of what came out. The same command given again passes over what has one and is still as it
was left, so that nothing is done twice however it was stopped: by Ctrl-C, by a power cut, or by a worker that died. Two
batches in one folder share their records, and of one file the second waits for the first.
"""

import argparse
import fcntl
import hashlib
import importlib
import json
import logging
import os
import re
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from lather.cli.arguments import whole
from lather.cli.workers import as_done
from lather.core import log, strict_json
from lather.core.errors import LatherError, RequestError
from lather.core.imageio.alone import alone
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.written import claim, note
from lather.core.strict_json import MALFORMED
from lather.core.warmup import get_ready

_log = logging.getLogger(__name__)

RECORDS = ".lather-batch"
"""Folder of the records, inside the one that is written to."""
_AT_WORK, _ENDED = "at-work", "ended"
_RECORD = re.compile(r"[0-9a-f]{24}\.json")
_FORM = 2  # 1 held the value alone
_MOST_RECORD_BYTES = 16 * 1024**2
_PROGRAM_ERROR = "the program stumbled over it"


@dataclass(frozen=True)
class Task:
    """One file. work: "module:function" of what is done with it, which gives plain values; arguments: plain values.

    outputs: files that it writes, which must be there for its record to count. beside: other files that it reads.
    """

    name: str
    work: str
    arguments: tuple
    outputs: tuple[str, ...] = ()
    beside: tuple[str, ...] = ()

    @property
    def key(self) -> str:
        """Of what is asked, and of the files as they are now."""
        h = hashlib.blake2b(json.dumps([self.name, self.work, self.arguments], default=str).encode(), digest_size=12)
        for path in (self.name, *self.beside):
            with suppress(OSError):
                state = Path(path).stat()
                h.update(f"{state.st_size} {state.st_mtime_ns}".encode())
        return h.hexdigest()


@dataclass(frozen=True)
class Result:
    """value: what was done, None where it failed; error: a sentence then. before: it was done earlier."""

    task: Task
    value: dict | None
    error: str = ""
    before: bool = False
    seconds: float = 0.0


@dataclass
class Batch:
    """folder: where records are kept; None keeps none. jobs: processes. scheduler: address of a cluster's, or ""."""

    tasks: Sequence[Task]
    jobs: int = 1
    folder: Path | None = None
    scheduler: str = ""
    tell: Callable[[str], None] = lambda line: print(line, file=sys.stderr, flush=True)
    results: list[Result] = field(default_factory=list)

    def run(self) -> list[Result]:
        """All results, in the order of the tasks. Raises RequestError where there is no cluster; KeyboardInterrupt when
        it is stopped: what was done stays done.
        """
        get_ready()
        records = self.folder / RECORDS if self.folder is not None else None
        calls = [(task.work, task.arguments, str(records / f"{task.key}.json") if records else "", task.outputs)
                 for task in self.tasks]
        with _at_work(records) as at_work:
            return self._run(calls, records, at_work)

    def _run(self, calls: list[tuple], records: Path | None, at_work: int | None) -> list[Result]:
        start, done = time.monotonic(), {}
        try:
            for index, told in self._each(calls):
                task = self.tasks[index]
                done[index] = Result(task, told.get("value"), told.get("error", ""), told["before"], told["seconds"])
                self._progress(done, time.monotonic() - start)
        except KeyboardInterrupt:
            if records is not None:
                self.tell(f"Stopped; {len(done)} of {len(self.tasks)} are done. The same command goes on from there.")
            raise
        self.results = [done[index] for index in range(len(self.tasks))]
        if records is not None and not any(one.error for one in self.results):
            _clear(records, [Path(call[2]) for call in calls], at_work)
        return self.results

    def _each(self, calls: Sequence[tuple]) -> Iterator[tuple[int, dict]]:
        if self.scheduler:
            from lather.cli.cluster import on_cluster  # an optional extra

            yield from on_cluster(once, calls, self.scheduler)
        elif self.jobs > 1 and len(calls) > 1:
            yield from as_done(once, calls, self.jobs)
        else:
            yield from ((index, once(*call)) for index, call in enumerate(calls))

    def _progress(self, done: dict[int, Result], seconds: float) -> None:
        if len(self.tasks) < 2:
            return
        last = next(reversed(done.values()))
        fresh = sum(not one.before for one in done.values())
        left = len(self.tasks) - len(done)
        text = f" · about {_minutes(seconds / fresh * left)} left" if fresh and left else ""
        state = last.error or ("done before" if last.before else f"{last.seconds:.1f} s")
        self.tell(f"{len(done)} of {len(self.tasks)}{text} · {last.task.name}: {state}")


@contextmanager
def _at_work(records: Path | None) -> Iterator[int | None]:
    """A handle that says a batch is at work on a folder of records, as long as it lasts."""
    handle = None
    if records is not None:
        records.mkdir(parents=True, exist_ok=True)
        with suppress(OSError):  # a file system without locks: then nobody waits
            handle = os.open(records / _AT_WORK, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
            fcntl.flock(handle, fcntl.LOCK_SH)
    try:
        yield handle
    finally:
        if handle is not None:
            os.close(handle)


def _clear(records: Path, done: list[Path], at_work: int | None) -> None:
    """Take the records of a batch away that is done whole. While another one is at work they stay, for it may be the
    same; the last one takes all of those that ended along. Records of what was stopped stay.
    """
    ended = records / _ENDED
    with suppress(OSError):
        with open(ended, "a", encoding="utf-8") as file:  # before the lock is asked for: of two the second reads it
            file.write("".join(f"{path.name}\n" for path in done))
        if at_work is not None:
            fcntl.flock(at_work, fcntl.LOCK_EX | fcntl.LOCK_NB)
        for name in ended.read_text(encoding="utf-8").splitlines():
            if _RECORD.fullmatch(name):
                (records / name).unlink(missing_ok=True)
        ended.unlink()
        for lock in (*records.glob("*.lock"), records / _AT_WORK):
            lock.unlink(missing_ok=True)
        records.rmdir()


def _minutes(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"


def once(work: str, arguments: tuple, record: str, outputs: tuple[str, ...]) -> dict:
    """Does one task, in whatever process or machine, unless its record says that it was done. Never raises but for
    Ctrl-C: {"value"} or {"error"}, "before", "seconds".
    """
    log.configure()  # on another machine, or in a process of its own
    start = time.monotonic()
    path = Path(record) if record else None
    try:
        with _alone_with(path, outputs):
            value = _done_before(path, outputs) if path is not None else None
            if value is not None:
                return {"value": value, "before": True, "seconds": 0.0}
            claim(outputs)
            module, _, function = work.partition(":")
            value = getattr(importlib.import_module(module), function)(*arguments)
            note(outputs)
            if path is not None:
                _write_record(path, work, value, outputs)
            told = {"value": value}
    except LatherError as error:
        told = {"error": log.expected(_log, error)}
    except Exception as error:  # whatever it is, the other files are done
        told = {"error": log.unexpected(_log, error, f"{_PROGRAM_ERROR} ({type(error).__name__}: {str(error)[:200]})")}
    return told | {"before": False, "seconds": time.monotonic() - start}


@contextmanager
def _alone_with(record: Path | None, outputs: tuple[str, ...]) -> Iterator[None]:
    """Nobody else writes the same outputs meanwhile: told by their names, for another size of the same file has another
    record.
    """
    if record is None or not outputs:
        yield
        return
    with suppress(OSError):
        record.parent.mkdir(parents=True, exist_ok=True)
    name = hashlib.blake2b("\0".join(outputs).encode(errors="surrogatepass"), digest_size=12).hexdigest()
    with alone(record.parent / f"{name}.lock"):
        yield


def _done_before(record: Path, outputs: tuple[str, ...]) -> dict | None:
    """What a record tells, if the outputs are still what it says; None where they are not, or it is damaged: then this
    one file is done anew.
    """
    with suppress(OSError, *MALFORMED):
        held = strict_json.read(record, most_bytes=_MOST_RECORD_BYTES)
        if held["form"] == _FORM and held["outputs"] == _states(outputs):  # type: ignore[index,call-overload]
            value = held["value"]  # type: ignore[index,call-overload]
            return value if isinstance(value, dict) else None
    return None


def _write_record(record: Path, work: str, value: dict, outputs: tuple[str, ...]) -> None:
    data = strict_json.written({"form": _FORM, "work": work, "outputs": _states(outputs), "value": value})
    record.parent.mkdir(parents=True, exist_ok=True)  # somebody may have tidied up
    write_atomically(record, lambda file: file.write(data))


def _states(outputs: tuple[str, ...]) -> dict[str, list]:
    """{name: [bytes, SHA-256]} of files as they are. Raises OSError."""
    states = {}
    for one in outputs:
        with open(one, "rb") as file:
            states[strict_json.plain_text(Path(one).name)] = [os.fstat(file.fileno()).st_size,
                                                             hashlib.file_digest(file, "sha256").hexdigest()]
    return states


def add_batch_arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--jobs", type=whole(1, 64), default=1, metavar="N", help="files worked on at the same time")
    parser.add_argument("--scheduler", default="", metavar="ADDRESS", help="work on a cluster: the address of its Dask "
                        "scheduler (needs the extra “cluster”; all machines must see the same folders)")


def told(results: Sequence[Result], line: Callable[[dict], str], *, as_json: bool) -> int:
    """Prints results and gives the exit code: 2 where one failed. line(value): of what was done, in words.

    One file alone is said as it would be without a batch: its failure is raised.
    """
    failed = [one for one in results if one.error]
    if len(results) == 1 and failed:
        raise RequestError(failed[0].error)
    if as_json:
        rows = [one.value if one.value is not None else {"file": one.task.name, "error": one.error} for one in results]
        json.dump(rows if len(results) > 1 else rows[0], sys.stdout, indent=1)
        print()
    else:
        for one in results:
            if one.value is not None:
                print(line(one.value))
    if len(results) > 1:
        before = sum(one.before for one in results)
        print(f"lather: {len(results) - len(failed)} of {len(results)} done"
              + (f", {before} of them before" if before else "") + (f", {len(failed)} failed:" if failed else "."),
              file=sys.stderr)
        for one in failed:
            print(f"lather: {one.task.name}: {one.error}", file=sys.stderr)
    return 2 if failed else 0
