"""Stroke points as `.npy` bytes, read without ever unpickling."""

import io

import numpy as np

from lather.core.errors import JobFileError

_MAX_POINTS = 5_000_000


def points_to_npy(points: np.ndarray) -> bytes:
    buffer = io.BytesIO()
    np.lib.format.write_array(buffer, np.ascontiguousarray(points, np.float32), version=(1, 0), allow_pickle=False)
    return buffer.getvalue()


def points_from_npy(data: bytes, name: str) -> np.ndarray:
    """float32 (n, 4), finite. Raises JobFileError naming the array."""
    try:
        array = np.lib.format.read_array(io.BytesIO(data), allow_pickle=False, max_header_size=1000)
    except Exception as error:
        raise JobFileError(f"The stroke {name} in the job is damaged; the last saved copies beside it may be whole."
                           ) from error
    if array.dtype != np.float32 or array.ndim != 2 or array.shape[1] != 4 or len(array) > _MAX_POINTS:
        raise JobFileError(f"The stroke {name} in the job is not a list of pen points; open an earlier copy.")
    if len(array) == 0 or not np.isfinite(array).all():
        raise JobFileError(f"The stroke {name} in the job holds values that are not numbers; open an earlier copy.")
    return array
