"""A log of its own for each test."""

import os
import tempfile
import unittest
from unittest import mock

from lather.core import log


class LogCase(unittest.TestCase):
    """`self.logged()` is what the log holds so far."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        log.close()
        state = mock.patch.dict(os.environ, {"XDG_STATE_HOME": folder.name})
        state.start()
        log.configure()
        self.addCleanup(state.stop)
        self.addCleanup(log.close)
        super().setUp()

    def logged(self) -> str:
        path = log.log_file()
        return path.read_text() if path.exists() else ""

    def assertLogged(self, *words: str) -> None:
        for word in ("Traceback", *words) if words else words:
            if word != "Traceback" or len(words) > 1:
                self.assertIn(word, self.logged())
