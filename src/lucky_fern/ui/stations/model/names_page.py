"""Materials and parts: listed, looked at, renamed, and faces given from one material to another."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QColor, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QComboBox, QTreeWidget, QTreeWidgetItem

from lucky_fern.core.arrays import Bool
from lucky_fern.core.project.layouts import GiveMaterial, RenameMaterial, RenamePart
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.stations.model.cut_part import CutPart
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.tools.texel_area import TexelArea
from lucky_fern.ui.widgets.page import Page, button
from lucky_fern.words import tr

_KIND, _NUMBER = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


class NamesPage(Page):
    """A tick shows or hides, a click selects, a double click renames."""

    def __init__(
        self, work: Work, faces: Faces, laying: Laying, errands: Errands, looking: Looking, area: TexelArea
    ) -> None:
        super().__init__()
        self.work, self.faces, self.laying = work, faces, laying
        self._showing = False
        self.note(tr("A click selects the faces, a tick shows or hides them, a double click renames."))
        self.tree = QTreeWidget(columnCount=2)
        self.tree.setHeaderLabels([tr("Name"), tr("Triangles")])
        self.tree.setAccessibleName(tr("Materials and parts of the model"))
        self.tree.setRootIsDecorated(True)
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.tree.setColumnWidth(0, 280)
        self.tree.setMinimumHeight(220)
        self.tree.itemClicked.connect(self._clicked)
        self.tree.itemActivated.connect(self._clicked)  # by keys
        self.tree.itemChanged.connect(self._changed)
        self.column.addWidget(self.tree, 1)
        self.heading(tr("Give the selected faces to a material"))
        self.note(tr("A material of its own, for the panes of a lamp, say, lets just those faces glow."))
        self.material = QComboBox(editable=True)
        self.material.setAccessibleName(tr("Material to give the faces to; type a new name to make one"))
        self.material.setMinimumWidth(220)
        self.row(self.material, button(tr("Give"), tr("The selected faces become of this material"), self.give))
        self.heading(tr("Cut along texels"), tr("So that just these texels glow"))
        self.note(tr("Chosen texels become faces of the material named above; the surface and its paint stay."))
        self.cutting = CutPart(work, errands, looking, faces, area, self.material)
        self.column.addWidget(self.cutting)
        for signal in (work.studio_changed, work.layout_changed, work.project_changed, faces.shown_changed):
            signal.connect(self.follow)

    def give(self) -> None:
        """Give the selected faces to the material that is named."""
        if not self.faces.any:
            self.work.said.emit(tr("Nothing is selected; click the faces that shall get this material."), True)
        elif not self.material.currentText().strip():
            self.work.said.emit(tr("Type a name for the material, or choose one."), True)
        else:
            self.laying.do(GiveMaterial(self.material.currentText().strip()))

    def _rows(self, item: QTreeWidgetItem) -> Bool | None:
        """(T,) bool, the faces of an item."""
        studio, kind = self.work.studio, item.data(0, _KIND)
        if studio is None or kind is None:
            return None
        owner = studio.model.material if kind == "material" else studio.model.part
        return np.asarray(owner == item.data(0, _NUMBER), np.bool_)

    def _clicked(self, item: QTreeWidgetItem, column: int) -> None:
        rows = self._rows(item)
        if rows is not None and not rows[self.faces.hidden].all():
            self.faces.choose(rows, whole_units=False)

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        rows, studio = self._rows(item), self.work.studio
        if self._showing or rows is None or studio is None or column != 0:
            return
        kind = item.data(0, _KIND)
        names = studio.model.materials if kind == "material" else studio.model.parts
        old, new = names[item.data(0, _NUMBER)], item.text(0)
        if new != old:
            command = RenameMaterial(old, new) if kind == "material" else RenamePart(old, new)
            act = partial(self.laying.do, command, rows, self.refresh)
        else:
            act = partial(self.faces.hide_these, rows, item.checkState(0) != Qt.CheckState.Checked)
        # What follows lists everything anew, and the item that is being changed must still be there afterwards.
        QTimer.singleShot(0, self, act)

    def refresh(self) -> None:
        """List what there is, with what is hidden unticked."""
        studio = self.work.studio
        if studio is None:
            return
        model, faces = studio.model, self.faces
        if len(faces.hidden) != model.triangle_count:
            return
        self._showing = True
        self.tree.clear()
        for kind, title, names, owner in (
            ("material", tr("Materials"), model.materials, model.material),
            ("part", tr("Parts"), model.parts, model.part),
        ):
            top = QTreeWidgetItem([f"{title} ({len(names)})", ""])
            top.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.tree.addTopLevelItem(top)
            count = np.bincount(owner, minlength=len(names))
            hidden = np.bincount(owner[faces.hidden], minlength=len(names))
            for number, name in enumerate(names):
                item = QTreeWidgetItem([name, str(int(count[number]))])
                item.setData(0, _KIND, kind)
                item.setData(0, _NUMBER, number)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsUserCheckable)
                whole, some = hidden[number] == 0, 0 < hidden[number] < count[number]
                state = Qt.CheckState.PartiallyChecked if some else (
                    Qt.CheckState.Checked if whole else Qt.CheckState.Unchecked
                )  # fmt: skip
                item.setCheckState(0, state)
                if kind == "material" and name in model.colours:
                    swatch = QPixmap(12, 12)
                    swatch.fill(QColor(model.colours[name]))
                    item.setIcon(0, swatch)
                top.addChild(item)
            top.setExpanded(kind == "material" or len(names) <= 40)
        kept = self.material.currentText()
        self.material.clear()
        self.material.addItems(list(model.materials))
        self.material.setCurrentText(kept)
        self.cutting.refresh()
        self._showing = False
