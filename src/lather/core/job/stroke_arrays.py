"""Stroke points as `.npy` bytes, read without ever unpickling."""

import io
import re

import numpy as np

from lather.core.errors import JobFileError
from lather.core.phrases import phrase

_MAX_POINTS = 5_000_000
_USUAL_HEADER = re.compile(rb"\x93NUMPY\x01\x00v\x00{'descr': '<f4', 'fortran_order': False, 'shape': \((\d+), 4\), }")


def points_to_npy(points: np.ndarray) -> bytes:
    """Points (n, 4) as the bytes of a .npy file, float32."""
    buffer = io.BytesIO()
    np.lib.format.write_array(buffer, np.ascontiguousarray(points, np.float32), version=(1, 0), allow_pickle=False)
    return buffer.getvalue()


def points_from_npy(data: bytes, name: str) -> np.ndarray:
    """float32 (n, 4), finite. Raises JobFileError naming the array."""
    try:
        usual = _USUAL_HEADER.match(data)
        if usual:  # what `points_to_npy` writes: thousands of these are read at a time
            count = int(usual[1])
            return _checked(np.frombuffer(data, np.float32, count * 4, offset=128).reshape(count, 4), name)
        array = np.lib.format.read_array(io.BytesIO(data), allow_pickle=False, max_header_size=1000)
    except JobFileError:
        raise
    except Exception as error:
        raise JobFileError(phrase("The stroke %1 in the job is damaged; the last saved copies beside it may be whole.",
                                  name)
                           ) from error
    return _checked(array, name)


def _checked(array: np.ndarray, name: str) -> np.ndarray:
    if array.dtype != np.float32 or array.ndim != 2 or array.shape[1] != 4 or len(array) > _MAX_POINTS:
        raise JobFileError(phrase("The stroke %1 in the job is not a list of pen points; open an earlier copy.", name))
    if len(array) == 0 or not np.isfinite(array).all():
        raise JobFileError(phrase("The stroke %1 in the job holds values that are not numbers; open an earlier copy.",
                                  name))
    return array
