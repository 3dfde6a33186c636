"""Public functions, classes and methods of the core say what they are: shapes, units, ranges, errors, sources."""

import ast
import unittest
from collections.abc import Iterator
from pathlib import Path

CORE = Path(__file__).parents[1] / "src" / "lather" / "core"
_LEAST = 0.85


def public(body: list[ast.stmt], of: str = "") -> Iterator[tuple[str, bool]]:
    """(name, documented) of all that does not begin with an underscore."""
    for node in body:
        if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
            yield of + node.name, ast.get_docstring(node) is not None
            if isinstance(node, ast.ClassDef):
                yield from public(node.body, f"{of}{node.name}.")


class DocumentedTest(unittest.TestCase):
    def test_most_of_what_is_public_is_documented(self):
        found = {f"{path.relative_to(CORE)}:{name}": told for path in CORE.rglob("*.py")
                 for name, told in public(ast.parse(path.read_text()).body)}
        share = sum(found.values()) / len(found)
        missing = sorted(name for name, told in found.items() if not told)
        self.assertGreater(len(found), 1500)
        self.assertGreaterEqual(share, _LEAST, f"{100 * share:.1f} %; the first without: {missing[:20]}")

    def test_every_module_says_what_it_holds(self):
        for path in CORE.rglob("*.py"):
            self.assertTrue(ast.get_docstring(ast.parse(path.read_text())), path)
