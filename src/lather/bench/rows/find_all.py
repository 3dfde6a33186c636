"""All flaws found and the face measured."""

import time

import cv2

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.engine.photo import Photo
from lather.core.find.finder import find_all
from lather.core.imageio.picture import Picture


def measure(bench: Bench):
    """All finders and the face, from nothing measured; the loops are compiled before."""
    photo = bench.window.job.session.photo
    small = Photo(Picture(cv2.resize(photo.picture.pixels, None, fx=0.2, fy=0.2)), b"", "small")
    find_all(small)
    times = []
    for _ in range(3):
        start = time.perf_counter()
        find_all(Photo(photo.picture, photo.file_bytes, photo.name))
        times.append(1000 * (time.perf_counter() - start))
    return times, photo.width * photo.height * 3, None


ROW = Row("find_all", 4000, "ms", measure)
