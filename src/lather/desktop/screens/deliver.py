"""Deliver: format, size, quality, colour, what metadata go along; progress and cancel."""

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from lather.core.colour import profiles
from lather.core.engine.export import Output, output_size
from lather.core.imageio.metadata import MetadataChoice, describe
from lather.core.job.member_names import new_stem, readable_name
from lather.desktop import settings
from lather.desktop.background import Background
from lather.desktop.canvas.display import DisplayConverter, TileImage
from lather.desktop.input.keys import TAKES_COMMANDS
from lather.desktop.open_job import OpenJob
from lather.desktop.panels.choices import Choices
from lather.desktop.panels.elided_label import breakable
from lather.desktop.panels.message_line import MessageLine
from lather.desktop.panels.switch import Switch
from lather.desktop.panels.value_slider import ValueSlider
from lather.desktop.questions import ask
from lather.desktop.screens.desk import rule
from lather.desktop.theme.style import font
from lather.desktop.theme.tokens import theme

_ENDINGS = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif"}


class DeliverScreen(QWidget):
    """One output at a time. `message(text)` says how it went."""

    message = pyqtSignal(str)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job = job
        self._background = Background(self)
        self._running = False
        photo = job.session.photo
        self.format = Choices("Format", {key: key for key in _ENDINGS}, "JPEG")
        self.bits = Choices("Depth", {"8": "8 bit", "16": "16 bit"}, "8")
        self.quality = ValueSlider("smaller file – finer", 50, 100, 92, unit="of 100")
        self.size = Choices("Size", {"full": "Full size", "long": "Long edge"}, "full")
        self.long_edge = QSpinBox()
        self.long_edge.setRange(16, max(16, photo.width, photo.height))
        self.long_edge.setValue(min(2048, max(photo.width, photo.height)))
        self.long_edge.setSuffix(" px")
        self.long_edge.setAccessibleName("Long edge in pixels")
        kinds = {"srgb": "sRGB", "own": "photo’s own", "grey": "grey"}
        self.colour = Choices("Colour", kinds, "grey" if photo.picture.grey else "srgb")
        self.rights, self.capture, self.location = (
            Switch("Keep rights and author"), Switch("Keep date and camera"), Switch("Keep the place", False),
        )
        self.folder, self.name = QLineEdit(), QLineEdit()
        self.folder.setAccessibleName("Folder")
        self.name.setAccessibleName("File name")
        self.browse = QPushButton("Choose …")
        self.deliver = QPushButton("Deliver")
        self.deliver.setObjectName("primary")
        self.cancel = QPushButton("Stop")
        self.progress = QProgressBar()
        self.progress.setRange(0, 1000)
        self.progress.setTextVisible(False)
        self.result = QLabel()
        self.result.setWordWrap(True)
        self.preview = QLabel()
        self._arrange()
        self._connect()
        start = job.session.job_file or job.session.photo_path
        self.folder.setText(str(start.parent if start else Path.home()))
        self.name.setText(f"{new_stem(photo.name)}-retouched.jpg")
        self._update()

    def _arrange(self) -> None:
        self.setProperty(TAKES_COMMANDS, True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        row = QHBoxLayout()
        row.setSpacing(0)
        whole.addLayout(row, 1)
        self.messages = MessageLine()
        self.messages.show_hint("Esc goes back to the desk.")
        whole.addWidget(self.messages)
        self.preview.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.preview.setMinimumWidth(380)
        self.preview.setStyleSheet(f"background: {theme().surround};")
        row.addWidget(self.preview, 4)
        form = QWidget()
        form.setObjectName("panel")
        form.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(form)
        column.setContentsMargins(28, 22, 28, 22)
        column.setSpacing(12)
        title = QLabel("Deliver the picture")
        title.setFont(font(12, strong=True))
        column.addWidget(title)
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(11)
        grid.setColumnMinimumWidth(0, 92)
        grid.setColumnStretch(1, 1)
        keep = QWidget()
        kept = QHBoxLayout(keep)
        kept.setContentsMargins(0, 0, 0, 0)
        for switch, text in ((self.rights, "rights"), (self.capture, "date and camera"), (self.location, "place")):
            kept.addWidget(switch)
            kept.addWidget(QLabel(text))
            kept.addSpacing(10)
        kept.addStretch(1)
        lines = (
            ("Format", [self.format, self.bits]), ("Quality", [self.quality]), ("Size", [self.size, self.long_edge]),
            ("Colour", [self.colour]), ("Keep", [keep]), ("Folder", [self.folder, self.browse]),
            ("File name", [self.name]),
        )
        self._labels = {}
        for number, (label, widgets) in enumerate(lines):
            word = QLabel(label)
            word.setObjectName("quiet")
            self._labels[label] = word
            grid.addWidget(word, number, 0)
            line = QHBoxLayout()
            line.setSpacing(10)
            for widget in widgets:
                line.addWidget(widget)
            if widgets[0] not in (self.folder, self.name, keep):
                line.addStretch(1)
            grid.addLayout(line, number, 1)
        self.quality.setFixedWidth(240)
        self.long_edge.setFixedWidth(110)
        column.addLayout(grid)
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        column.addWidget(rule())
        column.addWidget(self.summary)
        buttons = QHBoxLayout()
        buttons.addWidget(self.deliver)
        buttons.addWidget(self.cancel)
        buttons.addWidget(self.progress, 1)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addWidget(self.result)
        column.addStretch(1)
        caution = QLabel("A photo for an identity document must not be retouched. In some places advertising with "
                         "altered bodies has to be labelled: check the local rules.")
        caution.setObjectName("quiet")
        caution.setWordWrap(True)
        column.addWidget(caution)
        row.addWidget(form, 5)
        self.cancel.hide()
        self.progress.hide()

    def _connect(self) -> None:
        self.format.chosen.connect(self._format_chosen)
        for choices in (self.bits, self.size, self.colour):
            choices.chosen.connect(self._update)
        self.long_edge.valueChanged.connect(self._update)
        self.name.textChanged.connect(self._update)
        self.folder.textChanged.connect(self._update)
        self.browse.clicked.connect(self._browse)
        self.deliver.clicked.connect(self.start)
        self.cancel.clicked.connect(lambda: self._background.cancel("deliver"))

    def _format_chosen(self, fmt: str) -> None:
        if fmt == "JPEG":
            self.bits.set_value("8")
        self.name.setText(str(Path(self.name.text()).with_suffix(_ENDINGS[fmt])))
        self._update()

    def _browse(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder to deliver into", self.folder.text())
        if folder:
            self.folder.setText(folder)

    def output(self) -> Output:
        return Output(
            bits=int(self.bits.value), quality=round(self.quality.value),
            long_edge_px=self.long_edge.value() if self.size.value == "long" else None,
            to_srgb=self.colour.value != "own", grey=self.colour.value == "grey",
            metadata=MetadataChoice(self.rights.isChecked(), self.capture.isChecked(), self.location.isChecked()),
        )

    def _update(self, *_) -> None:
        photo, output = self.job.session.photo, self.output()
        fmt = self.format.value
        self.bits.set_enabled("16", fmt != "JPEG")
        self.quality.setEnabled(fmt == "JPEG")
        self.long_edge.setEnabled(self.size.value == "long")
        own = profiles.name(photo.profile)
        width, height = output_size(photo.width, photo.height, output.long_edge_px)
        colour = "grey" if output.grey else "sRGB" if output.to_srgb else own
        ppi = f" at {photo.picture.ppi:g} ppi" if photo.picture.ppi else ""
        facts = describe(photo.picture.exif)
        place = " The photo holds no place." if not facts["has_location"] else ""
        self.summary.setText(
            f"{width} × {height} px{ppi}, {output.bits} bit {fmt}, {colour} embedded. The photo is {own}.{place}"
        )
        replaces = bool(self.name.text().strip()) and self.path().is_file()
        self.deliver.setText("Deliver and replace" if replaces else "Deliver")
        self.deliver.setToolTip("A file of this name is there and will be replaced" if replaces else "")
        self.deliver.setEnabled(bool(self.name.text().strip()) and not self._running)

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._update()
        QTimer.singleShot(0, self._make_preview)

    def _make_preview(self) -> None:
        """The finished picture, made in a thread at the level that fits."""
        engine, job = self.job.session.engine, self.job.job
        ratio = self.devicePixelRatioF()
        room = (max(64, self.preview.width() - 48), max(64, self.preview.height() - 48))

        def work(task):
            level = 0
            while max(engine.photo.level_bounds(level + 1).x1 / room[0], engine.photo.level_bounds(level + 1).y1
                      / room[1]) >= ratio:
                level += 1
            converter = DisplayConverter(engine.photo.profile, settings.display_profile())
            bgrx = converter.bgrx(engine.pixels(job, engine.photo.level_bounds(level), level))
            return TileImage(bgrx), room, ratio

        self._background.run("preview", work, self._show_preview, failed=self.message.emit, newest=True)

    def _show_preview(self, made) -> None:
        tile, room, ratio = made
        pixmap = QPixmap.fromImage(tile.image).scaled(
            round(room[0] * ratio), round(room[1] * ratio), Qt.AspectRatioMode.KeepAspectRatio,
            Qt.TransformationMode.SmoothTransformation,
        )
        pixmap.setDevicePixelRatio(ratio)
        self.preview.setPixmap(pixmap)

    def path(self) -> Path:
        return Path(self.folder.text()).expanduser() / self.name.text().strip()

    def start(self) -> None:
        """Deliver in the background."""
        path = self.path()
        if not self._folder_is_there(path.parent):
            return
        session, job, output = self.job.session, self.job.job, self.output()
        self._running = True
        self.progress.setValue(0)
        self.result.setText("")
        for widget in (self.cancel, self.progress):
            widget.show()
        self._update()

        def work(task) -> str:
            session.export(path, output, task.tick, job=job)
            return f"Delivered: {path}"

        self._background.run("deliver", work, lambda text: self._show_end(text, True),
                             failed=lambda text: self._show_end(text, False),
                             progress=lambda share, _: self.progress.setValue(round(1000 * share)))

    def _folder_is_there(self, folder: Path) -> bool:
        """True when it is; a missing one is made if the person says so."""
        if folder.is_dir():
            return True
        answer = ask(self, f"The folder {readable_name(str(folder))} does not exist.",
                     {"make": "Make it and deliver", "stay": "Cancel"}, otherwise="stay")
        if answer != "make":
            return False
        try:
            folder.mkdir(parents=True)
        except (OSError, ValueError) as error:
            why = getattr(error, "strerror", None) or error
            self._show_end(f"The folder {readable_name(str(folder))} cannot be made ({why}); choose another.", False)
            return False
        return True

    def _show_end(self, text: str, good: bool) -> None:
        self._running = False
        for widget in (self.cancel, self.progress):
            widget.hide()
        self.result.setStyleSheet("" if good else f"color: {theme().over};")
        self.result.setText(breakable(text))
        self._update()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape:  # from a text field
            self.setFocus()
        else:
            super().keyPressEvent(event)

    def press(self, action: str) -> None:
        """No keys of its own."""

    def release(self, action: str) -> None:
        """No keys of its own."""

    def close_job(self) -> None:
        self._background.close(wait=False)
