"""Many files by one command: several at a time, with time left, stopped and gone on with, one failing alone.

Each file that is done leaves a small record in the folder that is written to, made by whoever did it. The same command
given again passes over what has one, so that nothing is done twice however it was stopped: by Ctrl-C, by a power cut,
or by a worker that died.
"""

import argparse
import hashlib
import importlib
import json
import logging
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from lather.cli.arguments import whole
from lather.cli.workers import as_done
from lather.core import log
from lather.core.errors import LatherError, RequestError
from lather.core.imageio.atomic import write_atomically
from lather.core.warmup import get_ready

_log = logging.getLogger(__name__)

RECORDS = ".lather-batch"
"""Folder of the records, inside the one that is written to."""
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
        start, done = time.monotonic(), {}
        records = self.folder / RECORDS if self.folder is not None else None
        if records is not None:
            records.mkdir(parents=True, exist_ok=True)
        calls = [(task.work, task.arguments, str(records / f"{task.key}.json") if records else "", task.outputs)
                 for task in self.tasks]
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
            for call in calls:  # those of another batch into the same folder stay
                Path(call[2]).unlink(missing_ok=True)
            with suppress(OSError):
                records.rmdir()
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


def _minutes(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"


def once(work: str, arguments: tuple, record: str, outputs: tuple[str, ...]) -> dict:
    """Does one task, in whatever process or machine, unless its record says that it was done. Never raises but for
    Ctrl-C: {"value"} or {"error"}, "before", "seconds".
    """
    log.configure()  # on another machine, or in a process of its own
    start = time.monotonic()
    path = Path(record) if record else None
    if path is not None and path.is_file() and all(Path(one).is_file() for one in outputs):
        try:
            return {"value": json.loads(path.read_text()), "before": True, "seconds": 0.0}
        except (OSError, ValueError):
            pass  # half a record is none
    module, _, function = work.partition(":")
    try:
        value = getattr(importlib.import_module(module), function)(*arguments)
        told = {"value": value}
        if path is not None:
            write_atomically(path, lambda file: file.write(json.dumps(value).encode()))
    except LatherError as error:
        told = {"error": log.expected(_log, error)}
    except Exception as error:  # whatever it is, the other files are done
        told = {"error": log.unexpected(_log, error, f"{_PROGRAM_ERROR} ({type(error).__name__}: {str(error)[:200]})")}
    return told | {"before": False, "seconds": time.monotonic() - start}


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
