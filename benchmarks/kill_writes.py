"""Kills what writes, at random moments: deliveries, carrying over, batches, the logbook, settings, sittings.

    ./lather benchmarks kill_writes [--kills 60] [--first 0]

After each kill the same command is given again. Nothing may be lost that was told as done, nothing that was done is
done again, and in the end every byte is that of a run which nobody disturbed. Exit code 1 where that is not so.
"""

import argparse
import hashlib
import json
import os
import random
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import zipfile
from collections.abc import Callable
from contextlib import closing, suppress
from pathlib import Path

ROOT = Path(__file__).parents[1]
sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
_LONGEST_S = 300.0
_ID, _TOOK = re.compile(rb"\b[0-9a-f]{12}\b"), re.compile(rb'"seconds": [0-9.]+')
Bytes = dict[str, str]


class Place:
    """A folder with what is worked on, and homes of its own."""

    def __init__(self, folder: Path):
        self.folder = folder
        self.env = os.environ | {
            "PYTHONPATH": f"{ROOT / 'src'}:{ROOT}", "LATHER_OUTBOX": str(folder / "outbox"),
            **{f"XDG_{name}_HOME": str(folder / name.lower()) for name in ("STATE", "CONFIG", "DATA")},
        }

    def start(self, *arguments) -> subprocess.Popen:
        return subprocess.Popen([sys.executable, "-m", "benchmarks.writing", *map(str, arguments)], cwd=ROOT,
                                env=self.env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
                                start_new_session=True)

    def killed(self, process: subprocess.Popen, after: float) -> tuple[str, bool]:
        """(what it had said, whether it was still going)."""
        time.sleep(after)
        going = process.poll() is None
        with suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        said, _ = process.communicate()
        return said, going

    def whole(self, *arguments) -> str:
        process = self.start(*arguments)
        said, wrong = process.communicate(timeout=_LONGEST_S)
        if process.returncode:
            raise AssertionError(f"{arguments[:3]} ended with {process.returncode}: {wrong[-500:]}")
        return said

    def bytes_in(self, name: str) -> Bytes:
        """{file: hash} below a folder, without what only says that work goes on."""
        top = self.folder / name
        return {str(path.relative_to(top)): digest(path) for path in sorted(top.rglob("*"))
                if path.is_file() and ".lather-batch" not in path.parts and "~" not in path.name}

    def left_over(self) -> list[str]:
        """Half-written files that are there after a next start."""
        return [path.name for path in self.folder.rglob("*.part")]


def digest(path: Path) -> str:
    """Of a file's bytes; of a job without its ids, which are drawn by lot, and how long it took."""
    if path.suffix != ".lather":
        return hashlib.sha256(path.read_bytes()).hexdigest()
    with zipfile.ZipFile(path) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    ids: dict[bytes, bytes] = {}
    told = [_ID.sub(lambda found: ids.setdefault(found[0], b"id-%d" % len(ids)), _TOOK.sub(b"", parts[name]))
            for name in ("job.json", "history.json")]
    held = sorted(hashlib.sha256(data).hexdigest() for name, data in parts.items() if not name.endswith(".json"))
    return hashlib.sha256(repr((told, held)).encode()).hexdigest()


def commands(place: Place, kind: str) -> list[tuple]:
    """Arguments of the command that is killed."""
    folder = place.folder
    if kind == "batch":
        jobs = sorted((folder / "jobs").glob("*.lather"))
        return [("command", "render", *jobs, "--out", folder / "out", "--jobs", 2, "--format", "png")]
    if kind == "deliver":
        return [("command", "render", folder / "jobs" / "0.lather", "--outputs", "--out", folder / "out", "--replace")]
    frames = sorted((folder / "frames").glob("*.png"))
    return [("command", "carry", folder / "finished.lather", *frames, "--out", folder / "out", "--jobs", 2)]


def prepare(place: Place, kind: str, made: Path) -> None:
    shutil.copytree(made, place.folder, dirs_exist_ok=True)
    (place.folder / "out").mkdir(exist_ok=True)


def make(folder: Path) -> None:
    """Jobs, and frames with a finished one, that all places begin with."""
    from dataclasses import replace

    from tests.core.test_sitting import finished, frames
    from tests.support.pictures import session_of, skin_like

    from lather.core.colour.profiles import srgb_profile
    from lather.core.imageio.write import write_picture
    from lather.core.job.commands import SetBrief
    from lather.core.job.history import History
    from lather.core.job.outputs import OutputSpec
    from lather.core.session import Session

    (folder / "jobs").mkdir()
    (folder / "frames").mkdir()
    for number in range(8):
        write_picture(folder / "photo.png", skin_like(700, 900, seed=number), profile=srgb_profile())
        session = Session.from_photo(folder / "photo.png")
        specs = [OutputSpec(f"o{n}", f"Out {n}", size="px", long_edge_px=300 + 90 * n, format=fmt)
                 for n, fmt in enumerate(("PNG", "JPEG", "TIFF", "WebP", "OpenRaster"))]
        session.history.do(SetBrief("outputs", [one.to_json() for one in specs]))
        session.save(folder / "jobs" / f"{number}.lather")
    for number, (codes, *_) in enumerate(frames()[1:]):
        write_picture(folder / "frames" / f"f{number}.png", codes, profile=srgb_profile())
    write_picture(folder / "first.png", frames()[0][0], profile=srgb_profile())
    done = Session.from_photo(folder / "first.png")
    Session(done.photo, History(replace(finished()[0].job, source=done.photo.source))).save(folder / "finished.lather")
    session_of(skin_like(40, 40))


def of_command(kind: str, made: Path, rng: random.Random, usual: Bytes, seconds: float) -> list[str]:
    """What is wrong after a kill and the same command again."""
    with tempfile.TemporaryDirectory() as name:
        place = Place(Path(name))
        prepare(place, kind, made)
        (command,) = commands(place, kind)
        said, going = place.killed(place.start(*command), rng.uniform(0.1, 0.85) * seconds)
        told = {Path(line.split("  ")[0].split(":")[0]).name for line in said.splitlines() if line.strip()}
        out = place.folder / "out"
        if not going:
            return ["(it had ended before)"]
        records = {}
        for record in (out / ".lather-batch").glob("*.json") if (out / ".lather-batch").is_dir() else ():
            for one in json.loads(record.read_text())["outputs"]:
                records[one] = (out / one).stat().st_mtime_ns
        wrong = [f"{one} was told as done and is not whole" for one in told
                 if (out / one).is_file() and kind != "carry"
                 and digest(out / one) != usual.get(one)]
        place.whole(*command)
        wrong += [f"{one} was done twice" for one, then in records.items() if (out / one).stat().st_mtime_ns != then]
        now = place.bytes_in("out")
        if now != usual:
            wrong.append(f"other bytes: {[one for one in {*now, *usual} if now.get(one) != usual.get(one)]}")
        wrong += [f"left behind: {one}" for one in place.left_over()]
        if kind == "deliver":
            with closing(sqlite3.connect(place.folder / "data" / "lather" / "logbook.sqlite")) as db:
                rows = db.execute("SELECT path, COUNT(*) FROM deliveries GROUP BY path").fetchall()
            if len(rows) != len(usual) or any(count != 1 for _, count in rows):
                wrong.append(f"the logbook holds {rows}")
        return wrong


def of_writer(kind: str, rng: random.Random) -> list[str]:
    """What is wrong with what a writer left: the last thing it said was kept, or the one after it."""
    from tests.support.pictures import skin_like

    from lather.core import strict_json
    from lather.core.colour.profiles import srgb_profile
    from lather.core.imageio.write import write_picture
    from lather.core.sitting.sitting_file import open_sitting

    with tempfile.TemporaryDirectory() as name:
        place = Place(Path(name))
        for number in range(3):
            write_picture(place.folder / f"{number}.png", skin_like(40, 50, dtype="u1"), profile=srgb_profile())
        said, _ = place.killed(place.start(kind, place.folder), rng.uniform(0.7, 1.8))
        last = int(said.split()[-1]) if said.split() else -1
        if kind == "settings":
            path = place.folder / "config" / "lather" / "settings.json"
            if not path.exists():
                return [] if last < 0 else ["the settings are gone"]
            number = strict_json.read(path)["number"]
            return [] if number in (last, last + 1) else [f"{last} was kept, {number} is there"]
        frames = open_sitting([place.folder]).frames
        looked = sum(len(frame.looked) for frame in frames)
        return [] if looked in (last + 1, last + 2) else [f"{last + 1} decisions were kept, {looked} are there"]


def of_logbook(rng: random.Random) -> list[str]:
    from tests.support.recording import kill_often

    from lather.core.record.logbook import Logbook

    with tempfile.TemporaryDirectory() as name:
        told = kill_often(Path(name), 3)
        with closing(Logbook(Path(name) / "logbook.sqlite")) as book:
            logged, said = book.seconds("job").get("mend", 0), sum(seconds for seconds, _ in told)
            wrong = book.check()
            noted = {Path(note.path).name: note for entry in book.entries() for note in entry.deliveries}
        wrong += [] if said <= logged <= said + 3 else [f"{said} seconds told, {logged} logged"]
        return wrong + [f"{one} is not as it was noted" for one, note in noted.items()
                        if hashlib.sha256((Path(name) / one).read_bytes()).hexdigest() != note.sha256]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--kills", type=int, default=60)
    parser.add_argument("--first", type=int, default=0)
    arguments = parser.parse_args()
    turns: list[tuple[str, Callable[[random.Random], list[str]]]] = []
    with tempfile.TemporaryDirectory() as name:
        made = Path(name)
        make(made)
        for kind in ("batch", "deliver", "carry"):
            with tempfile.TemporaryDirectory() as other:
                place = Place(Path(other))
                prepare(place, kind, made)
                (command,) = commands(place, kind)
                begun = time.monotonic()
                place.whole(*command)
                seconds, usual = time.monotonic() - begun, place.bytes_in("out")
            print(f"{kind}: {len(usual)} files in {seconds:.1f} s", flush=True)
            turns.append((kind, lambda rng, kind=kind, usual=usual, seconds=seconds: of_command(
                kind, made, rng, usual, seconds)))
        for kind in ("settings", "sitting"):
            turns.append((kind, lambda rng, kind=kind: of_writer(kind, rng)))
        turns.append(("logbook", of_logbook))
        turns = [turns[n] for n in (0, 1, 3, 4, 5, 0, 1, 3, 4, 2)]  # carrying over takes longest
        bad, killed = 0, {}
        for number in range(arguments.first, arguments.first + arguments.kills):
            kind, turn = turns[number % len(turns)]
            wrong = turn(random.Random(number))
            ended = "(it had ended before)" in wrong
            killed[kind] = killed.get(kind, 0) + (3 if kind == "logbook" else not ended)
            wrong = [one for one in wrong if not re.match(r"\(", one)]
            if wrong:
                bad += 1
                print(f"kill {number} of {kind}: {wrong}", flush=True)
    print(f"{sum(killed.values())} killed at work {killed}; {bad} with something wrong")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
