"""All texts of the interface, with their contexts: sentences and words from the source, declared ones as data."""

import ast
import importlib
import json
import pkgutil
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import lather
from lather.core import phrases
from lather.core.phrases import GENERAL, context_of

_CODE = Path(lather.__file__).parent
_SAID = ("errors", "find", "tools", "brush", "gauges", "job", "kinds", "lamps", "plan", "practice", "stages", "measure",
         "sitting", "imageio", "deliver", "record", "face", "engine", "mending", "journal", "session", "tour", "ranges",
         "colour")
"""Parts of the core whose words come into the window."""
_CALLS = {"phrase", "tr"}
_DECLARED = {"Tool", "FindKind", "Gauge", "Number", "Choice", "Flag", "Model", "StageInfo", "Setting", "KeyAction",
             "Agreement", "Lesson", "Measure", "Route"}
"""Classes whose words are in a context of their own (`phrases.worded`)."""
_NO_TEXT_IN = {"setStyleSheet", "compile", "setObjectName", "setProperty", "getLogger", "Tag", "encode", "info",
               "warning", "debug", "execute", "executemany", "loop"}
_NO_TEXT = re.compile(r"[\w.:/+#-]*|[\s\d{}()%·×,.;:/|*=<>\[\]#_-]*|.*[{;]\s*$|</?\w.*|"
                      r".*\b(background|border|padding): .*", re.DOTALL)
_WORD = re.compile(r"[A-Z][a-z’'-]+|[A-Z]")  # a single word is a text where it begins with a capital
_PLAIN_WORD = re.compile(r"[a-z][a-z-]+")
_PLACE = re.compile(r"%(\d|n)")


@dataclass
class Entry:
    """places: where it stands, as file:line. counted: whether it holds a number with forms of its own."""

    places: list[str] = field(default_factory=list)
    counted: bool = False


def texts() -> dict[tuple[str, str], Entry]:
    """{(context, English): entry}, in the order of the files; declared words last."""
    found: dict[tuple[str, str], Entry] = {}

    def add(context: str, text: str, place: str, counted: bool = False) -> None:
        entry = found.setdefault((context, text), Entry())
        entry.places.append(place)
        entry.counted = entry.counted or counted

    paths = [*_CODE.glob("desktop/**/*.py")]
    for part in _SAID:
        paths += [*_CODE.glob(f"core/{part}/**/*.py"), *_CODE.glob(f"core/{part}.py")]
    for path in sorted(paths):
        own = context_of("lather." + ".".join(path.relative_to(_CODE).with_suffix("").parts))
        for text, line, sentence, counted in _of_file(path):
            add(own if sentence else GENERAL, text, f"{path.relative_to(_CODE)}:{line}", counted)
    limits = "core/data/limits.json"
    for kind, bands in json.loads((_CODE / limits).read_text()).items():
        add(GENERAL, kind, f"{limits}:1")
        for _, _, why in bands.values():
            add("Band", why, f"{limits}:1")
    for (context, text), module in declared().items():
        add(context, text, f"{module}:1")
    return found


def declared() -> dict[tuple[str, str], str]:
    """{(class, word): file} of what is declared as data: tools, kinds of finds, gauges, parameters, settings, keys …"""
    for package in ("core", "desktop"):
        top = importlib.import_module(f"lather.{package}")
        for module in pkgutil.walk_packages(top.__path__, f"{top.__name__}."):
            importlib.import_module(module.name)
    return {key: f"core/{key[0]}" for key in sorted(phrases.declared)}


def _of_file(path: Path) -> Iterator[tuple[str, int, bool, bool]]:
    yield from _walk(ast.parse(path.read_text(encoding="utf-8")))


def _walk(node: ast.AST) -> Iterator[tuple[str, int, bool, bool]]:
    """(text, line, a sentence of its module, counted)."""
    if isinstance(node, ast.Call):
        name = _name(node.func)
        if name in _NO_TEXT_IN or name in _DECLARED:
            return
        source = node.args[0].value if node.args and isinstance(node.args[0], ast.Constant) else None
        if name in _CALLS and isinstance(source, str):
            if _is_text(_PLACE.sub("", source)):
                yield source, node.lineno, True, any(word.arg == "n" for word in node.keywords)
            for rest in (*node.args[1:], *(word.value for word in node.keywords if word.arg != "one")):
                yield from _walk(rest)
            return
    if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
        return  # what is said of a constant, for readers
    body = getattr(node, "body", None)
    documented = (isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef) and body
                  and isinstance(body[0], ast.Expr) and isinstance(body[0].value, ast.Constant))
    if isinstance(node, ast.JoinedStr):
        for value in node.values:  # texts inside the values are texts of their own
            if isinstance(value, ast.FormattedValue):
                yield from _walk(value.value)
        return
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        if _is_text(node.value):
            yield node.value.strip(), node.lineno, False, False
        return
    for child in ast.iter_child_nodes(node):
        if not (documented and child is body[0]):
            yield from _walk(child)


def _name(function: ast.expr) -> str:
    return function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")


def _is_text(text: str) -> bool:
    core = text.strip()
    if sum(c.isalpha() for c in core) < 2:
        return False
    if " " not in core:
        return bool(_WORD.fullmatch(core) or _PLAIN_WORD.fullmatch(core) or core.endswith(("…", ".", ":")))
    return not _NO_TEXT.fullmatch(core)
