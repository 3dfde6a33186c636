"""Pictures of each main view, made by driving the real window with the demo job. Stages bring their own."""

import tempfile
from collections.abc import Collection
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QScrollArea

from lather.core.colour.profiles import srgb_profile
from lather.core.errors import SaveError
from lather.core.find.finder import look_at
from lather.core.imageio.write import write_picture
from lather.core.kinds.registry import stage_of_kind
from lather.core.mending.edit_for_find import mend_all
from lather.core.mending.evening_by_route import evening_command
from lather.core.phrases import phrase
from lather.core.practice.demo import demo_plate, make_demo
from lather.core.practice.frames import make_frames
from lather.core.session import Session
from lather.desktop.app import make_application
from lather.desktop.canvas.canvas import PhotoCanvas
from lather.desktop.input.pen_stand_in import PenStandIn
from lather.desktop.pictures.driving import drag, hover, wait_for
from lather.desktop.practice.open_lesson import begin_lesson
from lather.desktop.stages.colour import shots as colour
from lather.desktop.stages.crisp import shots as crisp
from lather.desktop.stages.even import shots as even
from lather.desktop.stages.finish import shots as finish
from lather.desktop.stages.grain import shots as grain
from lather.desktop.stages.sculpt import shots as sculpt
from lather.desktop.stages.shape import shots as shape
from lather.desktop.stages.split import shots as split
from lather.desktop.stages.strands import shots as strands
from lather.desktop.window.main_window import MainWindow

STAGE_SHOTS = {"strands": strands.take, "split": split.take, "even": even.take, "sculpt": sculpt.take,
               "colour": colour.take, "shape": shape.take, "grain": grain.take, "crisp": crisp.take,
               "finish": finish.take}

VIEW_SHOTS = ("over", "tour", "review", "brief", "deliver", "logbook", "practice", "sitting", "settings", "handbook")
"""Pictures of views that are no stage's."""
USUAL_SIZE = (1280, 800)
_HANDBOOK_PX, _HANDBOOK_QUALITY = 1000, 84
_ONLY_IN_HANDBOOK = ("tour", "review-side")
_LOOKED_THROUGH = 20
_FACE = ("cheek", "forehead", "nose")


def _step_through(desk, canvas: PhotoCanvas) -> None:
    """A few finds mended by key, then on to the next spot on the face."""

    def press(key) -> None:
        QTest.keyClick(canvas, key)
        wait_for(lambda: desk.idle() and canvas.ready())

    for key in (Qt.Key.Key_W, Qt.Key.Key_E, Qt.Key.Key_E, Qt.Key.Key_E):
        press(key)
    for _ in range(_LOOKED_THROUGH):
        if desk.found.current.kind.startswith("blemish") and desk.found.current.zone.startswith(_FACE):
            break
        press(Qt.Key.Key_W)
    canvas.centre_on(desk.found.current.x, desk.found.current.y, 0.8)
    wait_for(canvas.ready)


def _tour(desk, canvas: PhotoCanvas, marks: dict) -> None:
    """Under the grey lamp, at the third part of the person, with skin of the cheek pinned."""
    QTest.keyClick(canvas, Qt.Key.Key_4)
    wait_for(lambda: desk.idle() and canvas.ready(), 60)
    desk.lamps.choose("grey")
    x, y = marks["eye_left"]
    desk.pin.toggle()
    drag(canvas, [(x + 10, y + 190), (x + 10, y + 190)])
    for _ in range(3):
        desk.tours.next.click()
    wait_for(lambda: desk.idle() and canvas.ready(), 60)
    desk.right.findChild(QScrollArea).verticalScrollBar().setValue(10_000)
    hover(canvas, marks["eye_right"][0] + 60, marks["eye_right"][1] + 130)


def _brief(window: MainWindow) -> None:
    wait_for(lambda: window.planning.plan is not None, 60)
    window.show_screen("brief")
    wait_for(window.screens["brief"].idle, 30)
    window.notice.clear()


def _deliver(window: MainWindow, folder: Path) -> None:
    """All outputs of the demo's sheet but one, whose name is taken; the print proofed."""
    window.show_screen("deliver")
    screen = window.screens["deliver"]
    screen.folder.setText(str(folder))
    (folder / screen.row("Web").file.text()).write_bytes(b"there already")
    screen.asking.know()
    screen.start()
    wait_for(lambda: not screen.runner.running, 120)
    screen.proof.modes.button("proof").click()
    wait_for(screen.idle, 30)
    screen.names.blockSignals(True)
    screen.folder.setText("/home/you/Pictures/wren/delivered")
    screen.names.blockSignals(False)
    screen.state.setText(screen.state.text().replace(str(folder), screen.folder.text()))
    window.notice.clear()


def _logbook(window: MainWindow) -> None:
    window.show_screen("logbook")
    screen = window.screens["logbook"]
    wait_for(screen.idle, 30)
    screen.demo.click()
    wait_for(screen.idle, 30)
    window.notice.clear()


def _review(window: MainWindow, mode: str) -> None:
    window.show_screen("review")
    review = window.screens["review"]
    review._set_mode(mode)
    review._set_zoom("1")
    review.canvas.centre_on(940, 800)
    wait_for(review.canvas.ready)
    wait_for(review.idle, 60)


def _overdo(window: MainWindow) -> None:
    """A veil at full strength, where it is too much, and what would bring it back."""
    wait_for(lambda: window.screens["desk"].measured.measures is not None, 60)
    command = evening_command(window.job.session.engine, window.job.job, window.screens["desk"].measured.measures,
                              "veil", strength=1.0)
    window.job.do(command)
    review = window.screens["review"]
    _review(window, "wipe")  # the way back is looked for once it is in sight
    wait_for(lambda: window.judging.offer is not None, 120)
    QTest.mouseClick(review.cards[0], Qt.MouseButton.LeftButton)
    wait_for(lambda: review.idle() and review.canvas.ready(), 60)
    window.notice.clear()


def _undo(window: MainWindow) -> None:
    window.show_screen("desk")
    QTest.keyClick(window.screens["desk"].canvas, Qt.Key.Key_Z)
    wait_for(window.screens["desk"].canvas.ready, 30)


def _practice(window: MainWindow) -> None:
    """The first lesson by the recorded pen, all but a few spots done, and scored."""
    lesson = begin_lesson(1, 9)
    window.open_lesson(lesson)
    desk = window.screens["desk"]

    def may_go_on() -> bool:
        return not desk.control.painting and desk.control.worker.idle()

    pen = PenStandIn(desk.canvas, may_go_on)
    for flaw in [flaw for flaw in lesson.plate.flaws if not flaw.keeper][:-4]:
        desk.canvas.centre_on(flaw.x, flaw.y, 1.0)
        desk.brush_strip.size.set_value(1.5 * flaw.size_px + 5, tell=True)
        wait_for(desk.canvas.ready)
        pen.play([[(flaw.x, flaw.y, 1.0)]])
        wait_for(lambda: not pen.playing and may_go_on(), 30)
    window.show_screen("practice")
    room = window.screens["practice"]
    room.score()
    wait_for(lambda: lesson.score is not None and lesson.score.automatic is not None and room.idle(), 120)
    x, y = lesson.plate.sitter.landmarks["nose_tip"]
    room.canvas.centre_on(x, y - 80, 0.62)
    window.notice.clear()


def _sitting(window: MainWindow, folder: Path) -> None:
    """Three frames of a made-up person with the same marks, the first one mended and carried over to the others."""
    for plate in make_frames(701, {"blemish_dark": 10, "blemish_red": 6, "mole": 4}):
        write_picture(folder / f"{plate.sitter.name}.png", plate.photo, profile=srgb_profile())
    window.rooms.open_sitting([folder])
    control, room = window.sitting, window.screens["sitting"]
    wait_for(room.idle, 120)
    first = control.sitting.frames[0].name
    session = Session.from_photo(folder / first)
    found = look_at(session.photo)
    session.history.amend(found.command)
    mends = [f for f in found.finds if f.worth and stage_of_kind(f.kind) == "mend"]
    wanted = [f for f in mends if session.job.find_state(f) == "open"]
    command, _ = mend_all(session.engine, session.job, wanted, session.job.stage("mend").layers[0].id)
    session.history.do(command)
    session.log_seconds({"mend": 540})
    session.save(control.job_file(first))
    control.take_finished(first, session)
    wait_for(room.idle, 60)
    QTest.mouseClick(room.main, Qt.MouseButton.LeftButton)
    wait_for(room.idle, 240)
    control.rename(control.sitting.persons[0].id, "Wren")
    control.choose(max(control.sitting.frames, key=lambda f: len(f.looks_left)).name)
    wait_for(room.idle, 60)


def _folder(path: str | Path) -> Path:
    try:
        Path(path).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveError(phrase("The folder %1 cannot be made (%2); choose another.", path, error.strerror)) from error
    return Path(path)


def _save(picture: QPixmap, path: Path, quality: int = -1) -> Path:
    if not picture.save(str(path), quality=quality):
        raise SaveError(phrase("%1 could not be written; choose another folder.", path))
    return path


def take_shots(folder: str | Path, only: Collection[str] = (*STAGE_SHOTS, *VIEW_SHOTS), *,
               handbook: str | Path | None = None, size: tuple[int, int] = USUAL_SIZE) -> list[Path]:
    """Write the PNG files; returns their paths. only: stages and views that are taken. handbook: folder for all of them
    as smaller JPEG. size: width and height of the window. Raises SaveError.
    """
    folder, book = _folder(folder), _folder(handbook) if handbook else None
    make_application()
    made: list[Path] = []
    window = MainWindow()
    window.resize(*size)
    window.show()

    def shot(name: str) -> None:
        screen = window.screen
        canvas = getattr(screen, "canvas", None)
        if canvas is not None:
            canvas.ask()
            wait_for(canvas.ready)
        wait_for(lambda: False, 0.2)
        picture = window.grab()
        if name not in _ONLY_IN_HANDBOOK:
            made.append(_save(picture, folder / f"{name}.png"))
        if book is not None:
            small = picture.scaledToWidth(_HANDBOOK_PX, Qt.TransformationMode.SmoothTransformation)
            made.append(_save(small, book / f"{name}.jpg", _HANDBOOK_QUALITY))

    shot("start")
    plate = demo_plate()
    session = make_demo(plate)
    window.take(session)
    window.notice.clear()
    desk = window.screens["desk"]
    canvas = desk.canvas
    canvas.centre_on(960, 1180, 0.8)
    wait_for(canvas.ready)
    _step_through(desk, canvas)
    shot("desk")
    desk.found.choose(None)
    if "over" in only:
        _overdo(window)
        shot("review-over")
        _undo(window)
    window.notice.clear()
    for stage, take in STAGE_SHOTS.items():
        if stage in only:
            take(desk, shot)
    if "tour" in only:
        _tour(desk, canvas, plate.sitter.landmarks)
        shot("tour")
        desk.pin.toggle()
    desk.lamps.choose("plain")
    QTest.keyClick(canvas, Qt.Key.Key_1)
    if "review" in only:
        _review(window, "side")
        shot("review-side")
    if "brief" in only:
        _brief(window)
        shot("brief")
    if "deliver" in only:
        with tempfile.TemporaryDirectory() as delivered:
            _deliver(window, Path(delivered))
            shot("deliver")
    if "logbook" in only:
        _logbook(window)
        shot("logbook")
    window.close_job()
    if "practice" in only:
        _practice(window)
        shot("practice")
        window.close_job()
    if "sitting" in only:
        with tempfile.TemporaryDirectory() as photos:
            window.show_state()
            _sitting(window, Path(photos))
            shot("sitting")
    window.close_job()
    window.show_start()
    for name, page in (("settings", ""), ("handbook", "even")):
        if name in only:
            window.rooms.show(name)
            if page:
                window.screens[name].open_page(page)
            shot(name)
    window.close()
    return made
