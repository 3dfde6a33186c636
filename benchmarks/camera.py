"""Pictures as cameras give them: what every net of this project is fitted on goes through here first.

One function, `photographed`: exposure, white balance, tone curve, saturation, clipped highlights and vignette; defocus,
motion; noise by brightness and its reduction; sharpening; fewer pixels; JPEG, once or twice. Each of them now and then.
"""

import cv2
import numpy as np

_GAMMA = 2.2
_WARM, _TINT = 0.16, 0.05  # natural logarithms of red over green, and green over both, at 1,500 K off
_FACE_PX = (90, 700)


def photographed(picture: np.ndarray, rng: np.random.Generator, *, face_px: float | None = None,
                 hard: float = 1.0) -> np.ndarray:
    """A picture (h, w, 3) of encoded RGB 0-1 as some camera gives it; float32, of the same size.

    face_px: how wide a face is in it; it may then be seen with fewer pixels. hard: 0 to 1, how much is done to it.
    """
    camera = Camera(rng, hard)
    return camera.taken(camera.lit(picture), face_px=face_px)


class Camera:
    """One exposure: what it does to the light is the same for whatever is in front of it."""

    def __init__(self, rng: np.random.Generator, hard: float = 1.0):
        self._rng, self._hard = rng, hard
        warm, tint = hard * rng.uniform(-1, 1, 2) * (_WARM, _TINT)
        gains = 2 ** (hard * rng.uniform(-1, 1)) * np.exp([warm + tint, -tint, -warm + tint])
        self._gains = gains.astype(np.float32)
        self._vignette = hard * rng.uniform(0.05, 0.4) if rng.random() < 0.4 else 0.0
        self._clips = (rng.uniform(0.6, 1.0), rng.uniform(1.0, 1.25)) if rng.random() < 0.3 else None
        self._bend, self._rise = hard * rng.uniform(-0.12, 0.12), np.exp(hard * rng.uniform(-0.25, 0.25))
        self._saturation = np.float32(np.exp(hard * rng.uniform(np.log(0.7), np.log(1.4))))

    def lit(self, picture: np.ndarray, *, vignette: bool = True) -> np.ndarray:
        """Exposure, white balance, vignette, highlights, tone curve and saturation; encoded RGB 0-1 to the same."""
        linear = cv2.pow(np.clip(picture, 0, 1).astype(np.float32), _GAMMA) * self._gains
        if vignette and self._vignette:
            height, width = picture.shape[:2]
            ys, xs = np.ogrid[-1 : 1 : height * 1j, -1 : 1 : width * 1j]
            linear *= (1 - self._vignette * (xs * xs + ys * ys) / 2).astype(np.float32)[..., None]
        if self._clips is not None:  # highlights end earlier, hard
            linear = np.minimum(linear, self._clips[0]) * self._clips[1]
        seen = cv2.pow(np.clip(linear, 0, 1).astype(np.float32), self._rise / _GAMMA).reshape(picture.shape)
        seen = seen - np.float32(self._bend) * np.sin(2 * np.pi * seen) / 2
        grey = seen.mean(-1, keepdims=True)
        return np.clip(grey + (seen - grey) * self._saturation, 0, 1)

    def taken(self, lit: np.ndarray, *, face_px: float | None = None) -> np.ndarray:
        """What `lit` becomes by the lens, the sensor and the file."""
        rng, hard, shape = self._rng, self._hard, lit.shape[1::-1]
        seen = _lens(lit, rng, hard)
        if face_px is not None and rng.random() < 0.5 * hard:
            share = max(np.exp(rng.uniform(*np.log(_FACE_PX))) / face_px, 24 / min(shape))
            if share < 1:
                seen = cv2.resize(seen, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
        seen = _sensor(seen, rng, hard)
        for _ in range(1 + (rng.random() < 0.3)):
            if rng.random() < 0.75 * hard:
                seen = through_jpeg(seen, int(rng.integers(60, 96)))
        if seen.shape[1::-1] != shape:
            seen = cv2.resize(seen, shape, interpolation=cv2.INTER_LINEAR)
        return np.clip(seen, 0, 1)


def through_jpeg(picture: np.ndarray, quality: int) -> np.ndarray:
    """Written as JPEG with chroma at half the size, and read again."""
    codes = np.clip(picture * 255 + 0.5, 0, 255).astype(np.uint8)
    settings = [cv2.IMWRITE_JPEG_QUALITY, quality,
                cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_420]
    _, file = cv2.imencode(".jpg", codes[..., ::-1], settings)
    return cv2.imdecode(file, cv2.IMREAD_COLOR)[..., ::-1].astype(np.float32) / 255


def _lens(picture, rng, hard):
    """Out of focus, moved, or soft."""
    how = rng.random()
    if how < 0.35 * hard:
        return cv2.GaussianBlur(picture, (0, 0), rng.uniform(0.4, 1.6))
    if how < 0.45 * hard:  # the disc of an aperture
        radius = rng.uniform(1.0, 2.6)
        ys, xs = np.mgrid[-3:4, -3:4]
        disc = np.clip(radius + 0.5 - np.hypot(xs, ys), 0, 1).astype(np.float32)
        return cv2.filter2D(picture, -1, disc / disc.sum(), borderType=cv2.BORDER_REPLICATE)
    if how < 0.55 * hard:  # moved
        trace = np.zeros((9, 9), np.float32)
        turn, reach = rng.uniform(0, np.pi), rng.uniform(1, 4)
        way = reach * np.array([np.cos(turn), np.sin(turn)])
        ends = [tuple(int(v) for v in np.round((4 + sign * way) * 16)) for sign in (-1, 1)]
        cv2.line(trace, *ends, 1.0, 1, cv2.LINE_8, 4)
        return cv2.filter2D(picture, -1, trace / trace.sum(), borderType=cv2.BORDER_REPLICATE)
    return picture


def _sensor(picture, rng, hard):
    """Noise of light and colour, less where it is bright; then what cameras do against it, and sharpening."""
    if rng.random() < 0.7:
        level = hard * rng.uniform(0, 0.035)
        cv2.setRNGSeed(int(rng.integers(2**31)))  # OpenCV draws a normal field five times as fast
        light, colour, patches = (cv2.randn(np.empty((*picture.shape[:2], n), np.float32), np.zeros(n), np.ones(n))
                                  for n in (1, 3, 3))
        fine = light.reshape(*picture.shape[:2], 1) + 0.5 * colour
        patchy = cv2.GaussianBlur(patches, (0, 0), rng.uniform(0.8, 2.0))
        picture = picture + level * (1.2 - picture) * (fine + 1.5 * patchy)
    if rng.random() < 0.35 * hard:
        codes = np.clip(picture * 255 + 0.5, 0, 255).astype(np.uint8)
        codes = cv2.medianBlur(codes, 3) if rng.random() < 0.4 else cv2.bilateralFilter(codes, 5, rng.uniform(8, 30), 2)
        picture = codes.astype(np.float32) / 255
    if rng.random() < 0.45:
        soft = cv2.GaussianBlur(picture, (0, 0), rng.uniform(0.6, 1.8))
        picture = picture + hard * rng.uniform(0.2, 1.2) * (picture - soft)
    return np.clip(picture, 0, 1).astype(np.float32)
