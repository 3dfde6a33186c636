"""All texts of the interface, read from the source: plain ones, and those with values as `{0} of {1}`."""

import ast
import json
import re
from collections.abc import Iterator
from pathlib import Path

import lather

_CODE = Path(lather.__file__).parent
_SAID = ("errors", "find", "tools", "brush", "gauges", "job", "kinds", "lamps", "plan", "practice", "stages", "measure",
         "sitting", "imageio", "deliver", "record", "face", "engine", "mending", "journal")
"""Parts of the core whose words come into the window."""
_NO_TEXT_IN = {"setStyleSheet", "compile", "setObjectName", "setProperty", "getLogger", "Tag", "encode"}
_NO_TEXT = re.compile(r"[\w.:/+#-]*|[\s\d{}()%·×,.;:/|*=<>\[\]#_-]*|.*[{;]\s*$|</?\w.*|"
                      r".*\b(background|border|padding): .*", re.DOTALL)
_WORD = re.compile(r"[A-Z][a-z’'-]+|[A-Z]")  # a single word is a text where it begins with a capital
_PLAIN_WORD = re.compile(r"[a-z][a-z-]+")


def texts() -> dict[str, list[str]]:
    """{text: where it stands, as file:line}, in the order of the files."""
    found: dict[str, list[str]] = {}
    for path in sorted(_CODE.glob("desktop/**/*.py")):
        for text, line in _of_file(path):
            found.setdefault(text, []).append(f"{path.relative_to(_CODE)}:{line}")
    for part in _SAID:
        for path in sorted([*_CODE.glob(f"core/{part}/**/*.py"), *_CODE.glob(f"core/{part}.py")]):
            for text, line in _of_file(path):
                found.setdefault(text, []).append(f"{path.relative_to(_CODE)}:{line}")
    limits = "core/data/limits.json"
    for kind, bands in json.loads((_CODE / limits).read_text()).items():
        for text in (kind, *(band[2] for band in bands.values())):
            found.setdefault(text, []).append(f"{limits}:1")
    return found


def _of_file(path: Path) -> Iterator[tuple[str, int]]:
    tree = ast.parse(path.read_text(encoding="utf-8"))
    yield from _walk(tree)


def _walk(node: ast.AST) -> Iterator[tuple[str, int]]:
    if isinstance(node, ast.Call) and _name(node.func) in _NO_TEXT_IN:
        return
    body = getattr(node, "body", None)
    documented = (isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef) and body
                  and isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant))
    if isinstance(node, ast.JoinedStr):
        text = _template(node)
        if _is_text(_PLACES.sub("", text)):
            yield text, node.lineno
        for value in node.values:  # texts inside the values are texts of their own
            if isinstance(value, ast.FormattedValue):
                yield from _walk(value.value)
        return
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        if _is_text(node.value):
            yield node.value.strip(), node.lineno
        return
    for child in ast.iter_child_nodes(node):
        if not (documented and child is body[0]):
            yield from _walk(child)


_PLACES = re.compile(r"\{\d+\}")


def _template(node: ast.JoinedStr) -> str:
    parts, number = [], 0
    for value in node.values:
        if isinstance(value, ast.Constant):
            parts.append(str(value.value))
        else:
            parts.append(f"{{{number}}}")
            number += 1
    return "".join(parts).strip()


def _name(function: ast.expr) -> str:
    return function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")


def _is_text(text: str) -> bool:
    core = text.strip()
    if sum(c.isalpha() for c in core) < 2:
        return False
    if " " not in core:
        return bool(_WORD.fullmatch(core) or _PLAIN_WORD.fullmatch(core) or core.endswith(("…", ".", ":")))
    return not _NO_TEXT.fullmatch(core)
