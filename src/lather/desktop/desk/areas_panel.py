"""Fence and face map: where strokes may go, and where the face is."""

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lather.desktop.controls.areas.face_map import FaceControl
from lather.desktop.controls.areas.fence import FenceControl
from lather.desktop.texts import tr
from lather.desktop.theme.style import font
from lather.desktop.widgets.value_slider import ValueSlider


class AreasPanel(QWidget):
    """Buttons of the fence and the face map, and the fence's feather."""

    def __init__(self, fence: FenceControl, face: FaceControl, parent=None):
        super().__init__(parent)
        self._fence, self._face = fence, face
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        title = QLabel(tr("Fence and face"))
        title.setFont(font(strong=True))
        column.addWidget(title)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.draw = self._button(
            "Draw fence", "Confine strokes: draw an outline, or touch a place to grow to its edges"
        )
        self.draw.setCheckable(True)
        self.draw.clicked.connect(fence.set_drawing)
        self.remove = self._button("No fence", "Strokes go everywhere again")
        self.remove.clicked.connect(fence.remove)
        self.face = self._button("Face map", "See the points of the face and drag them where they belong")
        self.face.setCheckable(True)
        self.face.clicked.connect(face.set_editing)
        for button in (self.draw, self.remove, self.face):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        self.feather = ValueSlider("Feather of the fence", 0, 60, 6, unit="px")
        self.feather.changed.connect(lambda value, _: fence.set_feather(value))
        column.addWidget(self.feather)
        fence.changed.connect(self.refresh)
        face.changed.connect(self.refresh)
        self.refresh()

    @staticmethod
    def _button(text: str, tip: str) -> QPushButton:
        button = QPushButton(tr(text))
        button.setObjectName("toggle")
        button.setToolTip(tr(tip))
        return button

    def refresh(self) -> None:
        self.draw.setChecked(self._fence.drawing)
        self.face.setChecked(self._face.editing)
        has = self._fence.state.fence is not None
        self.remove.setVisible(has)
        self.feather.setVisible(has or self._fence.drawing)
