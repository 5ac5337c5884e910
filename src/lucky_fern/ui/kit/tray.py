"""The tray: the kit as strips of pictures and of recipes; drag from it onto either view."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPoint, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QMenu, QTabBar, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.arrays import U8
from lucky_fern.core.files import safe_name
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import SUFFIXES
from lucky_fern.core.project.commands import SetTaken
from lucky_fern.core.project.document import KitPicture
from lucky_fern.core.project.preparations import Coverage, Covered
from lucky_fern.core.studio import Studio
from lucky_fern.ui.kit.recipe_strip import RecipeStrip
from lucky_fern.ui.kit.strip import ID, SIDE, Strip, strip_height
from lucky_fern.ui.session.preparing import Preparing
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.views.drops import PICTURE_MIME
from lucky_fern.ui.widgets.style import icon, with_text
from lucky_fern.ui.widgets.thumbnails import on_checker
from lucky_fern.words import tr

COVERAGE: dict[Covered, str] = {
    "luminance": tr("from what is bright"), "darkness": tr("from what is dark"), "alpha": tr("from its alpha"),
}  # fmt: skip


class Tray(QWidget):
    """Search, strip, and a way to bring pictures in."""

    add_asked = Signal()
    credit_asked = Signal(str)  # the picture whose author and licence are to be written down

    def __init__(self, work: Work, recipes: Recipes, preparing: Preparing) -> None:
        super().__init__()
        self.work, self.preparing = work, preparing
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        side = QVBoxLayout()
        self.search = QLineEdit(placeholderText=tr("Search the kit"), clearButtonEnabled=True, objectName="plain")
        self.search.setAccessibleName(tr("Search the kit"))
        self.search.setFixedWidth(with_text(130))
        self.search.textChanged.connect(lambda _: self._filter())
        self.kinds = QTabBar(objectName="narrow", drawBase=False, usesScrollButtons=False)
        self.kinds.setAccessibleName(tr("What of the kit is shown"))
        self.kinds.addTab(tr("Pictures"))
        self.kinds.addTab(tr("Recipes"))
        self.kinds.currentChanged.connect(lambda _: self._show())
        side.addWidget(self.kinds)
        side.addWidget(self.search)
        add = QToolButton(text=tr("Add pictures …"), icon=icon("plus"))
        add.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        add.clicked.connect(self.add_asked)
        self.add = add
        side.addWidget(add)
        row.addLayout(side)
        self.strip = Strip(PICTURE_MIME, "picture", self.file_of)
        self.model = self.strip.items
        self._files: tempfile.TemporaryDirectory[str] | None = None  # of pictures that were dragged out
        self.strip.setAccessibleName(tr("Kit: pictures to drag onto a view"))
        self.strip.customContextMenuRequested.connect(self._ask_taken)
        self.recipes = RecipeStrip(recipes)
        row.addWidget(self.strip, 1)
        row.addWidget(self.recipes, 1)
        self.recipes.hide()
        self.empty = QLabel(
            tr("No pictures yet. Add some, or drop picture files anywhere on the window."), objectName="quiet"
        )
        self.empty.setFixedHeight(strip_height())  # as high as the strip: the views keep their size
        row.addWidget(self.empty, 1)
        work.project_changed.connect(self.refresh)
        work.studio_changed.connect(self.strip.icons.clear)
        self._listed: object = None
        self._held: object = None
        self.refresh()

    def file_of(self, identity: str) -> Path | None:
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

    def refresh(self) -> None:
        """List the kit as it is now; thumbnails are drawn in the background."""
        studio = self.work.studio
        pictures = studio.project.pictures if studio is not None else {}
        sequences = studio.project.sequences if studio is not None else {}
        if self._listed == (id(pictures), id(sequences)):
            return
        self._listed = (id(pictures), id(sequences))
        self._held = (pictures, sequences)  # so that their numbers stay theirs
        self.add.setEnabled(studio is not None)
        self._show()
        self.model.clear()
        wanted: dict[str, Callable[[], U8]] = {}
        inside = {name for tiles in sequences.values() for name in tiles.values()}
        listed = {name: [pictures[one] for one in tiles.values()] for name, tiles in sequences.items()}
        listed |= {name: [kit] for name, kit in pictures.items() if name not in inside}
        for identity, kits in listed.items():
            kit = kits[0]
            mark = tr(" · data") if kit.taken == "data" else ""
            text = Path(identity if identity in sequences else kit.name).stem.replace("-", " ") + mark
            what = tr(
                "{width} × {height} pixels, {about}\nTaken as {taken}; a right click changes that or makes it ready",
                width=kit.width,
                height=kit.height,
                about=kit.about,
                taken=kit.taken,
            )
            tiles = tr("\nTiles {map}", map=", ".join(map(str, sequences[identity]))) if identity in sequences else ""
            tip = tr("{identity}\n{what}{tiles}\nDrag it onto a view, or press Enter", identity=identity, what=what,
                     tiles=tiles)  # fmt: skip
            self.strip.add(text, identity, kit.digest, tip)
            if studio is not None:
                wanted[kit.digest] = partial(_thumbnail, studio, kit)
        self._filter()
        self.strip.draw("Drawing thumbnails", wanted)

    def _show(self) -> None:
        """The strip that is wanted."""
        recipes = self.kinds.currentIndex() == 1
        project = self.work.project
        some = project is not None and bool(project.pictures)
        self.strip.setVisible(some and not recipes)
        self.empty.setVisible(not some and not recipes)
        self.add.setVisible(not recipes)
        if recipes and not self.recipes.isVisible():
            self.recipes.show()
            self.recipes.fill()
        self.recipes.setVisible(recipes)
        self._filter()

    @property
    def drawing(self) -> int:
        """How many thumbnails are still to come."""
        return self.strip.drawing + self.recipes.drawing

    def end(self) -> None:
        """The window is about to go: no thumbnail comes any more."""
        self.recipes.end()
        self.strip.end()

    def _ask_taken(self, at: QPoint) -> None:
        index = self.strip.indexAt(at)
        if index.isValid():
            self.taken_menu(str(index.data(ID))).popup(self.strip.viewport().mapToGlobal(at))

    def taken_menu(self, identity: str) -> QMenu:
        """Choose whether a picture's numbers are colours or data."""
        menu = QMenu(self)
        project = self.work.project
        if project is None:
            return menu
        first = next(iter(project.sequences[identity].values())) if identity in project.sequences else identity
        ways: tuple[tuple[Taken, str], ...] = (
            ("colour", tr("Take as colour (sRGB)")),
            ("data", tr("Take as data (numbers as stored)")),
        )
        for taken, title in ways:
            action = menu.addAction(title, partial(self._take, identity, taken))
            action.setCheckable(True)
            action.setChecked(project.pictures[first].taken == taken)
        if identity not in project.sequences:
            ready = menu.addAction(tr("Make it ready …"), partial(self.preparing.open, identity))
            ready.setToolTip(tr("Cut it out, straighten it, mend its rim … the original stays as it is"))
            menu.insertAction(menu.actions()[0], ready)
            menu.insertSeparator(menu.actions()[1])
            covers = menu.addMenu(tr("Take as coverage (where, not what colour)"))
            for source, title in COVERAGE.items():
                covers.addAction(title, partial(self.preparing.open, identity, Coverage(source)))
        menu.addSeparator()
        menu.addAction(tr("Author and licence …"), lambda: self.credit_asked.emit(identity))
        return menu

    def _take(self, identity: str, taken: Taken) -> None:
        self.work.execute(SetTaken(identity, taken))

    def _filter(self) -> None:
        wanted = self.search.text().strip().lower()
        for strip in (self.strip, self.recipes):
            strip.search(wanted)

    def index_of(self, identity: str) -> QModelIndex | QPersistentModelIndex:
        """The strip's index of a kit picture."""
        for row in range(self.model.rowCount()):
            if self.model.item(row).data(ID) == identity:
                return self.model.index(row, 0)
        return QModelIndex()


def _thumbnail(studio: Studio, kit: KitPicture) -> U8:
    """A kit picture, small, on squares that show where it is clear."""
    rgba = studio.sources.picture(kit).rgba
    return on_checker((rgba >> (8 * (rgba.itemsize - 1))).astype(np.uint8), SIDE * 2, 10)
