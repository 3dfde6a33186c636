"""The proof sheet: one self-contained HTML file on which a client sees before and after, decides on marks, remarks.

The page itself saves the answer, a small JSON file. Nothing is sent: it stands for mail and a client's browser.
"""

import json
import os
import secrets
from dataclasses import dataclass
from functools import cache
from pathlib import Path

import jsonschema

from lather.core.deliver.crops import as_srgb, data_uri
from lather.core.deliver.names import numbered, slug
from lather.core.deliver.pages import page
from lather.core.engine.engine import Engine
from lather.core.errors import RequestError, SaveError
from lather.core.imageio.atomic import write_atomically
from lather.core.imageio.files import check_regular
from lather.core.job.agreements import AGREEMENTS, GO, STAY, asks_client, stays_by_agreement
from lather.core.job.brief import JobSheet, Remark
from lather.core.job.commands import Command, DecideFind, SetBrief, Together
from lather.core.job.finds import WANTED_GONE, Find
from lather.core.job.model import Job
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.core.strict_json import plain_text, read, refused
from lather.core.types import Rect

SCHEMA_FILE = Path(__file__).parents[1] / "data" / "answer.schema.json"
KEEP, REMOVE = "keep", "remove"
_PICTURE_PX, _CROP_PX = 1400, 150
_MOST_FINDS = 40
_MOST_BYTES = 1024 * 1024
SAYS_OF_WHOLE = ("reshaping", "teeth", "guardian")
"""Agreements on the photo as a whole that the page asks for."""


@dataclass(frozen=True)
class Asked:
    """One find that the client decides on. number: as on the picture. proposed: what holds without an answer."""

    number: int
    find: Find
    label: str
    proposed: str
    x_percent: float
    y_percent: float
    crop: str


def outbox() -> Path:
    """Folder that proof sheets are written to: LATHER_OUTBOX, else one in the person's home."""
    return Path(os.environ.get("LATHER_OUTBOX") or Path.home() / "Lather outbox")


def asked_finds(job: Job, *, most: int = _MOST_FINDS) -> list[Find]:
    """Finds of a kind on which the client is asked, then lasting marks that stay unless they say otherwise: those that
    show, the most visible first.
    """
    wanted = [f for f in job.finds or () if f.worth and (asks_client(job.brief, f.kind)
                                                          or stays_by_agreement(job.brief, f.kind))]
    wanted.sort(key=lambda f: (not asks_client(job.brief, f.kind), -f.visibility))
    return wanted[:most]


def proof_sheet_html(session: Session, *, job: Job | None = None, sheet_id: str = "") -> str:
    """The whole page as text."""
    job, engine = job or session.job, session.engine
    sheet = JobSheet.of(job.brief)
    level = 0
    while max(engine.photo.level_bounds(level + 1)[2:]) >= _PICTURE_PX:
        level += 1
    rect = engine.photo.level_bounds(level)
    before, after = (as_srgb(pixels, engine.photo.profile, _PICTURE_PX) for pixels in (
        engine.photo.read(rect, level), engine.pixels(job, rect, level)))
    asked = [_asked(number, find, engine, job) for number, find in enumerate(asked_finds(job), 1)]
    questions = [
        (one.id, one.label, [(key, says, allows) for key, (says, allows) in one.answers.items()])
        for one in AGREEMENTS.values() if one.id in SAYS_OF_WHOLE and (not one.children or sheet.is_child)
    ]
    ids = {"job": job.id, "sheet": sheet_id or secrets.token_hex(6), "photo": job.source.sha256,
           "width": job.source.width, "height": job.source.height, "file": f"{slug(job.title) or 'photo'}-answer.json"}
    return page("proof.html", job=job, sheet=sheet, before=before, after=after, asked=asked, questions=questions,
                ids=json.dumps(ids))


def _asked(number: int, find: Find, engine: Engine, job: Job) -> Asked:
    photo = engine.photo
    half = max(40, round(1.6 * find.size_px))
    x0, y0 = (int(max(0, min(at - half, end - 2 * half)))
              for at, end in ((find.x, photo.width), (find.y, photo.height)))
    around = Rect(x0, y0, x0 + 2 * half, y0 + 2 * half).intersect(photo.bounds)
    crop = as_srgb(photo.read(around), photo.profile, _CROP_PX)
    proposed = REMOVE if job.decisions.get(find.id) == WANTED_GONE else KEEP
    return Asked(number, find, find.label, proposed, 100 * find.x / photo.width, 100 * find.y / photo.height,
                 data_uri(crop))


def write_proof_sheet(session: Session, folder: Path | None = None, *, job: Job | None = None) -> Path:
    """Write it to the outbox (or a folder) under a name of its own. Raises SaveError."""
    job, folder = job or session.job, folder or outbox()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveError(phrase("The outbox %1 cannot be made (%2); set another with LATHER_OUTBOX.", folder,
                               error.strerror)) from error
    path = numbered(folder / f"{slug(job.title) or 'photo'}-proof.html")
    write_atomically(path, lambda file: file.write(proof_sheet_html(session, job=job).encode()))
    return path


@cache
def _schema() -> dict:
    return json.loads(SCHEMA_FILE.read_text())


def is_answer(path: Path) -> bool:
    """True for a file that means to be an answer: told by its first bytes, so that a photo is not read for it."""
    try:
        return path.suffix.lower() == ".json" and path.stat().st_size <= _MOST_BYTES and b"lather_answer" in (
            path.read_bytes())
    except OSError:
        return False


def read_answer(path: Path) -> dict:
    """The checked contents of an answer. Raises RequestError."""
    check_regular(path, RequestError, "answer")

    def none(why: str) -> RequestError:
        return RequestError(phrase("%1 is no answer to a proof sheet (%2); ask for the file again.",
                                   plain_text(path.name), why))

    with refused(none):
        answer = read(path, most_bytes=_MOST_BYTES)
        try:
            jsonschema.validate(answer, _schema())
        except jsonschema.ValidationError as error:
            raise none(plain_text(error.message.replace("\n", " "))[:120]) from error
    return answer


@dataclass(frozen=True)
class Taken:
    """What an answer becomes. kept, wanted_gone, remarks: how many. unknown: answers to finds that are gone."""

    command: Command
    kept: int
    wanted_gone: int
    remarks: int
    unknown: int

    def said(self) -> str:
        """One sentence for the message line."""
        parts = [phrase("%1 kept", self.kept), phrase("%1 may go", self.wanted_gone)]
        if self.remarks:
            parts.append(phrase("%n remarks pinned", n=self.remarks, one="%n remark pinned"))
        if self.unknown:
            parts.append(phrase("%1 about finds that are no longer listed", self.unknown))
        return phrase("The client’s answer is taken in: %1. Undo takes it back.", ", ".join(parts))


def take_answer(job: Job, answer: dict) -> Taken:
    """One undoable step: decisions on finds, agreements, remarks. Raises RequestError for another job's answer."""
    if answer["job"] != job.id:
        title = str(answer.get("title", ""))[:80]
        raise RequestError(phrase("This answer belongs to another job%1; open that one and drop it there.",
                                  f", “{title}”" if title else ""))
    known = {find.id for find in job.finds or ()}
    steps: list[Command] = []
    counts = {KEEP: 0, REMOVE: 0}
    unknown = 0
    for row in answer.get("finds", ()):
        if row["id"] not in known:
            unknown += 1
            continue
        counts[row["answer"]] += 1
        steps.append(DecideFind(row["id"], "keep" if row["answer"] == KEEP else WANTED_GONE))
    agreed = dict(job.brief.get("agreed") or {})
    agreed |= {key: value for key, value in answer.get("agreed", {}).items()
               if key in SAYS_OF_WHOLE and value in AGREEMENTS[key].answers}
    for one in AGREEMENTS.values():  # what was asked is answered: what nobody decided on by itself stays
        if one.kinds and any(asks_client(job.brief, kind) for kind in one.kinds):
            agreed[one.id] = STAY if GO in one.answers else agreed.get(one.id)
    if agreed != (job.brief.get("agreed") or {}):
        steps.append(SetBrief("agreed", agreed))
    who = str(answer.get("name", ""))[:200]
    new = [Remark(row["text"][:2000], row.get("x"), row.get("y"), who).to_json() for row in answer.get("remarks", ())]
    if new:
        steps.append(SetBrief("remarks", [*(job.brief.get("remarks") or []), *new]))
    return Taken(Together("the client’s answer", tuple(steps)), counts[KEEP], counts[REMOVE], len(new), unknown)
