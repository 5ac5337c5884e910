"""My kit as a strip: a picture dragged from it is copied into the project."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path, PurePosixPath

import numpy as np
from PySide6.QtCore import QPoint
from PySide6.QtGui import QStandardItem
from PySide6.QtWidgets import QMenu

from lucky_fern.core.arrays import U8
from lucky_fern.core.errors import PictureError
from lucky_fern.core.files import read_file
from lucky_fern.core.kit.colours import main_colours
from lucky_fern.core.kit.mine import Mine, MyKit
from lucky_fern.core.kit.searching import matches
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.ui.kit.strip import ID, LARGE, Strip
from lucky_fern.ui.session.my_kit import MyKitAtHand
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.thumbnails import on_checker
from lucky_fern.words import tr


class MyKitStrip(Strip):
    """Filled when it is first looked at; follows its folder from then on."""

    def __init__(self, my_kit: MyKitAtHand) -> None:
        super().__init__("", "picture", self._file_of)
        self.my_kit = my_kit
        self._colours: dict[str, tuple[str, ...]] = {}
        self._about: dict[str, str] = {}  # what a file holds, once it was read
        self._asked = ""
        self.setAccessibleName(tr("My kit: pictures to drag onto a view"))
        self.customContextMenuRequested.connect(self._ask)
        self.drawn.connect(self._learn)
        my_kit.changed.connect(self.fill)

    def fill(self) -> None:
        """List what there is now."""
        self.items.clear()
        wanted: dict[str, Callable[[], U8]] = {}
        for mine in self.my_kit.files:
            key = _key(mine)
            star = "★ " if mine.note.favourite else ""
            text = star + PurePosixPath(mine.name).stem.replace("-", " ")
            self.add(text, mine.name, key, self._told(mine))
            wanted[key] = partial(self._picture, mine)
        self.search(self._asked)
        self.draw("Drawing my kit", wanted)

    def _picture(self, mine: Mine) -> U8:
        picture = read_picture(read_file(mine.path, PictureError), mine.path.name, mine.note.taken)
        self._colours[_key(mine)] = main_colours(picture.rgba)
        self._about[_key(mine)] = tr("{width} × {height} pixels, {about}", width=picture.width,
                                     height=picture.height, about=picture.about)  # fmt: skip
        rgba = picture.rgba
        return on_checker((rgba >> (8 * (rgba.itemsize - 1))).astype(np.uint8), LARGE, 10)

    def _learn(self, key: str) -> None:
        for row in range(self.items.rowCount()):
            mine = self.my_kit.find(str(self.items.item(row).data(ID)))
            if mine is not None and _key(mine) == key:
                self.items.item(row).setToolTip(self._told(mine))

    def _told(self, mine: Mine) -> str:
        note = mine.note
        size = tr("{size:.0f} kB", size=mine.size / 1000)
        lines = [mine.name, self._about.get(_key(mine), size)]
        said = ((tr("Tags"), ", ".join(note.tags)), (tr("Author"), note.author), (tr("Licence"), note.licence),
                (tr("Source"), note.source))  # fmt: skip
        lines += [f"{what}: {text}" for what, text in said if text]
        return "\n".join([*lines, tr("Drag it onto a view, or press Enter: it is copied into the project")])

    def search(self, asked: str) -> None:
        """Show only what answers to words or a colour."""
        self._asked = asked

        def wanted(item: QStandardItem) -> bool:
            mine = self.my_kit.find(str(item.data(ID)))
            return mine is not None and matches(mine.card(self._colours.get(_key(mine), ())), asked)

        self.show_only(wanted)

    def _file_of(self, name: str) -> Path | None:
        mine = self.my_kit.find(name)
        return None if mine is None else mine.path

    def _ask(self, at: QPoint) -> None:
        index = self.indexAt(at)
        if index.isValid():
            name, chosen = str(index.data(ID)), self.chosen()
            self.menu_of(chosen if name in chosen else [name]).popup(self.viewport().mapToGlobal(at))

    def menu_of(self, names: list[str]) -> QMenu:
        """What can be done with some files."""
        menu = QMenu(self)
        found = [mine for mine in map(self.my_kit.find, names) if mine is not None]
        if not found:
            return menu
        menu.addAction(tr("Copy into the project"), partial(self._take_out, names))
        menu.addSeparator()
        all_liked = all(mine.note.favourite for mine in found)
        favourite = menu.addAction(tr("Favourite"), partial(self._change, lambda kit: kit.describe(
            names, favourite=not all_liked)))  # fmt: skip
        favourite.setCheckable(True)
        favourite.setChecked(all_liked)
        menu.addAction(tr("Tags …"), partial(self._tag, found))
        if len(found) == 1:
            menu.addAction(tr("Rename, or into a folder …"), partial(self._move, found[0]))
        menu.addAction(tr("Put aside"), partial(self._change, lambda kit: kit.remove(names)))
        return menu

    def _take_out(self, names: list[str]) -> None:
        for name in names:
            self.my_kit.take_out(name)

    def _change(self, work: Callable[[MyKit], object]) -> None:
        self.my_kit.change(work)

    def _tag(self, found: list[Mine]) -> None:
        common = [tag for tag in found[0].note.tags if all(tag in mine.note.tags for mine in found)]
        said = asking.text(self, tr("Tags"), tr("Tags, with commas between them:"), ", ".join(common))
        if said is not None:
            tags = tuple(" ".join(one.lower().split()) for one in said.split(",") if one.strip())
            drop = tuple(tag for tag in common if tag not in tags)
            self._change(lambda kit: kit.describe([mine.name for mine in found], tags, drop))

    def _move(self, mine: Mine) -> None:
        said = asking.text(self, tr("Rename"), tr("Its name, with the folder (signs/port side):"), mine.name)
        if said is not None and said.strip():
            self._change(lambda kit: kit.move(mine.name, said.strip()))


def _key(mine: Mine) -> str:
    """What a picture of a file goes by: another, once the file was written again."""
    return f"{mine.path}|{mine.written}|{mine.size}"
