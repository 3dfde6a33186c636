"""Under-eye left: what is left of the hollows under the eyes."""

from lather.core.gauges.softened import left_gauge

GAUGE = left_gauge("under_eye_left", "Under-eye left", ("under_eye",), "no hollow under an eye was softened")
