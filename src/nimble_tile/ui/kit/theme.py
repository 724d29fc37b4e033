"""Paper and ink: colours, font, icons and style sheet, in a light and a dark theme."""

from __future__ import annotations

import atexit
import html
import shutil
import tempfile
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontDatabase,
    QGuiApplication,
    QIcon,
    QPainter,
    QPalette,
    QPixmap,
)
from PySide6.QtWidgets import QApplication

SPACING = 4
"""Spacing comes in multiples of this many pixels."""

FONT = "Alegreya Sans"


@dataclass(frozen=True)
class Theme:
    """Colours by what they are for."""

    dark: bool
    paper: str  # the window
    panel: str  # the ladder and the verdict band
    field: str  # where something is typed
    bench: str  # behind the artwork
    ink: str
    soft: str  # second-rank text, at least 4.5 : 1 on the panel
    rule: str  # thin lines
    edge: str  # borders of fields and buttons, at least 3 : 1
    accent: str
    on_accent: str
    tint: str  # accent, very light: what is open or chosen
    well: str
    thin: str
    fails: str


LIGHT = Theme(
    dark=False,
    paper="#f3eee4",
    panel="#faf7f0",
    field="#fffdf8",
    bench="#e4ddcf",
    ink="#2a2722",
    soft="#645d51",
    rule="#dcd4c5",
    edge="#8f8778",
    accent="#1d5740",
    on_accent="#ffffff",
    tint="#e3ebe1",
    well="#1d5740",
    thin="#8a5200",
    fails="#9a2a1c",
)
DARK = Theme(
    dark=True,
    paper="#1f1d1a",
    panel="#272521",
    field="#1b1a17",
    bench="#151412",
    ink="#ece6da",
    soft="#b4ac9c",
    rule="#3b3832",
    edge="#827a6c",
    accent="#7cc3a0",
    on_accent="#10231a",
    tint="#2c3a32",
    well="#7cc3a0",
    thin="#efbd62",
    fails="#f08f7c",
)


def verdict_colour(theme: Theme, state: str) -> str:
    """Colour of a verdict's words and shape."""
    return {"well": theme.well, "thin": theme.thin, "fails": theme.fails}.get(state, theme.soft)


def plain_tip(text: str) -> str:
    """Text for a tooltip, shown to the letter: what a code says must not become markup."""
    return f"<qt>{html.escape(text)}</qt>" if text else ""


def load_fonts() -> None:
    """Register the font that ships with the program."""
    for weight in ("Regular", "Medium", "Bold"):
        data = files("nimble_tile.assets").joinpath(f"fonts/AlegreyaSans-{weight}.ttf")
        QFontDatabase.addApplicationFontFromData(QByteArray(data.read_bytes()))


def font(size: int = 15, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The program's font at a size in pixels."""
    made = QFont(FONT)
    made.setPixelSize(size)
    made.setWeight(weight)
    return made


@cache
def _svg(name: str) -> bytes:
    return files("nimble_tile.assets").joinpath(f"icons/{name}.svg").read_bytes()


@cache
def icon(name: str, colour: str, faded: str | None = None) -> QIcon:
    """An icon of the set in a colour, and in another one for the disabled state."""
    made = QIcon()
    made.addPixmap(icon_pixmap(name, colour, 20))
    if faded:
        made.addPixmap(icon_pixmap(name, faded, 20), QIcon.Mode.Disabled)
    return made


# Pixmaps must not outlive the application, which ends at exit too, but later.
atexit.register(icon.cache_clear)


def icon_pixmap(name: str, colour: str, side: int) -> QPixmap:
    """An icon as a pixmap, sharp on the screen with the highest scaling."""
    from PySide6.QtSvg import QSvgRenderer

    ratio = max((s.devicePixelRatio() for s in QGuiApplication.screens()), default=1.0)
    pixmap = QPixmap(QSize(side, side) * ratio)
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    drawing = _svg(name).replace(b"currentColor", colour.encode())
    QSvgRenderer(QByteArray(drawing)).render(painter, QRectF(0, 0, side, side))
    painter.end()
    return pixmap


@cache
def _folder() -> Path:
    """A folder of this process for icons that style sheets name by path."""
    folder = tempfile.mkdtemp(prefix="nimble-tile-icons-")
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    return Path(folder)


@cache
def icon_file(name: str, colour: str) -> str:
    """Path of an icon in a colour, for style sheets; empty if it cannot be written."""
    try:
        path = _folder() / f"{name}-{colour[1:]}.svg"
        path.write_bytes(_svg(name).replace(b"currentColor", colour.encode()))
    except OSError:
        return ""
    return path.as_posix()


def desktop_theme() -> Theme:
    """The theme that the desktop asks for."""
    scheme = QGuiApplication.styleHints().colorScheme()
    return DARK if scheme == Qt.ColorScheme.Dark else LIGHT


_applied: list[Theme] = []


def apply(app: QApplication, theme: Theme) -> None:
    """Dress the whole program, unless it wears this theme already."""
    if _applied == [theme] and app.styleSheet():
        return
    _applied[:] = [theme]
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, theme.paper),
        (roles.WindowText, theme.ink),
        (roles.Base, theme.field),
        (roles.AlternateBase, theme.panel),
        (roles.Text, theme.ink),
        (roles.Button, theme.panel),
        (roles.ButtonText, theme.ink),
        (roles.Highlight, theme.accent),
        (roles.HighlightedText, theme.on_accent),
        (roles.PlaceholderText, theme.soft),
        (roles.ToolTipBase, theme.ink),
        (roles.ToolTipText, theme.paper),
        (roles.Link, theme.accent),
        (roles.Accent, theme.accent),
    ):
        palette.setColor(role, QColor(colour))
    faded = QColor(theme.soft)
    faded.setAlphaF(0.65)
    for role in (roles.WindowText, roles.Text, roles.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, faded)
    app.setPalette(palette)
    app.setFont(font())
    app.setStyleSheet(_sheet(theme))


def _sheet(t: Theme) -> str:
    caret = icon_file("caret-down", t.soft)
    check = icon_file("check", t.on_accent)
    left, right = icon_file("caret-left", t.ink), icon_file("caret-right", t.ink)
    return f"""
QWidget {{ font-family: "{FONT}"; font-size: 15px; color: {t.ink}; }}
QMainWindow, QDialog {{ background: {t.paper}; }}
QMenuBar {{ background: {t.paper}; padding: 2px 8px; }}
QMenuBar::item {{ padding: 4px 10px; border-radius: 4px; background: transparent; }}
QMenuBar::item:selected {{ background: {t.tint}; }}
QMenu {{ background: {t.panel}; border: 1px solid {t.rule}; padding: 4px; }}
QMenu::item {{ padding: 6px 28px 6px 12px; border-radius: 4px; }}
QMenu::item:selected {{ background: {t.tint}; color: {t.ink}; }}
QMenu::item:disabled {{ color: {t.edge}; }}
QMenu::separator {{ height: 1px; background: {t.rule}; margin: 4px 8px; }}
QToolTip {{ background: {t.ink}; color: {t.paper}; border: 0; padding: 6px 8px; }}
QLabel {{ background: transparent; }}
QLabel[rank="soft"] {{ color: {t.soft}; }}
QLabel[rank="warn"] {{ color: {t.thin}; }}
QLabel[rank="error"] {{ color: {t.fails}; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; border: 0; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {t.edge}; border-radius: 3px; min-height: 28px;
  margin: 2px; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; }}
QScrollBar::handle:horizontal {{ background: {t.edge}; border-radius: 3px; min-width: 28px;
  margin: 2px; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{
  background: transparent; height: 0; width: 0; }}
QPushButton {{ background: {t.field}; border: 1px solid {t.edge}; border-radius: 5px;
  padding: 5px 12px; min-height: 20px; }}
QPushButton:hover {{ background: {t.tint}; }}
QPushButton:pressed {{ background: {t.rule}; }}
QPushButton:focus {{ border: 2px solid {t.accent}; padding: 4px 11px; }}
QPushButton:disabled {{ color: {t.edge}; border-color: {t.rule}; background: transparent; }}
QPushButton[main="true"] {{ background: {t.accent}; color: {t.on_accent};
  border-color: {t.accent}; font-weight: 500; }}
QPushButton[main="true"]:hover {{ background: {t.ink}; color: {t.paper}; border-color: {t.ink}; }}
QPushButton[main="true"]:focus {{ border: 2px solid {t.ink}; padding: 4px 11px; }}
QPushButton[main="true"]:disabled {{ background: {t.rule}; color: {t.soft};
  border-color: {t.rule}; }}
QPushButton[flat="true"] {{ background: transparent; border: 0; color: {t.accent};
  padding: 2px 0; text-align: left; text-decoration: underline; min-height: 16px; }}
QPushButton[flat="true"]:focus {{ border: 2px solid {t.accent}; padding: 0; }}
QPushButton[word] {{ padding: 1px 7px; min-height: 18px; border-radius: 9px; font-size: 14px;
  border-color: {t.rule}; background: {t.tint}; }}
QPushButton[word]:hover {{ border-color: {t.accent}; }}
QPushButton[word]:focus {{ border: 2px solid {t.accent}; padding: 0 6px; }}
QPushButton[word="unknown"] {{ background: transparent; border: 1px dashed {t.thin};
  color: {t.thin}; }}
QPushButton[segment="true"] {{ border-radius: 0; padding: 4px 4px; margin: 0;
  border-right-width: 0; }}
QPushButton[segment="true"]:focus {{ border: 2px solid {t.accent}; padding: 3px 3px; }}
QPushButton[segment="true"]:checked {{ background: {t.accent}; color: {t.on_accent};
  border-color: {t.accent}; }}
QPushButton[segment="true"]:checked:focus {{ border: 2px solid {t.ink}; }}
QPushButton[segment="true"][place="first"] {{ border-top-left-radius: 5px;
  border-bottom-left-radius: 5px; }}
QPushButton[segment="true"][place="last"] {{ border-top-right-radius: 5px;
  border-bottom-right-radius: 5px; border-right-width: 1px; }}
QPushButton[segment="true"][place="only"] {{ border-radius: 5px; border-right-width: 1px; }}
QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 5px;
  padding: 3px; }}
QCalendarWidget QWidget#qt_calendar_navigationbar {{ background: {t.tint}; }}
QCalendarWidget QToolButton {{ color: {t.ink}; font-weight: 500; padding: 3px 8px; }}
QCalendarWidget QToolButton#qt_calendar_prevmonth {{ qproperty-icon: url("{left}"); }}
QCalendarWidget QToolButton#qt_calendar_nextmonth {{ qproperty-icon: url("{right}"); }}
QCalendarWidget QToolButton::menu-indicator {{ image: none; }}
QCalendarWidget QAbstractItemView {{ background: {t.field}; outline: 0;
  selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QToolButton[fold="true"] {{ padding: 2px 6px 2px 0; font-weight: 500; }}
QLabel[head="true"] {{ font-weight: 500; }}
QCheckBox {{ spacing: 8px; }}
QCheckBox::indicator {{ width: 15px; height: 15px; border: 1px solid {t.edge};
  border-radius: 3px; background: {t.field}; }}
QCheckBox::indicator:checked {{ background: {t.accent}; border-color: {t.accent};
  image: url("{check}"); }}
QCheckBox::indicator:focus {{ border: 2px solid {t.accent}; }}
QListWidget, QTreeWidget {{ background: {t.field}; border: 1px solid {t.edge}; border-radius: 4px;
  outline: 0; padding: 2px; }}
QListWidget:focus, QTreeWidget:focus {{ border: 2px solid {t.accent}; padding: 1px; }}
QListWidget::item, QTreeWidget::item {{ padding: 4px 4px; border-radius: 3px; color: {t.ink}; }}
QListWidget::item:selected, QTreeWidget::item:selected {{ background: {t.tint}; color: {t.ink}; }}
QTreeWidget {{ show-decoration-selected: 0; }}
QTreeWidget::branch:selected {{ background: transparent; }}
QListWidget::indicator {{ width: 15px; height: 15px; border: 1px solid {t.edge};
  border-radius: 3px; background: {t.field}; }}
QListWidget::indicator:checked {{ background: {t.accent}; border-color: {t.accent};
  image: url("{check}"); }}
QCheckBox:disabled {{ color: {t.edge}; }}
QToolButton:hover {{ background: {t.tint}; }}
QToolButton:checked {{ background: {t.tint}; border: 1px solid {t.accent}; }}
QToolButton[fold="true"]:checked {{ background: transparent; border: 1px solid transparent; }}
QToolButton:focus {{ border: 2px solid {t.accent}; padding: 2px; }}
QLineEdit, QPlainTextEdit, QAbstractSpinBox, QComboBox {{ background: {t.field};
  border: 1px solid {t.edge}; border-radius: 4px; padding: 3px 6px;
  selection-background-color: {t.accent}; selection-color: {t.on_accent}; }}
QLineEdit:focus, QPlainTextEdit:focus, QAbstractSpinBox:focus, QComboBox:focus {{
  border: 2px solid {t.accent}; padding: 2px 5px; }}
QAbstractSpinBox:disabled, QComboBox:disabled {{ color: {t.edge};
  border-color: {t.rule}; background: transparent; }}
QSpinBox::up-button, QDoubleSpinBox::up-button, QSpinBox::down-button,
QDoubleSpinBox::down-button {{ width: 0; border: 0; }}
QComboBox::drop-down, QDateTimeEdit::drop-down {{ border: 0; width: 22px; }}
QComboBox::down-arrow, QDateTimeEdit::down-arrow {{ image: url("{caret}");
  width: 12px; height: 12px; }}
QComboBox QAbstractItemView {{ background: {t.panel}; border: 1px solid {t.rule};
  selection-background-color: {t.tint}; selection-color: {t.ink}; outline: 0; }}
QSlider::groove:horizontal {{ height: 2px; background: {t.edge}; border-radius: 1px; }}
QSlider::sub-page:horizontal {{ height: 2px; background: {t.accent}; }}
QSlider::handle:horizontal {{ width: 10px; height: 18px; margin: -8px 0; border-radius: 3px;
  background: {t.accent}; border: 1px solid {t.panel}; }}
QSlider::handle:horizontal:focus {{ border: 2px solid {t.ink}; }}
QSlider::groove:horizontal:disabled, QSlider::sub-page:horizontal:disabled {{
  background: {t.rule}; }}
QSlider::handle:horizontal:disabled {{ background: {t.rule}; }}
QProgressBar {{ border: 0; background: {t.rule}; height: 4px; border-radius: 2px; }}
QProgressBar::chunk {{ background: {t.accent}; border-radius: 2px; }}
QWidget#ladder, QWidget#band, QWidget#wall {{ background: {t.panel}; }}
QFrame#colours {{ background: {t.panel}; border: 1px solid {t.edge}; }}
QWidget#foot {{ background: {t.paper}; }}
QFrame[rule="true"] {{ background: {t.rule}; max-height: 1px; min-height: 1px; border: 0; }}
QFrame[upright="true"] {{ background: {t.rule}; max-width: 1px; min-width: 1px; border: 0; }}
"""
