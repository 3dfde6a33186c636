"""A mark of the lens or the sensor."""

from lather.core.kinds.base import FindKind

KIND = FindKind("lens_mark", "Lens mark")
