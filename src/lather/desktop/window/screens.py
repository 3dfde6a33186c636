"""The screens of the window, each made when it is first wanted: opening a photo waits for the desk alone."""

from collections.abc import Callable, Iterator, Mapping

from PyQt6.QtWidgets import QStackedWidget, QWidget


class Screens(Mapping[str, QWidget]):
    """{key: screen}. All that can be shown are in it; `made` only those that were wanted already."""

    def __init__(self, stack: QStackedWidget, say: Callable[[str], None], report: Callable[[], None],
                 heard: Callable[[QWidget], None]):
        self._stack, self._say, self._report, self._heard = stack, say, report, heard
        self._makers: dict[str, Callable[[], QWidget]] = {}
        self._made: dict[str, QWidget] = {}
        self._going_on = ""

    def add(self, key: str, make: Callable[[], QWidget]) -> None:
        """A screen that `make` makes when it is first wanted."""
        self._makers[key] = make

    def __getitem__(self, key: str) -> QWidget:
        if key not in self._made:
            screen = self._made[key] = self._makers[key]()
            if hasattr(screen, "message"):
                screen.message.connect(self._say)
            screen.messages.show_going_on(self._going_on)
            screen.messages.report_wanted.connect(self._report)
            self._stack.addWidget(screen)
            self._heard(screen)
        return self._made[key]

    def show_going_on(self, text: str) -> None:
        """What takes long, on whatever screen is in view, until it is done ("")."""
        self._going_on = text
        for screen in self._made.values():
            screen.messages.show_going_on(text)

    def __iter__(self) -> Iterator[str]:
        return iter(self._makers)

    def __len__(self) -> int:
        return len(self._makers)

    def __contains__(self, key: object) -> bool:
        return key in self._makers

    @property
    def made(self) -> dict[str, QWidget]:
        """Those that are there."""
        return dict(self._made)

    def key_of(self, screen: QWidget | None) -> str:
        """ "" where it is none of them."""
        return next((key for key, one in self._made.items() if one is screen), "")

    def clear(self) -> None:
        """Take all down."""
        for screen in self._made.values():
            screen.close_job()
            self._stack.removeWidget(screen)
            screen.hide()
            screen.deleteLater()
        self._makers, self._made = {}, {}
