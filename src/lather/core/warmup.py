"""All fast loops compiled once after an installation, in the order in which a hand can reach them.

`python -m lather.core.warmup` is that as a process of its own; with names of modules it works beside a window: a line
is written for each loop that is there, and names of loops that somebody waits for are read, which then come first.
Numba keeps what was compiled; later starts do nothing.
"""

import hashlib
import importlib
import os
import platform
import queue
import sys
import threading
from collections.abc import Iterator
from contextlib import suppress
from importlib.metadata import version
from pathlib import Path

from lather.core import loops
from lather.core.loops import Loop
from lather.core.threads import BACKGROUND, give_way

ORDER = (
    "levels", "colour.screen", "colour.profiles",  # the first picture
    "brush.stroke", "stages.patches.order", "stages.patches.patch", "stages.mend.boundary", "stages.mend.membrane",
    "stages.mend.heal", "colour.lab", "colour.srgb",  # the first dab
    "find.lines.ridges", "find.boosted_trees", "find.spots.spots", "find.spots.patch_net", "find.spots.blob_fit",
    "stages.mend.drag", "stages.split.bands", "stages.split.area", "stages.split.mix",
    "stages.light.exposure", "stages.even.around", "stages.adjust.lightness", "stages.adjust.pixels",
    "stages.colour.calm", "stages.shape.grid", "stages.shape.moves", "stages.shape.guard", "stages.shape.field",
    "stages.shape.resample", "stages.patches.grain_noise", "stages.grain.missing", "deliver.export",
    "practice.flaws.tube",
)
"""Modules of the core that hold loops."""
FIRST = 3
"""So many of them the window needs for its first picture, and compiles itself."""
SAID = "ready"


def all_loops(modules: tuple[str, ...] = ORDER) -> list[Loop]:
    """Those that can be called, in order."""
    found: dict[int, Loop] = {}
    for name in modules:
        module = importlib.import_module(f"lather.core.{name}")
        own = (one for one in vars(module).values() if isinstance(one, Loop) and one.signatures)
        found |= {id(one): one for one in own if one.__module__ == module.__name__}
    return list(found.values())


def _mark() -> Path:
    """There once all loops were compiled on this machine, for the code as it is now and where it lies."""
    core = Path(__file__).parent
    files = [core / f"{name.replace('.', '/')}.py" for name in ORDER]
    told = [f"{file} {file.stat().st_mtime_ns} {file.stat().st_size}" for file in files]
    key = "\n".join([version("numba"), version("numpy"), platform.machine(), platform.node(), *told])
    return _where() / f"compiled-{hashlib.blake2b(key.encode(), digest_size=8).hexdigest()}"


def _where() -> Path:
    """Where Numba keeps what it compiled: beside the code if that may be written, else with the person's caches."""
    core = Path(__file__).parent
    if "NUMBA_CACHE_DIR" not in os.environ and os.access(core, os.W_OK):
        return core / "__pycache__"
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "lather"


def is_warm() -> bool:
    """False at the first start after an installation: then the loops are compiled, which takes about a minute."""
    return _mark().is_file()


def keep_mark() -> None:
    """Remember that all are there."""
    try:
        _mark().parent.mkdir(parents=True, exist_ok=True)
        _mark().touch()
    except OSError:
        pass  # then it is looked at once more at the next start


def read_ahead() -> None:
    """Load what takes long to load, beside the window: whoever needs it first would wait for it, and a click of a stage
    is to be answered at once.
    """
    def load() -> None:
        for name in ("scipy.interpolate", "scipy.ndimage", "scipy.spatial", "scipy.sparse.csgraph"):
            importlib.import_module(name)

    BACKGROUND.submit(load)


def run(modules: tuple[str, ...] = ORDER) -> None:
    """Compile all loops here and now, or load what was compiled before."""
    for one in all_loops(modules):
        one.get_ready()
    if modules == ORDER:
        keep_mark()


def get_ready() -> None:
    """Before several processes begin to work: what they would all compile is compiled once."""
    if not is_warm():
        tell_on_terminal()
        run()


def tell_on_terminal() -> None:
    """Whoever sits at a terminal hears why the first command after an installation takes longer."""
    if sys.stderr.isatty() and not loops.waiting:
        said: list[Loop] = []

        def tell(one: Loop, wait: bool) -> None:
            if wait and not said:
                print("lather: compiling the fast loops, once after an installation.", file=sys.stderr)
            said.append(one)

        loops.waiting.append(tell)


def _wanted_first(left: dict[str, Loop], asked: "queue.SimpleQueue[str]") -> Iterator[tuple[str, Loop]]:
    """The loops in order; those that somebody asks for come next."""
    while left:
        name = next(iter(left))
        with suppress(queue.Empty):
            while True:
                name = asked.get_nowait()
        if name in left:
            yield name, left.pop(name)


def _beside(modules: tuple[str, ...]) -> None:
    """Lines `ready NAME DONE OF`, one for each loop; what comes in on standard input are names that are wanted.

    It ends with the one that began it, whose end of the line closes.
    """
    give_way()
    asked: queue.SimpleQueue[str] = queue.SimpleQueue()

    def listen() -> None:
        for line in sys.stdin:
            asked.put(line.strip())
        os._exit(0)

    threading.Thread(target=listen, daemon=True).start()
    every = all_loops(modules)
    for number, (name, one) in enumerate(_wanted_first({one.name: one for one in every}, asked), 1):
        one.get_ready()
        print(SAID, name, number, len(every), flush=True)


if __name__ == "__main__":
    _beside(tuple(sys.argv[1:])) if len(sys.argv) > 1 else run()
