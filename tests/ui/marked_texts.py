"""Walks the window in the language that marks every text which can be translated; prints those that are not marked.

Run with ``LUCKY_FERN_LANGUAGE=marked`` and the folder of the demo world.
"""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Iterator
from pathlib import Path

from PySide6.QtGui import QAction
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QLabel,
    QLineEdit,
    QSpinBox,
    QTabWidget,
    QTreeWidget,
    QWidget,
)
from PySide6.QtWidgets import QAbstractSpinBox as Spin
from PySide6.QtWidgets import QDoubleSpinBox as Double

from lucky_fern.core.painting.tips import BUILT_IN
from lucky_fern.core.pictures.fonts import SHIPPED
from lucky_fern.core.project.commands import AddLayer, SetSheetSize
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Group, Project, Wash
from lucky_fern.core.project.finishes import FINISHES
from lucky_fern.core.project.kinds import EFFECTS
from lucky_fern.core.sheets.grid import square
from lucky_fern.demo.world import demo_studio
from lucky_fern.ui.widgets.application import ensure_screen, make_application
from lucky_fern.ui.window.main import Window
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import CLOSING, OPENING

_WORD = re.compile(r"[^\W\d_]{3,}")
_MARKUP = re.compile(r"<[^>]*>|&\w+;")
_QTS_OWN = ("QToolButton: Scroll Left", "QToolButton: Scroll Right")  # its own catalogues have them
# Names of formats, standards and channels, which every language calls alike.
_SAME = {"png", "jpeg", "jpg", "webp", "tiff", "exr", "dds", "glb", "gltf", "obj", "ply", "svg", "udim", "rgb", "rgba", "srgb",
         "lucky", "fern", "ctrl", "shift", "alt", "openraster", "ora", "tga", "spdx", "https", "mit", "usd", "del", "down", "rrggbb",
         "round"}  # fmt: skip


def texts(widget: QWidget) -> Iterator[str]:
    """What a widget says."""
    yield from (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription(), widget.statusTip())
    if isinstance(widget, QLabel | QAbstractButton):
        yield widget.text()
    if isinstance(widget, QLineEdit):
        yield widget.placeholderText()
    if isinstance(widget, QSpinBox | Double):
        yield from (widget.prefix(), widget.suffix())
    if isinstance(widget, Spin):
        yield widget.specialValueText()
    if isinstance(widget, QComboBox) and not widget.isEditable():
        yield from (widget.itemText(at) for at in range(widget.count()))
    if isinstance(widget, QTabWidget):
        yield from (widget.tabText(at) for at in range(widget.count()))
    if isinstance(widget, QTreeWidget):
        yield from (widget.headerItem().text(at) for at in range(widget.columnCount()))
    for action in widget.findChildren(QAction):
        yield from (action.text(), action.toolTip())


def data_of(project: Project) -> set[str]:
    """Words that the person, or the model's maker, wrote."""
    names = [project.name, *project.pictures, *project.paints, *project.sequences]
    names += [layer.name for layer in project.walk()]
    names += [kit.about for kit in project.pictures.values()]
    return {word.lower() for name in names for word in _WORD.findall(name)}


def unmarked(text: str, known: set[str]) -> bool:
    """Whether a text has words outside the marks that are nobody's data."""
    depth, outside = 0, []
    for character in _MARKUP.sub(" ", text):
        depth += (character == OPENING) - (character == CLOSING)
        outside.append(" " if depth or character == CLOSING else character)
    return any(word.lower() not in known for word in _WORD.findall("".join(outside)))


def walk(world: Path) -> set[str]:
    """Every text of the window that is not marked, at all stations and for all kinds of layers."""
    parts = Parts()
    window = Window(parts)
    window.resize(1280, 800)
    window.show()
    studio = demo_studio("flask", world)
    studio.execute(SetSheetSize(square(64)))  # no text depends on it
    parts.work.take(studio)
    for effect in EFFECTS.tags:
        kind = EFFECTS.kind(effect)
        parts.work.execute(AddLayer(effect, Adjustment(kind()), {"colour": Channel()}))
    parts.work.execute(AddLayer("painted", Brushwork(), {"colour": Channel("painted")}))
    parts.work.execute(AddLayer("plain", Wash(), {"colour": Channel("#808080")}))
    parts.work.execute(AddLayer("several", Group(), {}))
    known = _SAME | data_of(studio.project) | {word.lower() for name in (*BUILT_IN, *FINISHES, *SHIPPED)
                                               for word in _WORD.findall(name)}  # fmt: skip
    for name in (*studio.model.parts, *studio.model.materials, *(path for path in (str(world), str(Path.home())))):
        known |= {word.lower() for word in _WORD.findall(name)}
    found: set[str] = set()

    def look() -> None:
        window.rest.wait(60)
        for widget in window.findChildren(QWidget):
            found.update(f"{type(widget).__name__}: {text}" for text in texts(widget) if unmarked(text, known))

    for station in ("model", "paint", "check", "export", "artwork"):
        parts.looking.go_to(station)
        for page in range(window.pages.count()):
            if window.pages.isTabVisible(page):
                window.pages.setCurrentIndex(page)
                look()
        look()
    for layer in studio.project.walk():
        parts.selection.select(layer.id)
        look()
    parts.preparing.open(next(name for name in studio.project.pictures if name.endswith(".png")))
    window.rest.wait(60)
    for op in ("straighten", "cut-out", "relief", "size"):
        window.late.preparing_panel.add(op)
        look()
    studio.saved = studio.project
    window.close()
    return found.difference(_QTS_OWN)


if __name__ == "__main__":
    screen = ensure_screen()
    application = make_application()
    for line in sorted(walk(Path(sys.argv[1]))):
        print(line.replace("\n", " / "))
    sys.stdout.flush()
    if screen is not None:
        screen.kill()
    os._exit(0)  # Qt would say that its screen is gone
