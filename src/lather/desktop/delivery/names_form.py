"""Where outputs go and what they are called: pattern, folder, and which metadata go along."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QWidget

from lather.core.deliver.names import FIELDS, USUAL_PATTERN
from lather.core.imageio.metadata import MetadataChoice, describe
from lather.core.job.model import Job
from lather.desktop import settings
from lather.desktop.delivery.output_row import small
from lather.desktop.opening.open_job import OpenJob
from lather.desktop.texts import tr
from lather.desktop.widgets.switch import Switch

_LABELS_PX = 90


class NamesForm(QWidget):
    """`changed()` at every letter; `pattern_kept(text)` when a pattern is done."""

    changed = pyqtSignal()
    pattern_kept = pyqtSignal(str)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.pattern, self.folder = QLineEdit(), QLineEdit()
        self.pattern.setAccessibleName("Pattern of the file names")
        self.folder.setAccessibleName("Folder")
        self.field = QComboBox()
        self.field.setAccessibleName("Insert a field")
        self.field.setToolTip(tr("Fields stand in braces and are filled in for each output"))
        self.field.addItems([tr("Insert field"), *(tr(says) for says in FIELDS.values())])
        self.browse = QPushButton(tr("Choose …"))
        self.rights, self.capture, self.location = (
            Switch("Keep rights and author"), Switch("Keep date and camera"), Switch("Keep the place", False),
        )
        self.location.setEnabled(bool(describe(job.session.photo.picture.exif)["has_location"]))
        self._arrange()
        self.field.activated.connect(self._insert_field)
        self.pattern.textChanged.connect(lambda _: self.changed.emit())
        self.pattern.editingFinished.connect(lambda: self.pattern_kept.emit(self.pattern.text()))
        self.folder.textChanged.connect(lambda _: self.changed.emit())
        self.browse.clicked.connect(self._browse)
        self.folder.setText(str(settings.delivery_folder(job.session)))
        self.pattern.setText(pattern_of(job.job))

    def _arrange(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        keep = QHBoxLayout()
        keep.setSpacing(6)
        for switch, text in ((self.rights, "rights"), (self.capture, "date and camera"), (self.location, "place")):
            keep.addWidget(switch)
            keep.addWidget(QLabel(tr(text)))
            keep.addSpacing(12)
        keep.addStretch(1)
        rows = (("Name pattern", self.pattern, self.field), ("Folder", self.folder, self.browse))
        for number, (label, widget, beside) in enumerate(rows):
            grid.addWidget(small(label), number, 0)
            grid.addWidget(widget, number, 1)
            grid.addWidget(beside, number, 2)
        grid.addWidget(small("Keep in files"), 2, 0)
        grid.addLayout(keep, 2, 1, 1, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnMinimumWidth(0, _LABELS_PX)

    @property
    def path(self) -> Path:
        return Path(self.folder.text()).expanduser()

    @property
    def metadata(self) -> MetadataChoice:
        return MetadataChoice(self.rights.isChecked(), self.capture.isChecked(), self.location.isChecked())

    def _insert_field(self, index: int) -> None:
        if index:
            self.pattern.insert(f"{{{list(FIELDS)[index - 1]}}}")
            self.pattern_kept.emit(self.pattern.text())
        self.field.setCurrentIndex(0)

    def _browse(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder to deliver into", self.folder.text())
        if folder:
            self.folder.setText(folder)


def pattern_of(job: Job) -> str:
    """The pattern of a job's sheet, else the usual one."""
    return str(job.brief.get("pattern") or USUAL_PATTERN)
