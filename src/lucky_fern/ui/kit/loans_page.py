"""What goes out to other programs: which part of which maps, as what; and what is out, until it is forgotten."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QCheckBox, QGridLayout, QListWidget, QListWidgetItem, QMenu

from lucky_fern.core.lending import KINDS
from lucky_fern.core.lending_views import KINDS as VIEW_KINDS
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.loans import LentView, Loan
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.session.lending import Lending, Wish
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page, button, choice, menu_button
from lucky_fern.ui.widgets.quietly import show_items
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_PROPORTION = 1.6  # of a view that is lent, as wide as it is high


class LoansPage(Page):
    """Follows :class:`Lending`; owns nothing of it."""

    def __init__(self, work: Work, lending: Lending, looking: Looking, faces: Faces) -> None:
        super().__init__()
        self.work, self.lending, self.looking, self.faces = work, lending, looking, faces
        self.note(tr("A part of a sheet goes to another program as a file. Save it there, and what you changed comes "
                     "back by itself, in its place, as a layer."))  # fmt: skip
        self.sheet = choice(tr("The sheet that goes out"), [])
        self.sheet.activated.connect(lambda at: lending.choose(self._keys()[at]))
        self.what = menu_button(tr("Which part"), tr("All of the sheet, or a box of it"), self._fill)
        row = self.row(self.sheet, stretch=False)
        row.addWidget(self.what)
        self.told = self.note()
        grid = QGridLayout()
        grid.setSpacing(2)
        self.maps: dict[str, QCheckBox] = {}
        for number, (name, spec) in enumerate(MAPS.items()):
            box = QCheckBox(spec.title)
            box.setChecked(name == "colour")
            self.maps[name] = box
            grid.addWidget(box, number // 3, number % 3)
        self.column.addLayout(grid)
        self.kind = choice(
            tr("As what"), [(tr("OpenRaster, a layer a layer"), ".ora"), ("PNG", ".png"), ("TIFF", ".tif")]
        )
        self.kind.activated.connect(lambda _: self.refresh())
        self.guides = QCheckBox(tr("With UV wires and islands as hidden layers"))
        self.apart = QCheckBox(tr("Layers that are added there come back as layers"))
        for one in (self.guides, self.apart):
            one.setChecked(True)
        self.feather = NumberField(0, 64, 0, "", tr("How many texels the border fades over"))
        self.row(self.kind, stretch=True)
        self.column.addWidget(self.guides)
        self.column.addWidget(self.apart)
        self.row(tr("Soft border"), self.feather, stretch=False)
        self.lend_ = button(tr("Lend …"), tr("Choose where the file goes; the desktop's program opens it"), self.ask)
        self.view_ = button(
            tr("Lend what I see …"), tr("The model view as a picture; paint on it comes back through its lens"),
            self.ask_view,
        )  # fmt: skip
        self.row(self.lend_, self.view_, stretch=True)
        self.heading(tr("On loan"))
        self.list = QListWidget(objectName="plain", accessibleName=tr("What is on loan"))
        self.list.setFixedHeight(with_text(96))
        self.list.currentRowChanged.connect(lambda _: self._enable())
        self.column.addWidget(self.list)
        self.open_ = button(tr("Open"), tr("In the desktop's program for such files"), self._open)
        self.take = button(tr("Take back now"), tr("As the file is now"), lambda: self._chosen(lending.take_now))
        self.forget = button(tr("Forget"), tr("Wait for it no longer; what came back stays"),
                             lambda: self._chosen(lending.forget))  # fmt: skip
        self.row(self.open_, self.take, self.forget, stretch=True)
        self.column.addStretch(1)
        lending.changed.connect(self.refresh)
        work.studio_changed.connect(self.refresh)
        self.refresh()

    def _keys(self) -> list[SheetKey]:
        return [] if self.work.studio is None else list(self.work.studio.surface.keys)

    @property
    def key(self) -> SheetKey | None:
        """The sheet that is meant."""
        keys = self._keys()
        if self.lending.key in keys:
            return self.lending.key
        return keys[0] if keys else None

    def _fill(self, menu: QMenu) -> None:
        menu.clear()
        for title, action in (
            (tr("All of the sheet"), lambda: self.lending.choose(self.key)),
            (tr("A box, drawn on the sheet"), lambda: self.lending.draw_box(True)),
            (tr("The selected layer"), self.lending.choose_layer),
            (tr("The selected faces"), lambda: self.lending.choose_faces(self.faces.chosen)),
            (tr("Their islands"), lambda: self.lending.choose_faces(self.faces.chosen, islands=True)),
        ):
            menu.addAction(title, action)

    def refresh(self) -> None:
        """Show what is to go out, and what is out."""
        keys, project = self._keys(), self.work.project
        show_items(self.sheet, [str(key) for key in keys])
        if self.key is not None and project is not None:
            self.sheet.setCurrentIndex(keys.index(self.key))
            size = project.size_of(self.key)
            whole = (0, 0, size.width, size.height)
            box = self.lending.box if self.lending.key == self.key and self.lending.box else whole
            self.told.setText(
                tr("{wide} × {high} texels, from column {left}, row {upper}", wide=box[2] - box[0],
                   high=box[3] - box[1], left=box[0], upper=box[1])
            )  # fmt: skip
        raster = self.kind.currentData() == ".ora"
        self.guides.setEnabled(raster)
        self.apart.setEnabled(raster)
        for widget in (self.lend_, self.view_, self.what):
            widget.setEnabled(bool(keys))
        chosen = self.list.currentItem()
        name = None if chosen is None else chosen.data(Qt.ItemDataRole.UserRole)
        with QSignalBlocker(self.list):
            self.list.clear()
            for one, loan in self.lending.out().items():
                item = QListWidgetItem(_line(one, loan))
                item.setData(Qt.ItemDataRole.UserRole, one)
                item.setToolTip(loan.file)
                self.list.addItem(item)
                if one == name:
                    self.list.setCurrentItem(item)
        self._enable()

    def _enable(self) -> None:
        for widget in (self.open_, self.take, self.forget):
            widget.setEnabled(self.list.currentItem() is not None)

    def wish(self) -> Wish:
        """How it goes out."""
        raster = self.kind.currentData() == ".ora"
        maps = tuple(name for name, box in self.maps.items() if box.isChecked())
        return Wish(
            maps, raster and self.guides.isChecked(), self.feather.number.value(), raster and self.apart.isChecked()
        )

    def ask(self) -> None:
        """Ask where the file goes, and lend."""
        project, key, wish = self.work.project, self.key, self.wish()
        if project is None or key is None:
            return
        if not wish.maps:
            self.work.warn(tr("Tick one map at least."))
            return
        suffix = str(self.kind.currentData())
        start = f"{project.name} {key.material} {key.tile}{suffix}"
        filter_ = asking.kinds(tr("OpenRaster, PNG or TIFF"), KINDS)
        path = asking.save_file(self, tr("Lend a sheet"), start, filter_, suffix)
        if path is not None:
            box = self.lending.box if self.lending.key == key else None
            self.lending.lend(key, wish, path, box)

    def ask_view(self) -> None:
        """Ask where a picture of what is seen goes, and lend it."""
        project = self.work.project
        if project is not None:
            filter_ = asking.kinds(tr("Pictures"), VIEW_KINDS)
            path = asking.save_file(self, tr("Lend a view"), f"{project.name} seen.png", filter_, ".png")
            if path is not None:
                self.lending.lend_view(path, _PROPORTION)

    def _chosen(self, action: Callable[[str], object]) -> None:
        item = self.list.currentItem()
        if item is not None:
            action(str(item.data(Qt.ItemDataRole.UserRole)))

    def _open(self) -> None:
        item = self.list.currentItem()
        if item is not None and item.toolTip():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(Path(item.toolTip()))))


def _line(name: str, loan: Loan | LentView) -> str:
    if isinstance(loan, LentView):
        return tr("{name}: what was seen", name=name)
    left, upper, right, lower = loan.box
    maps = ", ".join(MAPS[one].title for one in loan.lent)
    return tr("{name}: {sheet}, {wide} × {high}, {maps}", name=name, sheet=loan.sheet, wide=right - left,
              high=lower - upper, maps=maps)  # fmt: skip
