"""Finds on the desk: the list, which one is in hand, and what the person decides about it."""

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.find.lines.stray_hairs import USUAL_CONFIDENCE, chosen_hairs
from lather.core.job.commands import DecideFind
from lather.core.job.finds import Find
from lather.core.kinds.registry import listed_in, stage_of_kind
from lather.core.mending.edit_for_find import proposed_size
from lather.core.mending.even_blotches import SHARE
from lather.core.phrases import phrase
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.controls.finds.looking import Looking
from lather.desktop.controls.finds.mending import Mending
from lather.desktop.opening.open_job import OpenJob

USUAL_SENSITIVITY = 1 - USUAL_CONFIDENCE
MOST_SEEN = "most seen"
"""In the place of a zone: all of them, the most visible find first."""
_WAY = ("hair", "hairline", "forehead", "brow", "lid", "eye white", "iris", "eye", "under-eye", "nose", "nostril",
        "cheek", "lips", "mouth", "teeth", "chin", "jaw", "ear", "neck", "skin")
"""Parts of a face as a hand goes over it; what is none of them (body, cloth, ground) comes last."""
_CLOSE_UP = 3.0  # a find is brought to at least this many times its size away from the frame of the view


def _place_on_the_way(zone: str) -> tuple[int, str]:
    part = zone.partition(",")[0]
    return (_WAY.index(part), zone) if part in _WAY else (len(_WAY), zone)


class FindsControl(QObject):
    """`changed()` after anything the panel shows; `message(text)` for the person.

    looking: for flaws in the photo. mending: of the find in hand, or of the whole list.
    filters: show "worth", "rest" or "alone" (what a rule says is no flaw); kind and zone, "" for all, of
    zones also MOST_SEEN. sensitivity (0-1)
    and soft_share: which stray hairs.
    even_share: of the light that is needed, for what is evened. marks: open finds and keepers are seen on the photo.
    """

    changed = pyqtSignal()
    message = pyqtSignal(object)

    def __init__(self, canvas: PhotoCanvas, job: OpenJob, parent=None):
        super().__init__(parent)
        self.canvas, self.job = canvas, job
        self.show, self.kind, self.zone = "worth", "", ""
        self.sensitivity, self.soft_share, self.even_share = USUAL_SENSITIVITY, 0.0, SHARE
        self.marks = True
        self.current: Find | None = None
        self._been: list[str] = []  # ids of the finds that were in hand, for the way back
        self.looking, self.mending = Looking(job, self), Mending(self)
        for part in (self.looking, self.mending):
            part.changed.connect(self._changed)
            part.message.connect(self.message)
        self.looking.found.connect(lambda: self.choose(None))
        job.stage_changed.connect(self._stage_changed)
        job.changed.connect(lambda _: self.changed.emit())

    def _changed(self) -> None:
        self.changed.emit()
        self.canvas.update()

    def turn_marks(self) -> None:
        """Hide the marks on the photo, or show them again."""
        self.marks = not self.marks
        self.message.emit("Finds and keepers are marked again." if self.marks else
                          "Finds and keepers are not marked on the photo; {marks} shows them again.")
        self.canvas.update()

    # the list

    @property
    def finds(self) -> tuple[Find, ...]:
        """Finds of the stage in hand; of the stray hairs, those the sensitivity lets in less the finest."""
        return self.left_alone if self.show == "alone" else self.listed

    @property
    def listed(self) -> tuple[Find, ...]:
        """The same, whatever is shown: nothing that is left alone."""
        stage_id = self.job.stage_id
        listed = [f for f in self.job.job.finds or () if listed_in(f.kind, stage_id)]
        if not any(f.kind == "stray_hair" for f in listed):
            return tuple(listed)
        hairs = chosen_hairs(listed, least_confidence=1 - self.sensitivity, soft_share=self.soft_share)
        return tuple(hairs) + tuple(f for f in listed if f.kind != "stray_hair")

    @property
    def left_alone(self) -> tuple[Find, ...]:
        """What looks like a find of the stage in hand and is none, by a rule."""
        return tuple(f for f in self.job.job.left_alone if listed_in(f.kind, self.job.stage_id))

    def states(self) -> dict[str, str]:
        """{find id: mended, keep, skip or open}; those waiting to be mended count as mended."""
        job, mended = self.job.job, self.job.job.mended_finds()
        waiting = self.mending.waiting()
        return {f.id: "mended" if f.id in waiting else job.find_state(f, mended) for f in self.finds}

    def shown(self) -> list[Find]:
        """Finds that pass the filters: first those that somebody is to look at, then the sure ones, part by part of the
        face as a hand goes over it, the most visible first in each; of blotches the dark ones, which are lifted, before
        all. With zone MOST_SEEN the most visible first wherever it is.
        """
        wanted = self.show != "rest"
        listed = [
            f
            for f in self.finds
            if (f.worth == wanted or self.show == "alone")
            and (not self.kind or f.kind == self.kind)
            and (self.zone in ("", MOST_SEEN) or f.zone.partition(",")[0] == self.zone)
        ]
        by_place = self.zone != MOST_SEEN
        return sorted(listed, key=lambda f: (self.takes_by_itself(f), f.kind == "blotch_bright",
                                             _place_on_the_way(f.zone) if by_place else ()))

    def takes_by_itself(self, find: Find) -> bool:
        """True of what *Mend all* takes: what is sure, and blotches, which are told by the light they miss."""
        return not find.left_alone and (find.sure or stage_of_kind(find.kind) == "even")

    @property
    def evens_all_skin(self) -> bool:
        """True where “all” means all bare skin: blotches, and the list as it is."""
        return self.job.stage_id == "even" and self.show == "worth" and not self.kind and self.zone in ("", MOST_SEEN)

    def set_filter(self, **values) -> None:
        for name, value in values.items():
            setattr(self, name, value)
        self.changed.emit()

    def choose(self, find: Find | None, *, go: bool = True) -> None:
        self.current = find
        if find is not None and go:
            self._bring_into_view(find)
        self._changed()

    def _bring_into_view(self, find: Find) -> None:
        view = self.canvas.view
        seen = view.visible(self.canvas.picture)
        margin = min(_CLOSE_UP * proposed_size(find), seen.width / 4, seen.height / 4)
        inside = seen.x0 + margin < find.x < seen.x1 - margin and seen.y0 + margin < find.y < seen.y1 - margin
        if not inside or proposed_size(find) * view.scale < 8:
            scale = view.scale if proposed_size(find) * view.scale >= 8 else 1.0
            self.canvas.centre_on(find.x, find.y, scale)

    def step(self, by: int) -> None:
        """The next (or previous) open find of the list, round at its ends; when none is open, any find."""
        self.mending.leave()
        shown, states = self.shown(), self.states()
        if not shown:
            looking = phrase("Still looking at the photo (%1 %); finds come when that is done.",
                             f"{self.looking.share * 100:.0f}")
            self.message.emit(looking if self.looking.busy else "Nothing left in this list.")
            return
        order = [f for f in shown if states[f.id] == "open"] or shown
        ids = [f.id for f in shown]
        at = ids.index(self.current.id) if self.current is not None and self.current.id in ids else -1
        places = [ids.index(f.id) for f in order]
        if by > 0:
            chosen = next((p for p in places if p > at), places[0])
        else:
            chosen = next((p for p in reversed(places) if p < at), places[-1])
        self._been.append(self.current.id if self.current is not None else "")
        self.choose(shown[chosen])

    def back(self) -> None:
        """The find that was in hand before this one, mended or not; before the first one, the one above in the list."""
        self.mending.leave()
        by_id = {f.id: f for f in self.finds}
        while self._been:
            find = by_id.get(self._been.pop())
            if find is not None:
                self.choose(find)
                return
        self.step(-1)
        self._been.clear()

    # decisions

    def decide(self, decision: str) -> None:
        """Keep or skip the current find and go to the next; the same again opens it."""
        find = self.current
        if find is None:
            self.step(1)
            return
        again = self.states()[find.id] == decision
        self.job.do(DecideFind(find.id, "" if again else decision))
        self.step(1)

    def keeper_near(self, x: float, y: float, reach: float) -> Find | None:
        """A keeper that a touch of radius `reach` at (x, y) would cross."""
        for find in self.job.job.keepers():
            if (find.x - x) ** 2 + (find.y - y) ** 2 < (reach + find.size_px / 2) ** 2:
                return find
        return None

    def mark_at(self, x: float, y: float) -> Find | None:
        """The smallest spot-like find of the photo, keeper or not, that lies at a place and was not mended."""
        job, mended = self.job.job, self.job.job.mended_finds()
        there = [find for find in job.finds or () if find.path is None and stage_of_kind(find.kind) == "mend"
                 and find.id not in mended and np.hypot(find.x - x, find.y - y) < find.size_px / 2]
        return min(there, key=lambda find: find.size_px, default=None)

    def _stage_changed(self) -> None:
        self.current, self.kind, self.zone = None, "", ""
        self.mending.wait_no_longer()
        self._been.clear()
        self.changed.emit()

    @property
    def busy(self) -> str:
        """What is being done with the whole list: "finding", "mending" or ""."""
        return "finding" if self.looking.busy else "mending" if self.mending.busy else ""

    @property
    def share(self) -> float:
        """How far that is, 0-1."""
        return self.looking.share if self.looking.busy else self.mending.share

    def idle(self) -> bool:
        return self.looking.idle() and self.mending.idle()

    def close(self) -> None:
        self.looking.close()
        self.mending.close()
