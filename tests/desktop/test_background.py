"""Work beside the window: one way back, newer work takes the place of older, errors are told, nothing after the end."""

import threading

from lather.core.errors import RequestError
from lather.desktop.background import Background
from tests.support.window_case import WindowCase


class BackgroundTest(WindowCase):
    def setUp(self):
        super().setUp()
        self.background = Background()
        self.addCleanup(self.background.close)
        self.heard: list = []
        self.failed: list = []

    def run_work(self, work, name="work", **more) -> bool:
        return self.background.run(name, work, self.heard.append, failed=self.failed.append, **more)

    def test_what_comes_of_it_is_heard_in_the_windows_thread(self):
        threads = []
        self.background.run("work", lambda task: 7, lambda value: threads.append(threading.current_thread()),
                            failed=self.failed.append)
        self.wait(self.background.idle)
        self.assertEqual(threads, [threading.main_thread()])

    def test_progress_comes_in_order_and_cancelling_ends_it(self):
        told = []

        def work(task):
            for share in range(100):
                if not task.tick(share / 100, "counting"):
                    raise RequestError("Stopped.")
                stop.wait(0.01)

        stop = threading.Event()
        self.run_work(work, progress=lambda share, what: told.append((share, what)))
        self.wait(lambda: len(told) > 2)
        self.background.cancel("work")
        self.wait(self.background.idle)
        self.assertEqual(told, sorted(told))
        self.assertEqual((self.heard, self.failed), ([], ["Stopped."]))

    def test_newer_work_takes_the_place_of_older_and_only_the_last_is_heard(self):
        gate = threading.Event()

        def slow(number):
            def work(task):
                gate.wait(5)
                return number
            return work

        for number in range(4):
            self.assertTrue(self.run_work(slow(number), newest=True))
        self.assertFalse(self.run_work(slow(9)))
        gate.set()
        self.wait(self.background.idle)
        self.assertEqual(self.heard, [3])

    def test_an_error_nobody_expected_is_said_and_other_work_goes_on(self):
        self.run_work(lambda task: 1 / 0)
        self.wait(self.background.idle)
        self.assertIn("division by zero", self.failed[0])
        self.run_work(lambda task: 5)
        self.wait(self.background.idle)
        self.assertEqual(self.heard, [5])

    def test_after_the_end_nothing_is_heard(self):
        gate = threading.Event()
        self.run_work(lambda task: gate.wait(0.2))
        self.background.close()
        self.pump(0.1)
        self.assertEqual((self.heard, self.failed), ([], []))
        self.assertFalse(self.run_work(lambda task: 1))
