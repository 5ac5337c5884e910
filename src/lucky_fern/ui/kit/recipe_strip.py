"""The recipes at hand as a strip: dragged onto a view, each lands on the part under the pointer."""

from __future__ import annotations

import threading
from contextlib import suppress
from functools import partial

import numpy as np
from PySide6.QtCore import QPoint, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QMenu

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.recipe_shelf import Kept
from lucky_fern.ui.kit.strip import ID, Strip
from lucky_fern.ui.session.beside import soon
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.views.drops import RECIPE_MIME
from lucky_fern.ui.widgets.style import icon
from lucky_fern.ui.widgets.thumbnails import to_pixmap
from lucky_fern.words import tr

_WHOSE = {"project": tr("in this project"), "mine": tr("on this computer"), "made": tr("comes with the program")}


class RecipeStrip(Strip):
    """Filled when it is first looked at; the pictures are drawn beside the window."""

    _drawn = Signal(str, object)  # key, pixels

    def __init__(self, recipes: Recipes) -> None:
        super().__init__(RECIPE_MIME)
        self.recipes = recipes
        self.setAccessibleName(tr("Recipes to drag onto a view"))
        self.drawing = 0
        self._icons: dict[str, QIcon] = {}
        self._ended, self._sending = False, threading.Lock()
        self._drawn.connect(self._show)
        self.place_asked.connect(self._put)
        self.customContextMenuRequested.connect(self._ask)
        recipes.changed.connect(self._follow)

    def _follow(self) -> None:
        if self.isVisible():
            self.fill()

    def fill(self) -> None:
        """List what there is now."""
        self.items.clear()
        missing: list[Kept] = []
        for kept in self.recipes.listed():
            if kept.whose != "made":
                self._icons.pop(kept.key, None)  # another may have come under its name; what is drawn is kept on disk
            tip = tr("{name}, {whose}\nDrag it onto a part of the model; with Shift it goes onto everything, as with "
                     "Enter", name=kept.name, whose=_WHOSE[kept.whose])  # fmt: skip
            item = self.add(kept.name, kept.key, kept.key, tip)
            item.setIcon(self._icons.get(kept.key, icon("recipe")))
            if kept.key not in self._icons:
                missing.append(kept)
        if missing:
            self.drawing += len(missing)
            soon("Drawing recipes", partial(self._draw, missing))

    def end(self) -> None:
        """The window is about to go: no picture comes any more."""
        with self._sending:
            self._ended = True

    def _draw(self, missing: list[Kept]) -> None:
        for kept in missing:
            pixels = None
            if not self._ended:
                with suppress(LuckyFernError):  # it keeps its icon; what is wrong is said when it is put on
                    pixels = self.recipes.picture(kept)
            with self._sending:
                if self._ended:
                    return
                self._drawn.emit(kept.key, pixels)

    def _show(self, key: str, pixels: object) -> None:
        self.drawing -= 1
        if not isinstance(pixels, np.ndarray):
            return
        self._icons[key] = QIcon(to_pixmap(pixels))
        for row in range(self.items.rowCount()):
            if self.items.item(row).data(ID) == key:
                self.items.item(row).setIcon(self._icons[key])

    def _put(self, key: str) -> None:
        kept = self.recipes.find(key)
        if kept is not None:
            self.recipes.put(kept)

    def _ask(self, at: QPoint) -> None:
        index = self.indexAt(at)
        kept = self.recipes.find(str(index.data(ID))) if index.isValid() else None
        if kept is not None:
            self.menu_of(kept).popup(self.viewport().mapToGlobal(at))

    def menu_of(self, kept: Kept) -> QMenu:
        """What can be done with one."""
        menu = QMenu(self)
        menu.addAction(tr("Put onto everything"), partial(self.recipes.put, kept))
        if kept.whose == "project":
            menu.addAction(tr("Keep on this computer too"), partial(self.recipes.keep_mine, kept))
            menu.addAction(tr("Take out of the project"), partial(self.recipes.forget, kept))
        elif kept.whose == "mine":
            menu.addAction(tr("Put its file aside"), partial(self.recipes.forget, kept))
        return menu
