"""Red eye: flash light that comes back red from inside the eye, through an open pupil."""

from lather.core.kinds.base import FindKind

KIND = FindKind("red_eye", "Red eye", stage="colour")
