"""A JPEG from its file to the first picture."""

import time

import cv2

from lather.bench.row import Row
from lather.bench.window import Bench
from lather.core.session import Session


def measure(bench: Bench):
    times = []
    for _ in range(5):
        start = time.perf_counter()
        bench.window.take(Session.open(bench.jpeg))
        bench.desk = bench.window.screens["desk"]
        bench.canvas = bench.desk.canvas
        bench.settle()
        times.append(1000 * (time.perf_counter() - start))
    start = time.perf_counter()
    cv2.imread(str(bench.jpeg))
    return times, bench.canvas.picture.width * bench.canvas.picture.height * 3, (
        "OpenCV's decoding alone", 1000 * (time.perf_counter() - start))


ROW = Row("open_jpeg", 1000, "ms", measure)
