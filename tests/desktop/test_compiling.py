"""Fast loops: compiled once after an installation, and never while somebody works; none first called by the window."""

import json
import os
import pkgutil
import subprocess
import sys
import tempfile
import unittest
from importlib import import_module
from pathlib import Path
from unittest import mock

from lather import core
from lather.core import loops, warmup
from lather.core.loops import Loop, loop
from lather.desktop.compiling import Compiling
from tests.support.remembered import place_demo
from tests.support.window_case import WindowCase

ROOT = Path(__file__).parents[2]


def loops_by_module() -> dict[str, list[Loop]]:
    """Those of the core that can be called, by the module that holds them."""
    held: dict[str, list[Loop]] = {}
    for found in pkgutil.walk_packages(core.__path__, "lather.core."):
        module = import_module(found.name)
        own = [one for one in vars(module).values() if isinstance(one, Loop) and one.__module__ == module.__name__]
        if own := [one for one in own if one.signatures]:
            held[found.name.removeprefix("lather.core.")] = own
    return held


class WarmUpTest(unittest.TestCase):
    def test_every_module_with_loops_is_warmed_up_and_nothing_else(self):
        self.assertEqual(set(loops_by_module()), set(warmup.ORDER))

    def test_after_the_warm_up_no_loop_has_to_be_compiled(self):
        for module, own in loops_by_module().items():
            for one in own:
                with self.subTest(module=module, loop=one.__name__):
                    self.assertFalse(one.get_ready())

    def test_types_that_nobody_declared_are_an_error_here_and_compiled_for_elsewhere(self):
        def sum_of(values):
            return values[0] + values[1]

        one = loop("f8[::1]")(sum_of)
        import numpy as np

        with mock.patch.dict(os.environ, LATHER_STRICT_LOOPS="1"), self.assertRaises(TypeError):
            one(np.array([1, 2]))
        two = loop("f8[::1]")(sum_of)
        with mock.patch.dict(os.environ, LATHER_STRICT_LOOPS=""), self.assertLogs("lather.core.loops", "WARNING"):
            self.assertEqual(two(np.array([1, 2])), 3)
        self.assertEqual(two(np.array([0.5, 1.0])), 1.5)
        self.assertIn(two.name, loops.compiled_here)


class RealUseTest(unittest.TestCase):
    def used(self, *job: Path) -> dict:
        """What `tests.support.first_use` says, in a process of its own."""
        with tempfile.TemporaryDirectory() as folder:
            own = {f"XDG_{name}_HOME": f"{folder}/{name.lower()}" for name in ("STATE", "CONFIG", "DATA")}
            done = subprocess.run([sys.executable, "-m", "tests.support.first_use", folder, *job], cwd=ROOT, text=True,
                                  capture_output=True, timeout=300,
                                  env=os.environ | own | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"})
        self.assertEqual(done.returncode, 0, done.stderr)
        return json.loads(done.stdout)

    def test_the_demo_is_opened_and_the_window_has_not_waited_for_a_loop(self):
        said = self.used(place_demo())
        self.assertEqual((said["compiled"], said["first_of_window"]), ([], []))

    def test_every_stage_and_tool_by_hand_compiles_nothing_and_the_window_calls_no_loop_first(self):
        said = self.used()
        self.assertGreater(said["tools"], 40)
        self.assertEqual(said["compiled"], [])
        self.assertEqual(said["first_of_window"], [])


class LaterStartTest(WindowCase):
    def test_a_later_start_begins_no_process_and_loads_no_loop(self):
        warmup.keep_mark()
        with mock.patch.object(subprocess, "Popen") as begun, mock.patch.object(warmup, "run") as run:
            compiling, heard = Compiling(self.window), []
            compiling.ready.connect(lambda: heard.append(True))
            compiling.start()
            self.assertFalse(compiling.first)
            self.assertEqual(heard, [True])
            begun.assert_not_called()
            run.assert_not_called()
        self.assertEqual(loops.elsewhere, [])
