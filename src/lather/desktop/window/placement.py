"""Where the window stands, and how large: within the screen's free area, frame and all; as it was left last time."""

from PyQt6.QtCore import QMargins, QPoint, QRect, QSize, QTimer
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QWidget

from lather.desktop.settings import store

USUAL, LEAST = QSize(1280, 800), QSize(1024, 680)
_USUAL_FRAME = QMargins(1, 32, 1, 1)  # until the window manager says
_KEY, _PLACED = "window", "placed_size"
_FRAMED_AFTER_MS = (0, 400)
_LARGEST_PX = 30_000
_NO_SCREEN = ("offscreen", "minimal", "vnc")


def free_area(window: QWidget) -> QRect:
    """Of the screen that a window stands on, in its px: without bars and docks. An empty one where there is no real
    screen.
    """
    screen = QWidget.screen(window) or QGuiApplication.primaryScreen()  # the main window has a property of that name
    if QGuiApplication.platformName() in _NO_SCREEN or screen is None:
        return QRect()
    return screen.availableGeometry()


def frame_of(window: QWidget) -> QMargins:
    """What the window manager lays round a window."""
    handle = window.windowHandle()
    margins = handle.frameMargins() if handle is not None else QMargins()
    return margins if not margins.isNull() else _USUAL_FRAME


def fitted(size: QSize, area: QRect, frame: QMargins) -> QSize:
    """A window's size, no larger than leaves room for its frame."""
    if area.isEmpty():
        return size
    return size.boundedTo(QSize(area.width() - frame.left() - frame.right(),
                                area.height() - frame.top() - frame.bottom()))


def place(window: QWidget) -> None:
    """Before a window is shown: as large as it was left, or as usual, and no larger than the screen takes."""
    kept = _kept()
    size = fitted(kept or USUAL, free_area(window), _USUAL_FRAME)
    window.setMinimumSize(LEAST.boundedTo(size) if not free_area(window).isEmpty() else LEAST)
    window.resize(size)
    window.setProperty(_PLACED, size)


def fit_later(window: QWidget) -> None:
    """As soon as the window is shown, and once more: some window managers lay the frame later."""
    for after_ms in _FRAMED_AFTER_MS:
        timer = QTimer(window, singleShot=True)
        timer.timeout.connect(lambda: fit(window))
        timer.start(after_ms)


def fit(window: QWidget) -> None:
    """Once it is shown and its frame is known: it lies within the screen's free area, all of it."""
    area = free_area(window)
    if area.isEmpty() or window.isMaximized() or window.isFullScreen():
        return
    frame = frame_of(window)
    size = fitted(window.size(), area, frame)
    if size != window.size():
        window.setMinimumSize(window.minimumSize().boundedTo(size))
        window.resize(size)
        window.setProperty(_PLACED, size)
    inside = area.marginsRemoved(frame)
    at = window.geometry().topLeft()
    moved = QPoint(min(max(at.x(), inside.left()), max(inside.left(), inside.right() - size.width() + 1)),
                   min(max(at.y(), inside.top()), max(inside.top(), inside.bottom() - size.height() + 1)))
    if moved != at:
        window.setGeometry(QRect(moved, size))


def keep(window: QWidget) -> None:
    """Remember how large a window was left, and whether it filled the screen."""
    if free_area(window).isEmpty():
        return
    size = window.normalGeometry().size() if window.isMaximized() else window.size()
    if size == window.property(_PLACED):  # nobody chose it: a smaller screen does not shrink the window for ever
        size = _kept() or USUAL
    data = store.load()
    kept = {"size": [size.width(), size.height()], "filled": window.isMaximized()}
    if data.get(_KEY) != kept:
        store.store(data | {_KEY: kept})


def was_filled() -> bool:
    """True where the window filled the screen when it was left."""
    held = store.load().get(_KEY)
    return isinstance(held, dict) and held.get("filled") is True


def _kept() -> QSize | None:
    """The size that was left last; None where nothing is known, or what is written is none."""
    held = store.load().get(_KEY)
    size = held.get("size") if isinstance(held, dict) else None
    if not isinstance(size, list) or len(size) != 2 or not all(
            isinstance(side, int) and not isinstance(side, bool) and 0 < side < _LARGEST_PX for side in size):
        return None
    return QSize(*size).expandedTo(LEAST)
