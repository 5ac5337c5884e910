"""The pictures of the project's kit as a strip, and what can be done with those that are chosen."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, Signal
from PySide6.QtGui import QStandardItem
from PySide6.QtWidgets import QMenu

from lucky_fern.core.arrays import U8
from lucky_fern.core.files import safe_name
from lucky_fern.core.kit.colours import main_colours
from lucky_fern.core.kit.searching import Card, card_of, matches
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import SUFFIXES
from lucky_fern.core.project.commands import Describe, PinPicture, RemovePictures, RenamePicture, SetTaken, Several
from lucky_fern.core.project.document import KitPicture
from lucky_fern.core.project.helps import Pinned
from lucky_fern.core.project.preparations import Coverage, Covered
from lucky_fern.core.project.usage import layers_that_use, where_used
from lucky_fern.core.studio import Studio
from lucky_fern.ui.kit.strip import ID, LARGE, Strip
from lucky_fern.ui.session.my_kit import MyKitAtHand
from lucky_fern.ui.session.preparing import Preparing
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.views.drops import PICTURE_MIME
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.thumbnails import on_checker
from lucky_fern.words import counted, tr

COVERAGE: dict[Covered, str] = {
    "luminance": tr("from what is bright"), "darkness": tr("from what is dark"), "alpha": tr("from its alpha"),
}  # fmt: skip


class PictureStrip(Strip):
    """Follows the project; thumbnails are drawn beside the window."""

    credit_asked = Signal(str)  # the picture whose author and licence are to be written down
    replace_asked = Signal(str)  # the picture that is to get another original
    edit_asked = Signal(str)  # the picture that is to be opened in the desktop's program
    listed = Signal()

    def __init__(self, work: Work, selection: Selection, preparing: Preparing, my_kit: MyKitAtHand) -> None:
        super().__init__(PICTURE_MIME, "picture", self._file_of)
        self.work, self.selection, self.preparing, self.my_kit = work, selection, preparing, my_kit
        self.cards: dict[str, Card] = {}
        self._colours: dict[str, tuple[str, ...]] = {}  # by digest
        self._files: tempfile.TemporaryDirectory[str] | None = None  # of pictures that were dragged out
        self.setAccessibleName(tr("Kit: pictures to drag onto a view"))
        self.customContextMenuRequested.connect(self._ask)
        self.drawn.connect(self._learn)
        work.project_changed.connect(self.refresh)
        work.studio_changed.connect(self.icons.clear)
        self._of: object = None
        self._held: object = None

    # --- listing --------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """List the kit as it is now."""
        studio = self.work.studio
        pictures = studio.project.pictures if studio is not None else {}
        sequences = studio.project.sequences if studio is not None else {}
        if self._of == (id(pictures), id(sequences)):
            return
        self._of = (id(pictures), id(sequences))
        self._held = (pictures, sequences)  # so that their numbers stay theirs
        chosen = set(self.chosen())
        self.items.clear()
        self.cards.clear()
        wanted: dict[str, Callable[[], U8]] = {}
        inside = {name for tiles in sequences.values() for name in tiles.values()}
        shown = {name: [pictures[one] for one in tiles.values()] for name, tiles in sequences.items()}
        shown |= {name: [kit] for name, kit in pictures.items() if name not in inside}
        for identity, kits in shown.items():
            kit = kits[0]
            self.cards[identity] = card_of(identity, kit, self._colours.get(kit.digest, ()))
            tiles = sequences.get(identity, {})
            self.add(_title(identity, kit, bool(tiles)), identity, kit.digest, _told(identity, kit, tiles))
            if studio is not None:
                wanted[kit.digest] = partial(self._picture, studio, kit)
        for row in range(self.items.rowCount()):
            if self.items.item(row).data(ID) in chosen:
                self.selectionModel().select(self.items.index(row, 0), self.selectionModel().SelectionFlag.Select)
        self.draw("Drawing thumbnails", wanted)
        self.listed.emit()

    def _picture(self, studio: Studio, kit: KitPicture) -> U8:
        """A kit picture on squares that show where it is clear; its colours are counted on the way."""
        rgba = studio.sources.picture(kit).rgba
        self._colours[kit.digest] = main_colours(rgba)
        return on_checker((rgba >> (8 * (rgba.itemsize - 1))).astype(np.uint8), LARGE, 10)

    def _learn(self, digest: str) -> None:
        project = self.work.project
        for name, kit in ({} if project is None else project.pictures).items():
            if kit.digest == digest and name in self.cards:
                self.cards[name] = card_of(name, kit, self._colours.get(digest, ()))

    def search(self, asked: str) -> None:
        """Show only what answers to words or a colour."""

        def wanted(item: QStandardItem) -> bool:
            card = self.cards.get(str(item.data(ID)))
            return card is None or matches(card, asked) or asked in item.text().lower()

        self.show_only(wanted)

    def index_of(self, identity: str) -> QModelIndex | QPersistentModelIndex:
        """The index of a kit picture."""
        for row in range(self.items.rowCount()):
            if self.items.item(row).data(ID) == identity:
                return self.items.index(row, 0)
        return QModelIndex()

    def _file_of(self, identity: str) -> Path | None:
        """A picture of the kit as a file of its own, to be given to another program; gone when this one ends."""
        studio = self.work.studio
        kit = studio.project.pictures.get(identity) if studio is not None else None
        if studio is None or kit is None:
            return None
        if self._files is None:
            self._files = tempfile.TemporaryDirectory(prefix="lucky-fern-")
        name = safe_name(kit.name)
        if Path(name).suffix.lower() not in SUFFIXES:  # a label is called what it says
            name += ".png"
        path = Path(self._files.name) / kit.digest[:12] / name
        try:
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(studio.blobs[kit.digest])
        except OSError:
            return None
        return path

    # --- what can be done -----------------------------------------------------------------------------------------

    def _ask(self, at: QPoint) -> None:
        index = self.indexAt(at)
        if index.isValid():
            identity = str(index.data(ID))
            chosen = self.chosen()
            self.menu_of(chosen if identity in chosen else [identity]).popup(self.viewport().mapToGlobal(at))

    def menu_of(self, names: list[str]) -> QMenu:
        """What can be done with some pictures."""
        menu = QMenu(self)
        project = self.work.project
        if project is None or not names:
            return menu
        flat = [one for name in names for one in project.sequences.get(name, {0: name}).values()]
        kits = [project.pictures[name] for name in flat]
        single = names[0] if len(names) == 1 and names[0] not in project.sequences else None
        if single is not None:
            self._add_single(menu, single)
        favourite = menu.addAction(tr("Favourite"), partial(self._favour, flat, not all(k.favourite for k in kits)))
        favourite.setCheckable(True)
        favourite.setChecked(all(kit.favourite for kit in kits))
        menu.addAction(tr("Tags …"), partial(self._tag, flat))
        menu.addAction(tr("Folder …"), partial(self._file_away, flat))
        menu.addAction(tr("Keep in my kit"), partial(self.my_kit.keep, flat))
        menu.addSeparator()
        ways: tuple[tuple[Taken, str], ...] = (
            ("colour", tr("Take as colour (sRGB)")),
            ("data", tr("Take as data (numbers as stored)")),
        )
        for taken, title in ways:
            action = menu.addAction(title, partial(self._take, names, taken))
            action.setCheckable(True)
            action.setChecked(all(kit.taken == taken for kit in kits))
        if single is not None:
            covers = menu.addMenu(tr("Take as coverage (where, not what colour)"))
            for source, title in COVERAGE.items():
                covers.addAction(title, partial(self.preparing.open, single, Coverage(source)))
        menu.addSeparator()
        layers = list(dict.fromkeys(layer.id for name in names for layer in layers_that_use(project, name)))
        if layers:
            title = tr("Select what shows it ({count})", count=counted(len(layers), "layer"))
            menu.addAction(title, partial(self.selection.select, layers[-1], tuple(layers)))
        menu.addAction(tr("Take out of the kit"), partial(self.remove, names))
        if len(names) == 1:
            menu.addAction(tr("Author and licence …"), lambda: self.credit_asked.emit(names[0]))
        return menu

    def _add_single(self, menu: QMenu, name: str) -> None:
        ready = menu.addAction(tr("Make it ready …"), partial(self.preparing.open, name))
        ready.setToolTip(tr("Cut it out, straighten it, mend its rim … the original stays as it is"))
        menu.addAction(tr("Replace it by a file …"), lambda: self.replace_asked.emit(name))
        menu.addAction(tr("Edit elsewhere"), lambda: self.edit_asked.emit(name))
        menu.addAction(tr("Rename …"), partial(self._rename, name))
        pinned = self.work.project is not None and name in self.work.project.pinned
        pin = menu.addAction(tr("Pinned beside the work"), partial(self._pin, name, not pinned))
        pin.setCheckable(True)
        pin.setChecked(pinned)
        pin.setToolTip(tr("Seen in a corner over the views, to look at and to take colours from"))
        menu.addSeparator()

    def _pin(self, name: str, on: bool) -> None:
        self.work.execute(PinPicture(name, Pinned() if on else None))

    def _rename(self, name: str) -> None:
        said = asking.text(self, tr("Rename"), tr("What the picture is called:"), name)
        if said is not None and said.strip() != name:
            self.work.execute(RenamePicture(name, said))

    def _favour(self, names: list[str], on: bool) -> None:
        self.work.execute(Describe(tuple(names), favourite=on))

    def _tag(self, names: list[str]) -> None:
        project = self.work.project
        assert project is not None
        before = [project.pictures[name].tags for name in names]
        common = [tag for tag in before[0] if all(tag in tags for tags in before)]
        said = asking.text(self, tr("Tags"), tr("Tags, with commas between them:"), ", ".join(common))
        if said is None:
            return
        tags = [" ".join(one.lower().split()) for one in said.split(",") if one.strip()]
        drop = tuple(tag for tag in common if tag not in tags)
        self.work.execute(Describe(tuple(names), tuple(tags), drop))

    def _file_away(self, names: list[str]) -> None:
        project = self.work.project
        assert project is not None
        said = asking.text(self, tr("Folder"), tr("The folder, for example signs/old:"),
                           project.pictures[names[0]].folder)  # fmt: skip
        if said is not None:
            self.work.execute(Describe(tuple(names), folder=said))

    def _take(self, names: list[str], taken: Taken) -> None:
        self.work.execute(Several(tuple(SetTaken(name, taken) for name in names), named=SetTaken.label))

    def remove(self, names: list[str]) -> None:
        """Take pictures out; those that something shows stay, and where is told."""
        project = self.work.project
        assert project is not None
        used = {name: where_used(project, name) for name in names}
        free = tuple(name for name in names if not used[name])
        if free:
            self.work.execute(RemovePictures(free))
        for name, places in used.items():
            if places:
                more = tr(" and {count} more", count=len(places) - 3) if len(places) > 3 else ""
                self.work.warn(tr("{name} stays: it is shown by {places}.", name=name,
                                  places=", ".join(places[:3]) + more))  # fmt: skip


def _title(identity: str, kit: KitPicture, sequence: bool) -> str:
    mark = tr(" · data") if kit.taken == "data" else ""
    star = "★ " if kit.favourite else ""
    return star + Path(identity if sequence else kit.name if kit.text is not None else identity).stem.replace(
        "-", " "
    ) + mark  # fmt: skip


def _told(identity: str, kit: KitPicture, tiles: dict[int, str]) -> str:
    """What is said of a picture: size, depth, taken as, tags, whose it is."""
    lines = [
        identity,
        tr("{width} × {height} pixels, {about}", width=kit.width, height=kit.height, about=kit.about),
        tr("Taken as {taken}", taken=tr("coverage") if kit.covers else kit.taken),
    ]
    said = ((tr("Tiles"), ", ".join(map(str, tiles))), (tr("Folder"), kit.folder), (tr("Tags"), ", ".join(kit.tags)),
            (tr("Author"), kit.author), (tr("Licence"), kit.licence), (tr("Source"), kit.source))  # fmt: skip
    lines += [f"{what}: {text}" for what, text in said if text]
    return "\n".join([*lines, tr("Drag it onto a view, or press Enter; a right click does more")])
