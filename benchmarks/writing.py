"""What is killed while it writes, in a process of its own.

    python -m benchmarks.writing command ARGUMENTS…   runs `lather ARGUMENTS`
    python -m benchmarks.writing settings FOLDER      writes settings for ever and says what was kept
    python -m benchmarks.writing sitting FOLDER       the same with the decisions of a sitting
"""

import sys
from pathlib import Path


def settings(folder: Path) -> None:
    from lather.desktop.settings import store

    for number in range(10**6):
        store.store({"number": number, "photos_folder": str(folder), "text": "ü" * 2000})
        print(number, flush=True)


def sitting(folder: Path) -> None:
    from dataclasses import replace

    from lather.core.sitting.sitting_file import open_sitting, save_sitting

    saved = open_sitting([folder])
    for number in range(10**6):
        names = [frame.name for frame in saved.frames]
        name = names[number % len(names)]
        frame = saved.frame(name)
        looked = frozenset({*frame.looked, number // len(names)})
        saved = save_sitting(saved.with_frame(replace(frame, looked=looked)), saved)
        print(number, flush=True)


if __name__ == "__main__":
    if sys.argv[1] == "command":
        from lather.__main__ import main
        from lather.core.imageio.atomic import sweep_parts

        sweep_parts()  # as every start does
        sys.exit(main(sys.argv[2:]))
    {"settings": settings, "sitting": sitting}[sys.argv[1]](Path(sys.argv[2]))
