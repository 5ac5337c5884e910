"""The look: neutral greys so that colour can be judged, fern green for what is active, nothing else."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

from PySide6.QtCore import QByteArray, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontDatabase, QGuiApplication, QIcon, QPainter, QPalette, QPixmap
from PySide6.QtSvg import QSvgRenderer

_HERE = Path(__file__).parent


@dataclass(frozen=True)
class Tones:
    """The colours of one look. Text on its ground meets WCAG AA (4.5 : 1)."""

    ground: str
    panel: str
    field: str
    line: str
    text: str
    quiet: str
    active: str
    on_active: str
    soft_active: str
    warn: str


LIGHT = Tones(
    "#d4d4d4", "#e6e6e6", "#f6f6f6", "#bdbdbd", "#1f1f1f", "#555555", "#2c6b4c", "#ffffff", "#cfe0d6", "#8a3b12",
)  # fmt: skip

DARK = Tones(
    "#1b1b1b", "#262626", "#333333", "#4d4d4d", "#ececec", "#b0b0b0", "#7cc79f", "#10241a", "#2f4a3c", "#f2a477",
)  # fmt: skip
_now = [LIGHT]
_text = [1.0]  # how many times as large as usual text is
_DESKTOP_TEXT = 11.0  # points; desktops with larger text have it larger here, too


def tones() -> Tones:
    """The colours of the look that was chosen."""
    return _now[0]


def choose(dark: bool, text: float = 1.0) -> None:
    """Choose a look, and how many times as large as usual text is; whatever is made from now on has it."""
    _now[0], _text[0] = DARK if dark else LIGHT, text
    icon.cache_clear()


def desktop_text(points: float) -> float:
    """How many times as large as usual text is on a desktop that has it so many points large."""
    return min(max(points / _DESKTOP_TEXT, 1.0), 2.0)


def with_text(pixels: int) -> int:
    """A length in pixels that grows with text."""
    return round(pixels * _text[0])


def load_fonts() -> None:
    """Make the shipped fonts known, so that the window looks the same on a machine with none."""
    for path in sorted((_HERE.parents[1] / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


@cache
def icon(name: str, colour: str = "", active: str = "") -> QIcon:
    """One of our own icons in a colour (that of text, if none is said); ``active`` is its colour when checked."""
    made = QIcon()
    made.addPixmap(_pixmap(name, colour or tones().text))  # Qt makes a pale one of it where it is disabled
    if active:
        made.addPixmap(_pixmap(name, active), QIcon.Mode.Normal, QIcon.State.On)
    return made


def _pixmap(name: str, colour: str, size: int = 20) -> QPixmap:
    text = (_HERE / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    screen = QGuiApplication.primaryScreen()
    ratio = max(2.0, screen.devicePixelRatio() if screen is not None else 1.0)
    pixmap = QPixmap(QSize(int(size * ratio), int(size * ratio)))
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(text.replace("currentColor", colour).encode())).render(
        painter, QRectF(0, 0, size * ratio, size * ratio)
    )
    painter.end()
    pixmap.setDevicePixelRatio(ratio)
    return pixmap


def palette(of: Tones) -> QPalette:
    """What the style draws by itself (number fields and the like) in the same colours."""
    made = QPalette()
    roles = QPalette.ColorRole
    for role, tone in (
        (roles.Window, of.panel), (roles.Base, of.field), (roles.Button, of.field), (roles.Text, of.text),
        (roles.WindowText, of.text), (roles.ButtonText, of.text), (roles.Highlight, of.active),
        (roles.HighlightedText, of.on_active), (roles.PlaceholderText, of.quiet), (roles.Accent, of.active),
    ):  # fmt: skip
        made.setColor(role, QColor(tone))
    if of is DARK:  # edges that the style would make lighter than what they are of
        for role, tone in (
            (roles.Light, of.line), (roles.Midlight, of.line), (roles.Mid, of.ground), (roles.Dark, of.ground),
            (roles.Shadow, of.ground), (roles.ToolTipBase, of.field), (roles.ToolTipText, of.text),
        ):  # fmt: skip
            made.setColor(role, QColor(tone))
    return made


def sheet(of: Tones) -> str:
    """The style sheet of the whole window."""
    mark = (_HERE / "icons" / ("check-dark.svg" if of is DARK else "check-light.svg")).as_posix()
    return f"""
* {{ font-family: "Inter"; font-size: {with_text(12)}px; color: {of.text}; }}
QMainWindow, QWidget#ground {{ background: {of.ground}; }}
QWidget#panel, QFrame#panel {{ background: {of.panel}; }}
QLabel#quiet {{ color: {of.quiet}; }}
QLabel#heading {{ font-weight: 600; }}
QLabel#warn {{ color: {of.warn}; }}
QLabel#projectName {{ font-weight: 600; font-size: {with_text(13)}px; }}
QToolTip {{ background: {of.field}; color: {of.text}; border: 1px solid {of.line}; padding: 3px; }}
QPushButton, QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 5px; padding: 4px 8px; }}
QToolButton {{ padding: 4px; }}
QPushButton {{ background: {of.field}; border-color: {of.line}; }}
QPushButton:hover, QToolButton:hover {{ background: {of.field}; border-color: {of.line}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {of.line}; }}
QPushButton:checked {{ background: {of.soft_active}; border-color: {of.active}; }}
QPushButton:focus, QToolButton:focus {{ border-color: {of.active}; }}
QPushButton:disabled {{ color: {of.quiet}; }}
QPushButton#primary {{ background: {of.active}; color: {of.on_active}; border-color: {of.active}; font-weight: 600; }}
QPushButton#primary:disabled {{ background: {of.line}; border-color: {of.line}; color: {of.quiet}; }}
QToolButton:checked {{ background: {of.soft_active}; border-color: {of.active}; }}
QToolButton#station {{ padding: 6px 14px; border-radius: 0; border: none; border-bottom: 3px solid transparent; font-weight: 500; }}
QToolButton#station:checked {{ background: transparent; border-bottom: 3px solid {of.active}; color: {of.active}; font-weight: 600; }}
QToolButton#station:focus {{ background: {of.field}; }}
QLineEdit#plain {{ background: {of.field}; border: 1px solid {of.line}; border-radius: 4px; padding: 2px 5px; min-height: 18px; selection-background-color: {of.active}; selection-color: {of.on_active}; }}
QLineEdit#plain:focus {{ border-color: {of.active}; }}
QComboBox QAbstractItemView {{ background: {of.field}; border: 1px solid {of.line}; selection-background-color: {of.soft_active}; selection-color: {of.text}; }}
QMenu {{ background: {of.field}; border: 1px solid {of.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 10px; border-radius: 4px; }}
QMenu::item:selected {{ background: {of.soft_active}; }}
QMenuBar, QMenuBar::item {{ background: {of.panel}; }}
QMenuBar::item:selected {{ background: {of.soft_active}; }}
QDialog {{ background: {of.panel}; }}
QPlainTextEdit, QTreeWidget, QSpinBox, QKeySequenceEdit {{ background: {of.field}; }}
QMenu::item:disabled {{ color: {of.quiet}; }}
QSlider::groove:horizontal {{ height: 4px; background: {of.line}; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {of.quiet}; border-radius: 2px; }}
QSlider::handle:horizontal {{ width: 12px; height: 12px; margin: -5px 0; border-radius: 6px; background: {of.field}; border: 1px solid {of.quiet}; }}
QSlider::handle:horizontal:hover, QSlider::handle:horizontal:focus {{ border: 2px solid {of.active}; }}
QTabWidget::pane {{ border: none; border-top: 1px solid {of.line}; }}
QTabBar {{ background: {of.panel}; }}
QTabBar::tab {{ padding: 4px 12px; border: none; border-bottom: 2px solid transparent; color: {of.quiet}; }}
QTabBar::tab:selected {{ color: {of.active}; border-bottom: 2px solid {of.active}; font-weight: 600; }}
QTabBar#narrow::tab {{ padding: 3px 6px; }}
QTabBar::tab:focus {{ background: {of.field}; }}
QTableView, QTreeView, QListView, QScrollArea {{ background: {of.panel}; border: none; outline: none; }}
QTableView, QTreeView {{ gridline-color: {of.ground}; selection-background-color: {of.soft_active}; selection-color: {of.text}; }}
QListView::item {{ border-radius: 5px; padding: 2px; }}
QListView::item:selected {{ background: {of.soft_active}; color: {of.text}; }}
QListView::item:hover {{ background: {of.field}; }}
QHeaderView, QHeaderView::section {{ background: {of.panel}; border: none; }}
QScrollBar:vertical {{ width: 9px; background: transparent; }}
QScrollBar:horizontal {{ height: 9px; background: transparent; }}
QScrollBar::handle {{ background: {of.line}; border-radius: 4px; min-width: 24px; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {of.field}; border: 1px solid {of.line}; border-radius: 4px; height: 8px; text-align: center; }}
QProgressBar::chunk {{ background: {of.active}; border-radius: 3px; }}
QSplitter::handle {{ background: {of.ground}; }}
QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {of.quiet}; border-radius: 3px; background: {of.field}; }}
QCheckBox::indicator:checked {{ background: {of.active}; border-color: {of.active}; image: url("{mark}"); }}
QCheckBox::indicator:disabled {{ border-color: {of.line}; }}
QCheckBox:focus {{ color: {of.active}; }}
QCheckBox::indicator:focus {{ border-color: {of.active}; }}
QWidget#startPage {{ background: {of.panel}; border: 1px solid {of.line}; border-radius: 8px; }}
QFrame#rule {{ background: {of.line}; max-height: 1px; min-height: 1px; }}
"""
