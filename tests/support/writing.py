"""What is killed while it writes, in a process of its own: commands whose ids are the same each time, and settings.

    python -m tests.support.writing command ARGUMENTS…   runs `lather ARGUMENTS`
    python -m tests.support.writing settings FOLDER      writes settings for ever and says what was kept
    python -m tests.support.writing sitting FOLDER       the same with the decisions of a sitting
"""

import random
import sys
import uuid
from pathlib import Path


def with_known_ids() -> None:
    """Ids by the photo that is worked on: a run that was stopped and goes on gives the ids of one that was not."""
    from lather.cli import carry
    from lather.core.sitting import carry_report

    rng, real, to_json = random.Random(), carry.carry_photo, carry_report.Carried.to_json

    def carry_photo(job: str, photo: str, out: str) -> dict:
        rng.seed(Path(photo).name)
        return real(job, photo, out)

    uuid.uuid4 = lambda: uuid.UUID(int=rng.getrandbits(128), version=4)
    carry.carry_photo = carry_photo
    carry_report.Carried.to_json = lambda self: to_json(self) | {"seconds": 0.0}  # how long it took is no one's work


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

        with_known_ids()
        sys.exit(main(sys.argv[2:]))
    {"settings": settings, "sitting": sitting}[sys.argv[1]](Path(sys.argv[2]))
