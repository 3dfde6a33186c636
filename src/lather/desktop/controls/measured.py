"""What is measured of the photo once, beside the window: grain, texture scale, safe ground, bare skin."""

import threading

from PyQt6.QtCore import QObject, pyqtSignal

from lather.core.find.bare_skin import skin_fence
from lather.core.job.face_map import FaceMap
from lather.core.job.fence import Fence
from lather.core.job.grain_model import GrainModel
from lather.core.measure.photo_measures import PhotoMeasures
from lather.core.measure.texture_scale import TextureScale
from lather.desktop.open_job import OpenJob

_USUAL_SPLIT_SHARE = 0.003  # of the face width, until the texture is measured (6 px on a face of 2000 px)


class Measured(QObject):
    """`ready()` in the window's thread when all is known; until then the values are None or usual ones."""

    ready = pyqtSignal()
    _done = pyqtSignal(object)

    def __init__(self, job: OpenJob, parent=None):
        super().__init__(parent)
        self.job = job
        self.measures: PhotoMeasures | None = None
        self.grain: GrainModel | None = None
        self.texture: TextureScale | None = None
        self.fence: Fence | None = None
        self._face: FaceMap | None = None
        self._thread: threading.Thread | None = None
        self._done.connect(self._take)

    def ask(self) -> None:
        """Measure in the background, if it has not been done with this face map."""
        face = self.job.job.face_map
        if self._thread is not None or (self.measures is not None and self._face == face):
            return
        photo = self.job.session.photo
        self._face = face

        def work() -> None:
            try:
                measures = PhotoMeasures(photo, face)
                values = (measures, measures.grain, measures.texture_scale, skin_fence(measures), measures.ground)
            except Exception as error:  # the desk goes on with usual values
                values = error
            self._done.emit(values)

        self._thread = threading.Thread(target=work, name="measure", daemon=True)
        self._thread.start()

    def _take(self, values: object) -> None:
        self._thread = None
        if isinstance(values, tuple):
            self.measures, self.grain, self.texture, self.fence, _ = values
            self.ready.emit()

    def idle(self) -> bool:
        return self._thread is None

    @property
    def split_px(self) -> float:
        """Proposed split width."""
        if self.texture is not None:
            return round(self.texture.split_px, 1)
        face = self.job.job.face_map
        return max(2.0, round(_USUAL_SPLIT_SHARE * (face.width_px if face is not None else 1200), 1))

    def close(self) -> None:
        if self._thread is not None:
            self._thread.join(timeout=20)
