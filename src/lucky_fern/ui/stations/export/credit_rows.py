"""Whose the kit's pictures are, under which licence, and where they come from: rows of the Export station."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from lucky_fern.core.exporting.credits import unlicensed
from lucky_fern.core.project.commands import SetCredit
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.widgets.quietly import show_items
from lucky_fern.words import tr

_FIELDS = (
    ("author", tr("Author")),
    ("licence", tr("Licence, as SPDX writes it: CC-BY-4.0")),
    ("source", tr("Where it comes from")),
)


class CreditRows(QWidget):
    """One picture at a time."""

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.work = work
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.pictures = QComboBox()
        self.pictures.setAccessibleName(tr("The picture that the lines below are about"))
        self.pictures.activated.connect(lambda _: self.refresh())
        column.addWidget(self.pictures)
        self.fields: dict[str, QLineEdit] = {}
        for name, title in _FIELDS:
            field = QLineEdit(objectName="plain", placeholderText=title)
            field.setAccessibleName(title)
            field.editingFinished.connect(partial(self._set, name))
            self.fields[name] = field
            column.addWidget(field)

    @property
    def chosen(self) -> str | None:
        """The picture's name in the kit."""
        project = self.work.project
        name = self.pictures.currentText().removesuffix("  – no licence")
        return name if project is not None and name in project.pictures else None

    def choose(self, name: str) -> None:
        """Be about a picture."""
        at = next((k for k in range(self.pictures.count()) if self.pictures.itemText(k).startswith(name)), -1)
        self.pictures.setCurrentIndex(at)
        self.refresh()

    def _set(self, name: str) -> None:
        project, picture = self.work.project, self.chosen
        if project is None or picture is None or getattr(project.pictures[picture], name) == self.fields[name].text():
            return
        said = {one: field.text() for one, field in self.fields.items()}
        self.work.execute(SetCredit(picture, **said), merge=True)

    def refresh(self) -> None:
        project = self.work.project
        if project is None:
            return
        without, before = set(unlicensed(project)), self.chosen
        names = [
            tr("{name}  – no licence", name=name) if kit.name in without else name
            for name, kit in project.pictures.items()
        ]
        show_items(self.pictures, names)
        if before is not None:
            self.pictures.setCurrentIndex(list(project.pictures).index(before))
        kit = None if self.chosen is None else project.pictures[self.chosen]
        for name, field in self.fields.items():
            field.setEnabled(kit is not None)
            if not field.hasFocus():
                field.setText("" if kit is None else getattr(kit, name))
