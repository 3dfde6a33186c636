"""Settings brought into use: theme, pen and memory, for all that is made from now on."""

import os

from PyQt6.QtGui import QColor, QGuiApplication, QPalette

from lather.core.memory import LIMIT
from lather.desktop import texts
from lather.desktop.input import pressure
from lather.desktop.input.pressure import PressureCurve
from lather.desktop.settings.declared import BY_ID
from lather.desktop.settings.store import value
from lather.desktop.texts.languages import catalogue_for
from lather.desktop.theme import tokens

SCALE = "QT_SCALE_FACTOR"
"""Qt reads it once, when the application is made."""
SCALED_BY_SETTING = "LATHER_SCALED"
"""The same, where it is the person's setting that says so; at the next start it may be another."""

_LIMIT_GIVEN = os.environ.get(LIMIT)  # by whoever started the program


def apply_scale() -> None:
    """Before the application is made."""
    scale = str(value("scale"))
    if scale != BY_ID["scale"].start and SCALE not in os.environ:
        os.environ[SCALE] = os.environ[SCALED_BY_SETTING] = f"{int(scale) / 100:g}"


def apply() -> None:
    tokens.use(tokens.DARK if value("theme") == "dark" else tokens.LIGHT)
    if QGuiApplication.instance() is not None:
        colours = QGuiApplication.palette()
        colours.setColor(QPalette.ColorRole.Link, QColor(tokens.theme().accent))  # no style sheet reaches it
        QGuiApplication.setPalette(colours)
    texts.use(catalogue_for(str(value("language"))))
    start, full, bend = (float(value(f"pen_{name}")) for name in ("start", "full", "bend"))
    pressure.use(PressureCurve(start / 100, full / 100, bend))
    if value("memory_mb") != BY_ID["memory_mb"].start:
        os.environ[LIMIT] = f"{value('memory_mb'):.0f}"
    elif _LIMIT_GIVEN is not None:
        os.environ[LIMIT] = _LIMIT_GIVEN
    else:
        os.environ.pop(LIMIT, None)
