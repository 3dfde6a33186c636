"""Style sheet and fonts made from the tokens."""

from pathlib import Path

from PyQt6.QtGui import QFont, QFontDatabase
from PyQt6.QtWidgets import QWidget

import lather
from lather.desktop.theme import icons, tokens

FONTS = Path(lather.__file__).parent / "core" / "data" / "fonts"


def load_fonts() -> None:
    for path in sorted(FONTS.glob("Inter-*.otf")):
        QFontDatabase.addApplicationFont(str(path))


def font(points: float = tokens.BODY_PT, *, strong: bool = False) -> QFont:
    """Inter with tabular figures."""
    chosen = QFont("Inter")
    chosen.setPointSizeF(points)
    chosen.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    chosen.setFeature(QFont.Tag("tnum"), 1)
    return chosen


def restyle(widget: QWidget, sheet: str) -> None:
    """Give a widget its own style sheet, where it is another than it has: to read one again is slow."""
    if widget.styleSheet() != sheet:
        widget.setStyleSheet(sheet)


def style_sheet() -> str:
    t = tokens.theme()
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QWidget#panel, QDialog {{ background: {t.panel}; }}
    QWidget#raised {{ background: {t.raised}; }}
    QLabel#title {{ font-weight: 600; }}
    QLabel#quiet {{ color: {t.quiet_ink}; }}
    QToolTip {{ background: {t.ink}; color: {t.raised}; border: 0; padding: 4px 6px; }}
    QPushButton {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px; padding: 5px 12px;
        min-height: 18px; }}
    QPushButton:hover {{ border-color: {t.quiet_ink}; }}
    QPushButton:focus {{ border: 2px solid {t.accent}; padding: 4px 11px; }}
    QPushButton:disabled {{ color: {t.quiet_ink}; background: {t.panel}; }}
    QPushButton#menu {{ padding-right: 22px; }}
    QPushButton#chip {{ padding: 3px 22px 3px 9px; }}
    QPushButton::menu-indicator {{ subcontrol-position: right center; right: 8px; width: 8px; }}
    QPushButton#primary {{ background: {t.accent}; color: {t.on_accent}; border-color: {t.accent}; font-weight: 600; }}
    QPushButton#primary:disabled {{ background: {t.track}; border-color: {t.track}; }}
    QPushButton#primary:focus {{ border: 2px solid {t.ink}; }}
    QPushButton#flat {{ background: transparent; border: 1px solid transparent; padding: 3px 6px;
        color: {t.quiet_ink}; }}
    QPushButton#flat:hover {{ color: {t.ink}; border-color: {t.line}; }}
    QPushButton#flat:focus {{ border: 1px solid {t.accent}; }}
    QPushButton#toggle {{ padding: 3px 7px; min-height: 18px; }}
    QPushButton#toggle:checked {{ background: {t.accent_tint}; border-color: {t.accent}; font-weight: 600; }}
    QComboBox {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px; padding: 2px 6px;
        min-height: 20px; }}
    QComboBox::drop-down {{ border: 0; width: 16px; }}
    QComboBox::down-arrow {{ image: url({icons.FOLDER.as_posix()}/{t.name}_down_small.svg); width: 9px; height: 9px; }}
    QComboBox:focus {{ border: 1px solid {t.accent}; }}
    QComboBox:disabled {{ color: {t.quiet_ink}; }}
    QComboBox QAbstractItemView {{ background: {t.raised}; selection-background-color: {t.accent_tint};
        selection-color: {t.ink}; }}
    QPushButton#tab {{ background: transparent; border: 1px solid transparent; padding: 5px 12px;
        color: {t.quiet_ink}; }}
    QPushButton#tab:hover {{ color: {t.ink}; }}
    QPushButton#tab:focus {{ border: 1px solid {t.accent}; }}
    QPushButton#tab:checked {{ background: {t.accent}; color: {t.on_accent}; font-weight: 600; }}
    QPushButton#choice {{ background: transparent; border: 1px solid transparent; border-radius: 5px; padding: 3px 7px;
        color: {t.quiet_ink}; min-height: 18px; }}
    QPushButton#choice:checked {{ background: {t.raised}; color: {t.ink}; font-weight: 600;
        border: 1px solid {t.line}; }}
    QPushButton#choice:focus {{ border: 1px solid {t.accent}; }}
    QFrame#choices {{ background: {t.track}; border-radius: 6px; }}
    QLineEdit, QSpinBox, QDoubleSpinBox {{ background: {t.raised}; border: 1px solid {t.line}; border-radius: 6px;
        padding: 4px 8px; min-height: 18px; selection-background-color: {t.accent}; }}
    QLineEdit:focus, QSpinBox:focus, QDoubleSpinBox:focus {{ border: 1px solid {t.accent}; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; }}
    QFrame#rule {{ background: {t.line}; max-height: 1px; min-height: 1px; border: 0; }}
    QFrame#notice {{ background: {t.accent_tint}; border-radius: 6px; }}
    QFrame#warning {{ background: {t.raised}; border: 1px solid {t.over}; border-radius: 6px; }}
    QScrollArea {{ background: transparent; border: 0; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.track}; border-radius: 4px; min-height: 24px; margin: 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
    QProgressBar {{ background: {t.track}; border: 0; border-radius: 3px; max-height: 6px; min-height: 6px; }}
    QProgressBar::chunk {{ background: {t.accent}; border-radius: 3px; }}
    QSlider::groove:horizontal {{ background: {t.track}; height: 4px; border-radius: 2px; }}
    QSlider::sub-page:horizontal {{ background: {t.accent}; height: 4px; border-radius: 2px; }}
    QSlider::handle:horizontal {{ background: {t.raised}; border: 2px solid {t.accent}; width: 10px; margin: -5px 0;
        border-radius: 7px; }}
    QMenu {{ background: {t.raised}; border: 1px solid {t.line}; padding: 4px; }}
    QMenu::item {{ padding: 5px 22px 5px 10px; border-radius: 4px; }}
    QMenu::item:selected {{ background: {t.accent_tint}; }}
    QMenu::item:disabled {{ color: {t.quiet_ink}; }}
    """
