"""The pages of the handbook: found in the checkout or in the installed package, searched, and opened by place."""

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import lather

_OF_SCREEN = {"brief": "brief", "review": "restraint", "deliver": "deliver", "logbook": "logbook",
              "practice": "practice", "sitting": "sitting", "settings": "settings", "desk": "desk"}
FIRST = "first-portrait"


@dataclass(frozen=True)
class Page:
    """path: of the Markdown. title: its first line. text: all of it, in small letters, to be searched."""

    path: Path
    title: str
    text: str

    @property
    def id(self) -> str:
        return self.path.stem


@cache
def folder() -> Path:
    """Beside the code where Lather was installed, in `docs` of a checkout."""
    code = Path(lather.__file__).parent
    return next((one for one in (code / "handbook", code.parents[1] / "docs" / "handbook")
                 if (one / "contents.txt").is_file()), code / "handbook")


@cache
def pages() -> tuple[Page, ...]:
    """In the order of `contents.txt`."""
    found = []
    for name in (folder() / "contents.txt").read_text(encoding="utf-8").split():
        path = folder() / f"{name}.md"
        text = path.read_text(encoding="utf-8")
        found.append(Page(path, text.partition("\n")[0].lstrip("# "), text.lower()))
    return tuple(found)


def page_for(screen: str, stage_id: str = "") -> str:
    """Id of the page about what is in view."""
    known = {page.id for page in pages()}
    return next((one for one in (stage_id, _OF_SCREEN.get(screen, "")) if one in known), FIRST)


def matching(words: str) -> list[Page]:
    """Pages that hold all of some words; those that name one in the title come first."""
    wanted = words.lower().split()
    found = [page for page in pages() if all(word in page.text for word in wanted)]
    return sorted(found, key=lambda page: not any(word in page.title.lower() for word in wanted)) if wanted else found
