"""What fields of colours ask the window for: a colour from anywhere in it or on the screen, and kept colours."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PySide6.QtGui import QColor, QImage, QMouseEvent
from PySide6.QtWidgets import QApplication, QColorDialog, QMenu, QWidget

from lucky_fern.core.colour import decode_srgb, encode_srgb, to_hex
from lucky_fern.core.errors import PictureError
from lucky_fern.core.files import read_file, write_whole
from lucky_fern.core.kit.palettes import palette_of, palette_text, read_palette
from lucky_fern.core.limits import MOST_SMALL_FILE
from lucky_fern.core.project.commands import KeepPalette
from lucky_fern.core.studio import Studio
from lucky_fern.ui.tools.colour_picking import REACH
from lucky_fern.ui.views.view import View
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.colour_field import ColourAsked, ColourField
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import tr

_COUNTS = (8, 16, 32)  # colours that are taken from a picture


@guarded
class Colours(QObject):
    """Answers fields; while a colour is asked for, a click on anything but a view takes what is shown there."""

    def __init__(self, window: QWidget, parts: Parts) -> None:
        super().__init__(window)
        self._window, self._parts = window, parts
        self._shown = ""  # the palette that is offered
        parts.colour_picking.changed.connect(self._watch)

    # --- fields -----------------------------------------------------------------------------------------------------

    def answers(self, event: QEvent) -> bool:
        """Do what a field asks for; whether it was one that asked."""
        if not isinstance(event, ColourAsked):
            return False
        field = event.field
        if event.what == "pick":
            self._parts.colour_picking.ask(field.take)
        elif event.what == "screen":
            self._from_screen(field)
        elif event.what == "keep":
            self._keep(field)
        else:
            self._offer(field)
        return True

    def _from_screen(self, field: ColourField) -> None:
        """Qt's own dialog asks the desktop (through its portal, where there is one) for a colour of the screen."""
        found = QColorDialog.getColor(QColor(field.hex), self._window, tr("A colour from the screen"),
                                      QColorDialog.ColorDialogOption.DontUseNativeDialog)  # fmt: skip
        if found.isValid():
            field.take(found.name())

    def _palettes(self) -> dict[str, tuple[str, ...]]:
        project = self._parts.work.project
        return {} if project is None else project.palettes

    def _offer(self, field: ColourField) -> None:
        known = self._palettes()
        if self._shown not in known:
            self._shown = next(iter(known), "")
        field.swatches.show_colours(known.get(self._shown, ()))
        menu = QMenu(field.palettes)
        menu.aboutToShow.connect(partial(self._fill, menu, field))
        field.palettes.setMenu(menu)

    def _fill(self, menu: QMenu, field: ColourField) -> None:
        menu.clear()
        for name in self._palettes():
            action = menu.addAction(name, partial(self._show, name, field))
            action.setCheckable(True)
            action.setChecked(name == self._shown)
        menu.addSeparator()
        menu.addAction(tr("From a text file …"), partial(self._read, field))
        below = menu.addMenu(tr("From a picture"))
        project = self._parts.work.project
        for name in [] if project is None else list(project.pictures)[:60]:
            counts = below.addMenu(name)
            for count in _COUNTS:
                counts.addAction(tr("{count} colours", count=count), partial(self._take_from, name, count, field))
        if self._shown:
            menu.addAction(tr("Write {name} as text …", name=self._shown), self._write)
            menu.addAction(tr("Take this colour out of {name}", name=self._shown), partial(self._drop, field))
            menu.addAction(tr("Forget {name}", name=self._shown), partial(self._forget, field))

    def _show(self, name: str, field: ColourField) -> None:
        self._shown = name
        self._offer(field)

    def _keep(self, field: ColourField) -> None:
        name = self._shown or tr("Kept colours")
        known = self._palettes().get(name, ())
        if field.hex not in known:
            self._set(name, (*known, field.hex), field)

    def _drop(self, field: ColourField) -> None:
        left = tuple(one for one in self._palettes().get(self._shown, ()) if one != field.hex)
        if left:
            self._set(self._shown, left, field)
        else:
            self._forget(field)

    def _forget(self, field: ColourField) -> None:
        self._parts.work.execute(KeepPalette(self._shown, None))
        self._offer(field)

    def _set(self, name: str, colours: tuple[str, ...], field: ColourField) -> None:
        if self._parts.work.execute(KeepPalette(name, colours)):
            self._show(name, field)

    def _read(self, field: ColourField) -> None:
        path = asking.open_file(self._window, tr("A palette"), asking.kinds(tr("Texts"), (".txt", ".hex", ".pal")))
        if path is not None:
            self.read(path, field)

    def read(self, path: Path, field: ColourField) -> None:
        """Keep the colours of a text file as a palette of its name."""
        self._parts.errands.send(
            tr("Reading {name} …", name=path.name),
            lambda: read_palette(read_file(path, PictureError, MOST_SMALL_FILE), path.name),
            lambda colours: self._set(path.stem, colours, field),
        )

    def _write(self) -> None:
        colours = self._palettes()[self._shown]
        filter_ = asking.kinds(tr("Texts"), (".txt",))
        path = asking.save_file(self._window, tr("Write a palette"), f"{self._shown}.txt", filter_, ".txt")
        if path is not None:
            self._parts.errands.send(tr("Writing {name} …", name=path.name),
                                     lambda: write_whole(path, palette_text(colours)), lambda _: None)  # fmt: skip

    def _take_from(self, picture: str, count: int, field: ColourField) -> None:
        studio = self._parts.work.studio
        if studio is None:
            return

        def work(studio: Studio = studio) -> tuple[str, ...]:
            return palette_of(studio.sources.picture(studio.project.pictures[picture]), count)

        self._parts.errands.send(tr("Reading {name} …", name=picture), work,
                                 lambda colours: self._set(Path(picture).stem, colours, field))  # fmt: skip

    # --- from anywhere in the window --------------------------------------------------------------------------------

    def _watch(self) -> None:
        running = QApplication.instance()
        assert running is not None
        if self._parts.colour_picking.active:
            running.installEventFilter(self)
        else:
            running.removeEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if (
            event.type() == QEvent.Type.MouseButtonPress
            and isinstance(event, QMouseEvent)
            and isinstance(watched, QWidget)
            and event.button() == Qt.MouseButton.LeftButton
            and not isinstance(watched, View)
            and watched.window() is self._window
        ):
            self._parts.colour_picking.take(_shown_at(watched, event.position().toPoint()))
            return True
        return False


def _shown_at(widget: QWidget, at: QPoint) -> str:
    """The colour of what a widget shows at a place: the mean, as light, of the pixels round it."""
    side = 2 * REACH + 1
    image = widget.grab(QRect(at - QPoint(REACH, REACH), at + QPoint(REACH, REACH))).toImage()
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    pixels = rows[:side, : 3 * image.width()].reshape(-1, 3) / 255.0
    light = encode_srgb(decode_srgb(pixels).mean(axis=0))
    return to_hex((float(light[0]), float(light[1]), float(light[2])))
