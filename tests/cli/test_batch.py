"""Many files: one that is broken fails alone, what was done is not done again, on this machine and on a cluster."""

import io
import json
import os
import pickle
import signal
import subprocess
import sys
import time
import unittest
from contextlib import redirect_stderr, redirect_stdout
from dataclasses import replace
from pathlib import Path
from unittest import mock

from distributed import Client

from lather.cli import cluster
from lather.cli.batch import RECORDS, Batch, Task, told
from lather.core import strict_json
from lather.core.errors import RequestError
from tests.support.folder_case import FolderCase

ROOT = Path(__file__).parents[2]
WORK = "tests.support.batch_work:"


class BatchCase(FolderCase):
    def setUp(self):
        super().setUp()
        self.out = self.folder / "out"
        self.out.mkdir()
        self.lines: list[str] = []

    def tasks(self, count: int, *, broken: tuple[int, ...] = (), work: str = "copy_slowly", more: tuple = ()):
        made = []
        for number in range(count):
            source = self.folder / (f"broken-{number}" if number in broken else f"photo-{number}")
            source.write_bytes(bytes([number]))
            target = str(self.out / source.name)
            made.append(Task(str(source), WORK + work, (str(source), target, *more), (target,)))
        return made

    def run_batch(self, tasks, **how):
        return Batch(tasks, folder=self.out, tell=self.lines.append, **how).run()

    def times(self, tasks) -> list[int]:
        """How often each was done."""
        files = [Path(f"{task.outputs[0]}.times") for task in tasks]
        return [len(file.read_text().splitlines()) if file.exists() else 0 for file in files]


class HereTest(BatchCase):
    def test_broken_ones_fail_alone_and_are_tried_again_while_the_others_are_passed_over(self):
        tasks = self.tasks(30, broken=(4, 17))
        results = self.run_batch(tasks, jobs=2)
        self.assertEqual([n for n, one in enumerate(results) if one.error], [4, 17])
        self.assertIn("broken-4 is not a picture", results[4].error)
        self.assertEqual(len(self.lines), 30)
        self.assertRegex(self.lines[10], r"^11 of 30 · about \d+ s left · ")
        again = self.run_batch(tasks)
        self.assertEqual(sum(one.before for one in again), 28)
        self.assertEqual(self.times(tasks), [0 if n in (4, 17) else 1 for n in range(30)])
        (self.folder / "broken-4").rename(self.folder / "mended-4")
        good = [task for n, task in enumerate(tasks) if n not in (4, 17)]
        Path(good[0].outputs[0]).unlink()  # a result that is gone is made again
        self.run_batch(good)
        self.assertEqual(self.times(good), [2, *[1] * 27])
        self.assertFalse((self.out / RECORDS).exists())  # all is done: nothing is left lying about

    def test_a_file_that_was_changed_since_is_done_anew(self):
        tasks = self.tasks(3, broken=(2,))
        self.run_batch(tasks)
        time.sleep(0.01)
        Path(tasks[0].name).write_bytes(b"another photo")
        self.run_batch(tasks)
        self.assertEqual(self.times(tasks), [2, 1, 0])

    def test_a_file_read_beside_counts_as_well_and_another_batch_keeps_its_records(self):
        tasks = self.tasks(3, broken=(2,))
        self.run_batch(tasks)
        finished = self.folder / "finished"
        finished.write_text("one")
        beside = [replace(task, beside=(str(finished),)) for task in tasks]
        self.run_batch(beside)
        self.run_batch(beside)
        self.assertEqual(self.times(tasks), [2, 2, 0])
        finished.write_text("another")
        self.run_batch(beside)
        self.assertEqual(self.times(tasks), [3, 3, 0])
        source, target = self.folder / "another", str(self.out / "another")
        source.write_bytes(b"4")
        # done whole, its own record goes; those of the others stay
        self.run_batch([Task(str(source), f"{WORK}copy_slowly", (str(source), target), (target,))])
        self.assertEqual(sum(one.before for one in self.run_batch(tasks)), 2)

    def test_what_came_out_must_still_be_as_it_was_left(self):
        tasks = self.tasks(6, broken=(5,))
        self.run_batch(tasks)
        records = sorted((self.out / RECORDS).glob("*.json"))
        self.assertEqual(len(records), 5)
        Path(tasks[0].outputs[0]).write_bytes(b"")
        Path(tasks[1].outputs[0]).write_bytes(b"\xff")  # of the same size
        another = replace(tasks[2], arguments=(*tasks[2].arguments, 0.0))  # the same file, made in another way
        Path(tasks[2].name).write_bytes(b"another photo")
        self.run_batch([another])
        Path(tasks[2].name).write_bytes(bytes([2]))
        held = strict_json.read(self.out / RECORDS / f"{tasks[3].key}.json")
        self.assertEqual((held["work"], list(held["outputs"])), (tasks[3].work, ["photo-3"]))
        for damage in (b"", b"[]", b'{"value": NaN}', b"[" * 5000, b'{"form": 2, "outputs": {}, "value": {}}'):
            (self.out / RECORDS / f"{tasks[3].key}.json").write_bytes(damage)
            before = self.times(tasks)[3]
            results = self.run_batch(tasks)
            self.assertEqual((self.times(tasks)[3], results[3].error), (before + 1, ""))
        self.assertEqual(self.times(tasks), [2, 2, 3, 6, 1, 0])
        self.assertEqual([Path(task.outputs[0]).read_bytes() for task in tasks[:5]], [bytes([n]) for n in range(5)])

    def test_the_folder_of_records_is_made_anew_when_it_is_gone(self):
        tasks = self.tasks(4, broken=(3,))
        tasks[1] = replace(tasks[1], work=f"{WORK}tidy_up")
        results = self.run_batch(tasks)
        self.assertEqual([bool(one.error) for one in results], [False, False, False, True])
        self.assertTrue((self.out / RECORDS / f"{tasks[2].key}.json").is_file())

    def test_two_batches_in_one_folder_do_nothing_twice(self):
        tasks = self.tasks(8, more=(0.25,))
        code = ("import pickle, sys; from pathlib import Path; from lather.cli.batch import Batch; "
                f"Batch(pickle.loads(bytes.fromhex(sys.argv[1])), 1, Path({str(self.out)!r})).run()")
        environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
        other = subprocess.Popen([sys.executable, "-c", code, pickle.dumps(tasks[::-1]).hex()], env=environment,
                                 stderr=subprocess.PIPE, text=True)
        other.stderr.readline()  # it has begun
        results = self.run_batch(tasks)
        other.communicate(timeout=60)
        self.assertEqual((other.returncode, [one.error for one in results]), (0, [""] * 8))
        self.assertEqual(self.times(tasks), [1] * 8)
        self.assertFalse((self.out / RECORDS).exists())  # the last one tidied up

    def test_a_worker_that_dies_takes_nothing_along(self):
        results = self.run_batch(self.tasks(3, work="die_once"), jobs=2)
        self.assertEqual([one.error for one in results], [""] * 3)

    def test_stopped_and_given_again_it_goes_on_where_it_was(self):
        tasks = self.tasks(12, more=(0.3,))
        code = (
            "import pickle, signal, sys; from pathlib import Path; from lather.cli.batch import Batch; "
            "signal.signal(signal.SIGINT, signal.default_int_handler); "  # a shell's background jobs have it ignored
            f"Batch(pickle.loads(bytes.fromhex(sys.argv[1])), 2, Path({str(self.out)!r})).run()"
        )
        environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
        process = subprocess.Popen([sys.executable, "-c", code, pickle.dumps(tasks).hex()], env=environment,
                                   stderr=subprocess.PIPE, text=True)
        line = process.stderr.readline()
        self.assertIn("1 of 12", line)
        process.send_signal(signal.SIGINT)
        _, said = process.communicate(timeout=30)
        self.assertIn("The same command goes on from there", said)
        done = sum(self.times(tasks))
        self.assertTrue(1 <= done < 12, done)
        results = self.run_batch(tasks, jobs=2)
        self.assertGreaterEqual(sum(one.before for one in results), 1)
        self.assertEqual([one.error for one in results], [""] * 12)
        self.assertLessEqual(max(self.times(tasks)), 1 if done == sum(one.before for one in results) else 2)

    def test_the_summary_says_what_failed_and_gives_the_exit_code(self):
        results = self.run_batch(self.tasks(3, broken=(1,)))
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            code = told(results, lambda value: value["out"], as_json=False)
        self.assertEqual(code, 2)
        self.assertEqual(len(out.getvalue().splitlines()), 2)
        self.assertIn("2 of 3 done, 1 failed", err.getvalue())
        with redirect_stdout(out), redirect_stderr(err):
            self.assertEqual(told(results[:1], lambda value: "", as_json=True), 0)
        with self.assertRaises(RequestError):
            told(results[1:2], lambda value: "", as_json=True)


class ClusterTest(BatchCase):
    def start(self, *command: str) -> subprocess.Popen:
        environment = os.environ | {"PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}"}
        process = subprocess.Popen([sys.executable, "-m", *command], env=environment, stdout=subprocess.DEVNULL,
                                   stderr=subprocess.DEVNULL, start_new_session=True)

        def end():
            if process.poll() is None:
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()

        self.addCleanup(end)
        return process

    def test_a_worker_killed_on_the_way_loses_nothing_and_nothing_is_done_twice(self):
        file = self.folder / "scheduler.json"
        self.start("distributed.cli.dask_scheduler", "--port", "0", "--no-dashboard", "--host", "127.0.0.1",
                   "--scheduler-file", str(file))
        self.wait_for(file.exists)
        workers = [self.start("distributed.cli.dask_worker", "--scheduler-file", str(file), "--nthreads", "1",
                              "--nworkers", "1", "--no-nanny", "--no-dashboard", "--local-directory", str(self.folder))
                   for _ in range(2)]
        address = json.loads(file.read_text())["address"]
        with Client(address, set_as_default=False) as client:
            client.wait_for_workers(2, timeout=60)
        tasks = self.tasks(14, broken=(3,), more=(0.25,))

        def tell(line: str) -> None:
            self.lines.append(line)
            if len(self.lines) == 4:
                os.killpg(workers[0].pid, signal.SIGKILL)

        results = Batch(tasks, folder=self.out, scheduler=address, tell=tell).run()
        self.assertEqual([bool(one.error) for one in results], [n == 3 for n in range(14)])
        self.assertEqual(self.times(tasks), [0 if n == 3 else 1 for n in range(14)])

    def wait_for(self, condition, seconds: float = 30.0) -> None:
        end = time.monotonic() + seconds
        while not condition():
            self.assertLess(time.monotonic(), end, "it did not come")
            time.sleep(0.05)

    def test_where_nobody_answers_it_says_so(self):
        with self.assertRaises(RequestError) as caught, mock.patch.object(cluster, "_ANSWERS_IN", "0.3s"):
            self.run_batch(self.tasks(1), scheduler="tcp://127.0.0.1:9")
        self.assertIn("No scheduler answers", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
