"""What others hand in at each door, seeded damage to it, and what the program does with it: used by the tests and by
benchmarks/fuzz_files.py.
"""

import json
import os
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing
from functools import cache
from pathlib import Path
from unittest import mock

import cv2
import numpy as np

from lather.cli.batch import _done_before
from lather.core.brush.cards import read_cards, write_cards
from lather.core.deliver.presets import presets
from lather.core.deliver.proof_sheet import read_answer, take_answer
from lather.core.errors import LatherError
from lather.core.plan.minutes import shipped_speeds
from lather.core.record.entries import sums
from lather.core.record.logbook import Logbook
from lather.core.record.logbook_form import TABLES
from lather.core.record.logbook_repair import repair
from lather.core.record.own_speed import own_speeds
from lather.core.record.statistics import as_csv, minutes_over_time, seconds_per_find
from lather.core.record.waiting import enter
from lather.core.session import Session
from lather.core.sitting.sitting_file import open_sitting, save_sitting
from tests.support.keep_version import EARLIER
from tests.support.mutations import damaged_bytes, damaged_json, job_file

DOORS = ("answer", "logbook", "logbook", "sitting", "record", "presets", "settings", "keys", "cards", "texts",
         "waiting")
_CELLS = (b"\xff\xfe", "", "text", -1, 2**62, -(2**63), 1.5, float("inf"), "x" * 9000, "2026-02-31T00:00:00Z", "\0",
          None)
_TEXTS = """<?xml version="1.0" encoding="utf-8"?><!DOCTYPE TS><TS version="2.1" language="de"><context>
<name>Lather</name><message><location filename="a" line="1"/><source>Save</source><translation>Sichern</translation>
</message><message numerus="yes"><source>%n edits</source><translation><numerusform>%n Eingriff</numerusform>
<numerusform>%n Eingriffe</numerusform></translation></message><message><source>%1 of %2</source>
<translation type="unfinished">%2, %1</translation></message></context></TS>"""


@cache
def _job() -> Session:
    path = Path(os.environ.get("TMPDIR", "/tmp")) / f"lather-doors-{os.getpid()}.lather"
    path.write_bytes(job_file())
    session = Session.open(path)
    path.unlink()
    return session


@cache
def _whole(door: str) -> bytes:
    """What is right at a door that takes a text."""
    job = _job().job
    find = next(iter(job.finds)).id
    whole = {
        "answer": {"lather_answer": 1, "job": job.id, "sheet": "abc", "name": "Somebody", "date": "2026-11-01",
                   "finds": [{"id": find, "answer": "keep"}, {"id": "none", "answer": "remove", "remark": "please"}],
                   "agreed": {"reshaping": "yes", "teeth": "no"},
                   "remarks": [{"text": "here", "x": 12.5, "y": 30}, {"text": "all of it", "x": None, "y": None}]},
        "sitting": {"version": 1, "persons": [{"id": "p", "name": "Wren", "reference": "a.png", "keepers": ["Mole"],
                                               "held": {"Shape": "not agreed"}}],
                    "frames": [{"name": "a.png", "person": "p", "state": "finished", "skin": [60, 12, 14]},
                               {"name": "b.png", "person": "p", "state": "carried", "looked": [0], "job": "b",
                                "carried": {"source": "a.png", "stages": {"mend": [3, 4]}, "anew": {"even": 2},
                                            "keepers": [1, 2], "seconds": 2.5, "looks": [
                                    {"what": "keeper", "name": "Mole", "why": "71 %", "x": 3, "y": 4, "size_px": 5,
                                     "find": "m", "was": [1, 2, 3], "alike": 0.7}]}}]},
        "record": {"form": 2, "work": "a:b", "outputs": {"out": [3, "ab"]}, "value": {"photo": "a", "out": "out"}},
        "presets": {"Mine": [{"id": "output-1", "name": "Web", "size": "px", "long_edge_px": 900, "quality": 80}]},
        "settings": {"rate": "48", "currency": "EUR", "recent": ["/a.png", "/b.lather"], "jobs": {"x": "/b.lather"},
                     "window": {"size": [1300, 900], "filled": False}, "photos_folder": "/tmp", "linger_s": 0.5,
                     "finds_on_opening": True, "display_profile": "", "theme": "dark"},
        "keys": {"mend_find": "E", "keep_find": "Ctrl+R", "undo": "Z", "none such": "Q"},
    }
    if door == "cards":
        path = Path(os.environ.get("TMPDIR", "/tmp")) / f"lather-cards-{os.getpid()}.json"
        from lather.core.brush.cards import BrushCard, shipped_cards

        write_cards(path, [BrushCard(f"Mine {n}", one.tool, one.brush) for n, one in enumerate(shipped_cards()[:3])])
        data = path.read_bytes()
        path.unlink()
        return data
    if door == "texts":
        return _TEXTS.encode()
    if door == "waiting":
        lines = [{"id": "a", "do": "note_job", "given": ["one"], "named": {"title": "Wren"}},
                 {"id": "b", "do": "add_spans", "named": {},
                  "given": ["one", [{"stage": "mend", "seconds": 60, "kind": "", "finds": 0}]]},
                 {"id": "c", "do": "set_plan", "given": ["one", {"mend": [70, 0.5]}], "named": {}}]
        return b"\n".join(json.dumps(line).encode() for line in lines)
    return json.dumps(whole[door]).encode()


def damaged(door: str, rng: np.random.Generator) -> bytes:
    """What a door is given: most of it nearly right."""
    if door == "logbook":
        return _damaged_logbook(rng)
    data = _whole(door)
    if door == "texts" and rng.random() < 0.6:
        return _other_words(data, rng)
    if door == "texts" or rng.random() < 0.15:
        return damaged_bytes(data, rng)
    if door == "waiting":
        lines = data.split(b"\n")
        at = int(rng.integers(len(lines)))
        return b"\n".join([*lines[:at], damaged_json(lines[at], rng), *lines[at + 1 :]])
    return damaged_json(data, rng)


def _other_words(data: bytes, rng: np.random.Generator) -> bytes:
    """A translation in which words, places and names of elements are others."""
    for _ in range(int(rng.integers(1, 5))):
        old = (b"%1", b"%n", b"Sichern", b"source", b"yes", b"numerusform", b"utf-8", b"<context>",
               b"TS ")[rng.integers(9)]
        new = (b"", b"%9" * 40, b"x" * 20_000, b"&#0;", b"&#x1F600;", b"latin-1", b"utf-7", b"klingon", b"%",
               b"<a/>")[rng.integers(10)]
        data = data.replace(old, new, int(rng.integers(1, 4)))
    return data


def _damaged_logbook(rng: np.random.Generator) -> bytes:
    books = sorted(EARLIER.glob("*.sqlite"))
    data = books[int(rng.integers(len(books)))].read_bytes()
    if rng.random() < 0.35:
        return damaged_bytes(data, rng)
    with closing(sqlite3.connect(":memory:")) as db:
        db.deserialize(data)
        db.execute("PRAGMA ignore_check_constraints=ON")
        for _ in range(int(rng.integers(1, 4))):
            table = list(TABLES)[int(rng.integers(len(TABLES)))]
            column = TABLES[table][int(rng.integers(len(TABLES[table])))].name
            value, way = _CELLS[int(rng.integers(len(_CELLS)))], int(rng.integers(6))
            try:
                if way < 4:
                    db.execute(f"UPDATE {table} SET {column} = ?", (value,))
                elif way == 4:
                    db.execute(f"ALTER TABLE {table} RENAME COLUMN {column} TO other_{column}")
                else:
                    db.execute(f"DROP TABLE {table}")
            except sqlite3.Error:
                continue
        db.commit()
        return db.serialize()


def _used(book: Logbook) -> None:
    entries = book.entries()
    sums(entries), as_csv(entries), minutes_over_time(entries), seconds_per_find(entries)
    own_speeds(entries, shipped_speeds())
    book.totals(), book.practice(), book.looks("one"), book.seconds("one")


def _logbook(data: bytes, folder: Path) -> None:
    path = folder / "other.sqlite"
    path.write_bytes(data)
    said = ""
    with closing(Logbook(":memory:")) as book:
        try:
            book.take_in(path)
        except LatherError as error:
            said = error.message
        _used(book)
        if book.check():
            raise AssertionError("one's own logbook is poisoned")
    try:
        with closing(Logbook(path)) as book:
            _used(book)
    except LatherError as error:
        said = said or error.message
        repair(path)  # says why it cannot, or makes one that can be read
        with closing(Logbook(path)) as book:
            _used(book)
            if book.check():
                raise AssertionError("the repaired logbook is not whole") from error


def _sitting(data: bytes, folder: Path) -> None:
    for name in ("a.png", "b.png"):
        if not (folder / name).exists():
            cv2.imwrite(str(folder / name), np.zeros((8, 8, 3), np.uint8))
    (folder / "lather").mkdir(exist_ok=True)
    for path in (folder / "lather").iterdir():
        path.unlink()
    (folder / "lather" / "sitting.json").write_bytes(data)
    sitting = open_sitting([folder])
    for frame in sitting.frames:
        frame.looks_left, sitting.job(frame.name), sitting.person(frame.person)
    for person in sitting.persons:
        if person.reference:
            sitting.frame(person.reference)
    saved = save_sitting(sitting, sitting)
    if len(open_sitting([folder]).frames) != len(saved.frames):
        raise AssertionError("a frame went on saving")


def _answer(data: bytes, folder: Path) -> None:
    path = folder / "answer.json"
    path.write_bytes(data)
    session = _job()
    answer = read_answer(path)
    try:
        session.history.do(take_answer(session.job, answer).command)
        session.save(folder / "job.lather")
        Session.open(folder / "job.lather")
    finally:
        if session.history.undo_label is not None:
            session.history.undo()


def _settings(data: bytes, folder: Path) -> None:
    from lather.desktop import settings
    from lather.desktop.input.keys import load_bindings
    from lather.desktop.settings.declared import SETTINGS
    from lather.desktop.window import placement

    path = folder / "lather"
    path.mkdir(exist_ok=True)
    for name in ("settings.json", "keys.json"):
        (path / name).write_bytes(data)
    with mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": str(folder)}):
        for setting in SETTINGS:
            settings.value(setting.id)
        settings.recent_files(), settings.file_of_job("x"), settings.new_brief(), load_bindings(), placement._kept()
        settings.remember(folder / "a.png", "x")
        if settings.recent_files()[:1] != [str(folder / "a.png")] and (folder / "a.png").exists():
            raise AssertionError("settings cannot be kept any more")


def _texts(data: bytes, folder: Path) -> None:
    from lather.desktop.texts.ts_file import read_ts

    path = folder / "xx.ts"
    path.write_bytes(data)
    read_ts(path)


def _waiting(data: bytes, folder: Path) -> None:
    with mock.patch.dict(os.environ, {"XDG_STATE_HOME": str(folder)}):
        path = folder / "lather" / "logbook-waiting.jsonl"
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(data)
        with closing(Logbook(":memory:")) as book:
            enter(book)
            _used(book)


def _read(read: Callable[[Path], object]) -> Callable[[bytes, Path], None]:
    def tried(data: bytes, folder: Path) -> None:
        path = folder / "file.json"
        path.write_bytes(data)
        read(path)

    return tried


_TRY: dict[str, Callable[[bytes, Path], None]] = {
    "answer": _answer, "logbook": _logbook, "sitting": _sitting, "settings": _settings, "keys": _settings,
    "record": _read(lambda path: _done_before(path, ())), "presets": _read(presets), "cards": _read(read_cards),
    "texts": _texts, "waiting": _waiting,
}


def try_door(number: int, folder: Path) -> tuple[str, str]:
    """(door, sentence that was said or "") of case `number`. Any other exception escapes, as a fault."""
    rng = np.random.default_rng([91, number])
    door = DOORS[number % len(DOORS)]
    place = folder / door
    place.mkdir(exist_ok=True)
    if door == "logbook":
        shutil.rmtree(place)
        place.mkdir()
    try:
        _TRY[door](damaged(door, rng), place)
    except LatherError as error:
        if "\n" in error.message.strip() or not 0 < len(error.message.strip()) <= 600:
            raise AssertionError(f"not one clear sentence: {error.message[:200]!r}") from error
        error.message.encode()  # it can be shown
        return door, error.message
    return door, ""
