"""The tray: the project's kit, my kit and recipes as strips; drag from it onto either view."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QActionGroup
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMenu, QTabBar, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.kit.searching import Card
from lucky_fern.core.project.commands import MergePictures, Several
from lucky_fern.core.project.patterns import Pattern
from lucky_fern.core.project.usage import duplicates
from lucky_fern.ui.kit.my_kit_strip import MyKitStrip
from lucky_fern.ui.kit.op_rows import PATTERN_ROWS, ROWS
from lucky_fern.ui.kit.picture_strip import PictureStrip
from lucky_fern.ui.kit.recipe_strip import RecipeStrip
from lucky_fern.ui.kit.strip import strip_height
from lucky_fern.ui.session.my_kit import MyKitAtHand
from lucky_fern.ui.session.preparing import Preparing
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.words import counted, tr

_PROJECT, _MINE, _RECIPES = range(3)
TO = {"project": tr("Into this project"), "mine": tr("Into my kit"), "both": tr("Into both")}


class Tray(QWidget):
    """Search, strips, and ways to bring pictures in."""

    add_asked = Signal()
    pack_asked = Signal(bool)  # whether a folder is meant; else a zip

    def __init__(
        self, work: Work, selection: Selection, recipes: Recipes, preparing: Preparing, my_kit: MyKitAtHand
    ) -> None:
        super().__init__()
        self.work, self.my_kit, self.preparing = work, my_kit, preparing
        self.to = "project"  # where what is added goes
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        self.search = QLineEdit(
            placeholderText=tr("Name, tag, #colour …"), clearButtonEnabled=True, objectName="plain"
        )
        self.search.setAccessibleName(tr("Search the kit"))
        self.search.setToolTip(
            tr("Words of names, tags, folders and kinds, or a colour: red, #c03020\n"
               "tag:night  in:signs  kind:label  * for favourites  -word leaves out")
        )  # fmt: skip
        self.search.textChanged.connect(lambda _: self._filter())
        self.kinds = QTabBar(objectName="narrow", drawBase=False, usesScrollButtons=False)
        self.kinds.setAccessibleName(tr("What of the kit is shown"))
        for title in (tr("Pictures"), tr("My kit"), tr("Recipes")):
            self.kinds.addTab(title)
        self.kinds.currentChanged.connect(lambda _: self._show())
        self.add, self.sort = self._adding(), self._sorting()
        side, below = QVBoxLayout(), QHBoxLayout()
        side.addWidget(self.kinds)
        side.addWidget(self.search)
        below.addWidget(self.add)
        below.addWidget(self.sort)
        below.addStretch(1)
        side.addLayout(below)
        self.search.setFixedWidth(max(with_text(186), self.kinds.sizeHint().width()))
        row.addLayout(side)
        self.strip = PictureStrip(work, selection, preparing, my_kit)
        self.model = self.strip.items
        self.mine = MyKitStrip(my_kit)
        self.recipes = RecipeStrip(recipes)
        self.empty = QLabel("", objectName="quiet", wordWrap=True)
        self.empty.setFixedHeight(strip_height())  # as high as the strip: the views keep their size
        for one in (self.strip, self.mine, self.recipes, self.empty):
            row.addWidget(one, 1)
            one.hide()
        self.strip.listed.connect(self._show)
        my_kit.changed.connect(self._show)
        self.strip.refresh()
        self._show()

    def _adding(self) -> QToolButton:
        add = QToolButton(text=tr("Add pictures …"), icon=icon("plus"))
        add.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        add.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        add.clicked.connect(self.add_asked)
        menu, group = QMenu(add), QActionGroup(add)
        for to, title in TO.items():
            action = menu.addAction(title, partial(setattr, self, "to", to))
            action.setCheckable(True)
            action.setChecked(to == "project")
            group.addAction(action)
        menu.addSeparator()
        below = menu.addMenu(tr("Make a pattern"))
        for name, op in PATTERN_ROWS.items():
            below.addAction(ROWS[name].title, partial(self._draw, ROWS[name].title, op))
        menu.addSeparator()
        menu.addAction(tr("Add a folder as a pack …"), lambda: self.pack_asked.emit(True))
        menu.addAction(tr("Add a zip as a pack …"), lambda: self.pack_asked.emit(False))
        add.setMenu(menu)
        return add

    def _draw(self, title: str, op: Pattern) -> None:
        self.preparing.draw(title, op)

    def _sorting(self) -> QToolButton:
        sort = QToolButton(text=tr("Show ▾"), popupMode=QToolButton.ToolButtonPopupMode.InstantPopup)
        sort.setToolTip(tr("As pictures or as a list; favourites, folders, tags, kinds, doubles"))
        menu = QMenu(sort)
        sort.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu.aboutToShow.connect(lambda: self.fill_sorting(menu))
        sort.setMenu(menu)
        return sort

    def fill_sorting(self, menu: QMenu) -> None:
        """What can be shown of the kit that is looked at."""
        menu.clear()
        as_list = menu.addAction(tr("As a list"), self._list)
        as_list.setCheckable(True)
        as_list.setChecked(self.strip.as_list)
        menu.addSeparator()
        menu.addAction(tr("Everything"), partial(self.search.setText, ""))
        menu.addAction(tr("Favourites"), partial(self.search.setText, "*"))
        cards = self._cards()
        for title, mark, words in (
            (tr("Folder"), "in:", {card.folder for card in cards}),
            (tr("Tag"), "tag:", {tag for card in cards for tag in card.tags}),
            (tr("Kind"), "kind:", {kind for card in cards for kind in card.kinds}),
        ):
            found = sorted(words - {""})
            below = menu.addMenu(title)
            below.setEnabled(bool(found))
            for word in found[:100]:
                asked = f"{mark}{word.lower().split()[0]}" if " " in word else f"{mark}{word.lower()}"
                below.addAction(word, partial(self.search.setText, asked))
        doubles = [] if self.work.project is None else duplicates(self.work.project)
        count = sum(len(names) - 1 for names in doubles)
        merge = menu.addAction(tr("Merge doubles ({count})", count=counted(count, "picture")), self._merge)
        merge.setEnabled(count > 0)
        merge.setToolTip(tr("Pictures with the same contents become one; layers show that one"))

    def _cards(self) -> list[Card]:
        if self.kinds.currentIndex() == _MINE:
            return [mine.card() for mine in self.my_kit.files]
        return list(self.strip.cards.values())

    def _list(self) -> None:
        on = not self.strip.as_list
        for strip in (self.strip, self.mine, self.recipes):
            strip.show_as_list(on)

    def _merge(self) -> None:
        project = self.work.project
        if project is not None:
            merges = tuple(MergePictures(first, tuple(others)) for first, *others in duplicates(project))
            self.work.execute(Several(merges, named=MergePictures.label))

    def where_to(self) -> str:
        """Where what is added goes: what was chosen; looking at my kit, there at least."""
        mine = self.kinds.currentIndex() == _MINE
        return "mine" if mine and (self.to == "project" or self.work.project is None) else self.to

    def refresh(self) -> None:
        """List the kit as it is now."""
        self.strip.refresh()

    def _show(self) -> None:
        """The strip that is wanted."""
        which = self.kinds.currentIndex()
        if which == _MINE and not self.my_kit.looked:
            self.my_kit.look()
        project = self.work.project
        some = {
            _PROJECT: project is not None and bool(project.pictures),
            _MINE: bool(self.my_kit.files), _RECIPES: True,
        }[which]  # fmt: skip
        if which == _RECIPES and not self.recipes.isVisible():
            self.recipes.show()
            self.recipes.fill()
        for number, strip in enumerate((self.strip, self.mine, self.recipes)):
            strip.setVisible(some and which == number)
        self.empty.setText(
            tr("My kit is empty. Add pictures to it, or put files into {folder}.", folder=self.my_kit.kit.folder)
            if which == _MINE
            else tr("No pictures yet. Add some, or drop picture files anywhere on the window.")
        )
        self.empty.setVisible(not some)
        self.add.setVisible(which != _RECIPES)
        self.add.setEnabled(project is not None or which == _MINE)
        self._filter()

    @property
    def drawing(self) -> int:
        """How many thumbnails are still to come."""
        return self.strip.drawing + self.recipes.drawing + self.mine.drawing

    def end(self) -> None:
        """The window is about to go: no thumbnail comes any more."""
        for strip in (self.strip, self.mine, self.recipes):
            strip.end()

    def _filter(self) -> None:
        wanted = self.search.text().strip().lower()
        for strip in (self.strip, self.mine, self.recipes):
            strip.search(wanted)
