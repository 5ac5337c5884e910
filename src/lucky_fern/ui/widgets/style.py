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


def load_fonts() -> None:
    """Make the shipped fonts known, so that the window looks the same on a machine with none."""
    for path in sorted((_HERE.parents[1] / "fonts").glob("*.otf")):
        QFontDatabase.addApplicationFont(str(path))


@cache
def icon(name: str, colour: str = LIGHT.text, active: str = "") -> QIcon:
    """One of our own icons in a colour; ``active`` is its colour when checked."""
    made = QIcon()
    made.addPixmap(_pixmap(name, colour))  # Qt makes a pale one of it where it is disabled
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


def palette(tones: Tones) -> QPalette:
    """What the style draws by itself (number fields and the like) in the same colours."""
    made = QPalette()
    roles = QPalette.ColorRole
    for role, tone in (
        (roles.Window, tones.panel), (roles.Base, tones.field), (roles.Button, tones.field), (roles.Text, tones.text),
        (roles.WindowText, tones.text), (roles.ButtonText, tones.text), (roles.Highlight, tones.active),
        (roles.HighlightedText, tones.on_active), (roles.PlaceholderText, tones.quiet), (roles.Accent, tones.active),
    ):  # fmt: skip
        made.setColor(role, QColor(tone))
    return made


def sheet(tones: Tones) -> str:
    """The style sheet of the whole window."""
    return f"""
* {{ font-family: "Inter"; font-size: 12px; color: {tones.text}; }}
QMainWindow, QWidget#ground {{ background: {tones.ground}; }}
QWidget#panel, QFrame#panel {{ background: {tones.panel}; }}
QLabel#quiet {{ color: {tones.quiet}; }}
QLabel#heading {{ font-weight: 600; }}
QLabel#warn {{ color: {tones.warn}; }}
QLabel#projectName {{ font-weight: 600; font-size: 13px; }}
QToolTip {{ background: {tones.field}; color: {tones.text}; border: 1px solid {tones.line}; padding: 3px; }}
QPushButton, QToolButton {{ background: transparent; border: 1px solid transparent; border-radius: 5px; padding: 4px 8px; }}
QToolButton {{ padding: 4px; }}
QPushButton {{ background: {tones.field}; border-color: {tones.line}; }}
QPushButton:hover, QToolButton:hover {{ background: {tones.field}; border-color: {tones.line}; }}
QPushButton:pressed, QToolButton:pressed {{ background: {tones.line}; }}
QPushButton:checked {{ background: {tones.soft_active}; border-color: {tones.active}; }}
QPushButton:focus, QToolButton:focus {{ border-color: {tones.active}; }}
QPushButton:disabled {{ color: {tones.quiet}; }}
QPushButton#primary {{ background: {tones.active}; color: {tones.on_active}; border-color: {tones.active}; font-weight: 600; }}
QPushButton#primary:disabled {{ background: {tones.line}; border-color: {tones.line}; color: {tones.quiet}; }}
QToolButton:checked {{ background: {tones.soft_active}; border-color: {tones.active}; }}
QToolButton#station {{ padding: 6px 14px; border-radius: 0; border: none; border-bottom: 3px solid transparent; font-weight: 500; }}
QToolButton#station:checked {{ background: transparent; border-bottom: 3px solid {tones.active}; color: {tones.active}; font-weight: 600; }}
QToolButton#station:focus {{ background: {tones.field}; }}
QLineEdit#plain {{ background: {tones.field}; border: 1px solid {tones.line}; border-radius: 4px; padding: 2px 5px; min-height: 18px; selection-background-color: {tones.active}; selection-color: {tones.on_active}; }}
QLineEdit#plain:focus {{ border-color: {tones.active}; }}
QComboBox QAbstractItemView {{ background: {tones.field}; border: 1px solid {tones.line}; selection-background-color: {tones.soft_active}; selection-color: {tones.text}; }}
QMenu {{ background: {tones.field}; border: 1px solid {tones.line}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 10px; border-radius: 4px; }}
QMenu::item:selected {{ background: {tones.soft_active}; }}
QMenu::item:disabled {{ color: {tones.quiet}; }}
QSlider::groove:horizontal {{ height: 4px; background: {tones.line}; border-radius: 2px; }}
QSlider::sub-page:horizontal {{ background: {tones.quiet}; border-radius: 2px; }}
QSlider::handle:horizontal {{ width: 12px; height: 12px; margin: -5px 0; border-radius: 6px; background: {tones.field}; border: 1px solid {tones.quiet}; }}
QSlider::handle:horizontal:hover, QSlider::handle:horizontal:focus {{ border: 2px solid {tones.active}; }}
QTabWidget::pane {{ border: none; border-top: 1px solid {tones.line}; }}
QTabBar {{ background: {tones.panel}; }}
QTabBar::tab {{ padding: 4px 12px; border: none; border-bottom: 2px solid transparent; color: {tones.quiet}; }}
QTabBar::tab:selected {{ color: {tones.active}; border-bottom: 2px solid {tones.active}; font-weight: 600; }}
QTabBar::tab:focus {{ background: {tones.field}; }}
QTableView, QListView, QScrollArea {{ background: {tones.panel}; border: none; outline: none; }}
QTableView {{ gridline-color: {tones.ground}; selection-background-color: {tones.soft_active}; selection-color: {tones.text}; }}
QListView::item {{ border-radius: 5px; padding: 2px; }}
QListView::item:selected {{ background: {tones.soft_active}; color: {tones.text}; }}
QListView::item:hover {{ background: {tones.field}; }}
QHeaderView, QHeaderView::section {{ background: {tones.panel}; border: none; }}
QScrollBar:vertical {{ width: 9px; background: transparent; }}
QScrollBar:horizontal {{ height: 9px; background: transparent; }}
QScrollBar::handle {{ background: {tones.line}; border-radius: 4px; min-width: 24px; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {tones.field}; border: 1px solid {tones.line}; border-radius: 4px; height: 8px; text-align: center; }}
QProgressBar::chunk {{ background: {tones.active}; border-radius: 3px; }}
QSplitter::handle {{ background: {tones.ground}; }}
QCheckBox:focus {{ color: {tones.active}; }}
QFrame#rule {{ background: {tones.line}; max-height: 1px; min-height: 1px; }}
"""
