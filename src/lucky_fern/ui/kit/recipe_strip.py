"""The recipes at hand as a strip: dragged onto a view, each lands on the part under the pointer."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QMenu

from lucky_fern.core.arrays import U8
from lucky_fern.core.recipe_shelf import Kept
from lucky_fern.ui.kit.strip import ID, Strip
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.views.drops import RECIPE_MIME
from lucky_fern.words import tr

_WHOSE = {"project": tr("in this project"), "mine": tr("on this computer"), "made": tr("comes with the program")}


class RecipeStrip(Strip):
    """Filled when it is first looked at; the pictures are drawn beside the window."""

    def __init__(self, recipes: Recipes) -> None:
        super().__init__(RECIPE_MIME, "recipe")
        self.recipes = recipes
        self.setAccessibleName(tr("Recipes to drag onto a view"))
        self.place_asked.connect(self._put)
        self.customContextMenuRequested.connect(self._ask)
        recipes.changed.connect(self._follow)

    def _follow(self) -> None:
        if self.isVisible():
            self.fill()

    def fill(self) -> None:
        """List what there is now."""
        self.items.clear()
        wanted: dict[str, Callable[[], U8]] = {}
        for kept in self.recipes.listed():
            if kept.whose != "made":
                self.icons.pop(kept.key, None)  # another may have come under its name; what is drawn is kept on disk
            tip = tr("{name}, {whose}\nDrag it onto a part of the model; with Shift it goes onto everything, as with "
                     "Enter", name=kept.name, whose=_WHOSE[kept.whose])  # fmt: skip
            self.add(kept.name, kept.key, kept.key, tip)
            wanted[kept.key] = partial(self.recipes.picture, kept)
        self.draw("Drawing recipes", wanted)

    def search(self, asked: str) -> None:
        """Show only those whose names hold some words."""
        self.show_only(lambda item: asked in item.text().lower())

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
