"""The networks, as OpenCV runs them. Where they come from: data/faces/SOURCE.txt."""

import threading
from functools import cache
from pathlib import Path

import cv2
import numpy as np

_FOLDER = Path(__file__).parents[1] / "data" / "faces"
_lock = threading.Lock()  # a network works on one picture at a time


@cache
def _network(name: str) -> cv2.dnn.Net:
    return cv2.dnn.readNetFromTFLite(str(_FOLDER / f"{name}.tflite"))


def run(name: str, picture: np.ndarray) -> dict[str, np.ndarray]:
    """Outputs by name. picture: (h, w, 3) RGB of the size and range that the network takes."""
    with _lock:
        network = _network(name)
        names = network.getUnconnectedOutLayersNames()
        network.setInput(np.ascontiguousarray(picture.transpose(2, 0, 1)[None], np.float32))
        return dict(zip(names, network.forward(names)))
