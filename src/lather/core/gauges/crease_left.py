"""Creases left: what is left of the creases."""

from lather.core.gauges.softened import left_gauge

GAUGE = left_gauge("crease_left", "Creases left", ("crease",), "no crease was softened")
