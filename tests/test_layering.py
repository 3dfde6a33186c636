"""The core never reaches Qt, and packages import only what stands below them."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "lather"
# each may import itself and those before it
ORDER = [
    "colour", "imageio", "brush", "tools", "kinds", "job", "stages", "engine", "face", "people", "lamps", "measure",
    "gauges", "find", "mending", "plan", "record", "deliver", "journal", "practice", "sitting",
]
SHARED = {
    "data", "errors", "lengths", "levels", "log", "loop_parts", "loops", "memory", "parameters", "phrases",
    "ranges", "recent", "state", "strict_json", "threads", "types",
}


def imports(path: Path) -> set[str]:
    names = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
        elif isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
    return names


class LayeringTest(unittest.TestCase):
    def test_importing_all_of_the_core_and_the_commands_loads_no_qt(self):
        code = (
            "import pkgutil, importlib, sys, lather.core, lather.cli\n"
            "for package in (lather.core, lather.cli):\n"
            "    for m in pkgutil.walk_packages(package.__path__, package.__name__ + '.'):\n"
            "        importlib.import_module(m.name)\n"
            "bad = [m for m in sys.modules if m.startswith(('PyQt', 'lather.desktop'))]\n"
            "sys.exit(', '.join(bad) or 0)"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True,
                              env={"PYTHONPATH": str(SOURCE.parent), "PATH": "/usr/bin"})
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_packages_of_the_core_import_downwards_only(self):
        for path in (SOURCE / "core").rglob("*.py"):
            package = path.relative_to(SOURCE / "core").parts[0].removesuffix(".py")
            if package not in ORDER:
                continue
            allowed = set(ORDER[: ORDER.index(package) + 1]) | SHARED
            if package in ("practice", "deliver", "journal", "sitting"):
                allowed |= {"session"}  # the demo job is a whole session, and so is what is delivered or brought back
            if package == "stages":
                allowed |= {"engine"}  # a stroke in progress and a Dab read through an engine they are given
            for name in imports(path):
                if name.startswith("lather.core."):
                    self.assertIn(name.split(".")[2], allowed, f"{path} imports {name}")

    def test_no_module_is_a_drawer_for_everything(self):
        for path in SOURCE.rglob("*.py"):
            self.assertLess(len(path.read_text().splitlines()), 480, path)
            self.assertNotIn(path.stem, {"misc", "utils", "helpers"})

    def test_no_circle_of_imports_reaches_across_folders(self):
        """Two files of one folder may name each other's types; anything wider is a knot."""
        modules = {"lather." + ".".join(path.relative_to(SOURCE).with_suffix("").parts): path
                   for path in SOURCE.rglob("*.py")}
        uses = {name: {one for one in imports(path) if one in modules} - {name} for name, path in modules.items()}

        def reached(name: str) -> set[str]:
            seen, front = set(), [name]
            while front:
                for one in uses[front.pop()] - seen:
                    seen.add(one)
                    front.append(one)
            return seen

        far = {name: reached(name) for name in modules}
        knots = {tuple(sorted((one, two))) for one in modules for two in far[one]
                 if one in far[two] and one.rpartition(".")[0] != two.rpartition(".")[0]}
        allowed = {("lather.core.engine.engine", "lather.core.stages.base")}  # types only
        self.assertEqual(knots - allowed, set())
