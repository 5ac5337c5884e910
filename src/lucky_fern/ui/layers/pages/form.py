"""What a page of a layer is written on: rows, notes, and what brings each input up to date."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import Layer
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.style import with_text

_W = TypeVar("_W", bound=QWidget)
Bind = Callable[[Layer], object]


class Form:
    """Made anew for every layer that is shown; ``matter`` is what its inputs read and change."""

    def __init__(self, matter: Matter) -> None:
        self.matter = matter
        self._binds: list[Bind] = []
        self._named: dict[str, QWidget] = {}

    # --- what stands on it --------------------------------------------------------------------------------------

    def row(self, column: QVBoxLayout, title: str, field: QWidget) -> None:
        """A titled row; the title belongs to the field for those who work by keys or by ear."""
        line = QHBoxLayout()
        label = QLabel(title)
        label.setFixedWidth(with_text(76))
        label.setAlignment(Qt.AlignmentFlag.AlignTop)
        label.setContentsMargins(0, 4, 0, 0)
        label.setBuddy(field)
        line.addWidget(label)
        line.addWidget(field, 1)
        column.addLayout(line)

    def number(
        self, column: QVBoxLayout, name: str, shown: tuple[str, float, float, int], value: Callable[[Layer], float],
        put: Callable[[float], object],
    ) -> None:  # fmt: skip
        """A row with a number: its title, lowest, highest and decimals, what it is of a layer, and what sets it."""
        title, low, high, decimals = shown
        field = NumberField(low, high, decimals, "", title)
        field.changed.connect(lambda now: put(round(now, 4)))
        field.let_go.connect(self.matter.work.end_gesture)
        self.name(name, field)
        self.bind(lambda layer: field.set(value(layer)))
        self.row(column, title, field)

    def rule(self, column: QVBoxLayout) -> None:
        column.addWidget(QFrame(objectName="rule"))

    def note(self, column: QVBoxLayout, text: str) -> None:
        label = QLabel(text, objectName="quiet")
        label.setWordWrap(True)
        column.addWidget(label)

    def name(self, name: str, widget: QWidget) -> None:
        """Give an input a name by which others find it."""
        self._named[name] = widget

    def named(self, name: str, kind: type[_W]) -> _W:
        """The input of a name; KeyError if there is none, TypeError if it is of another kind."""
        widget = self._named[name]
        if not isinstance(widget, kind):
            raise TypeError(f"{name} is a {type(widget).__name__}, not a {kind.__name__}")
        return widget

    def has(self, name: str, widget: QWidget | None = None) -> bool:
        """Whether there is an input of that name (and whether it is this one)."""
        return name in self._named and (widget is None or self._named[name] is widget)

    # --- following the layer ------------------------------------------------------------------------------------

    def bind(self, bind: Bind) -> None:
        """Do this with the layer whenever its values are to be shown."""
        self._binds.append(bind)

    def show(self, layer: Layer) -> None:
        """Bring every input up to date."""
        for bind in self._binds:
            bind(layer)

    def refresh(self) -> None:
        """Show the layer as it is."""
        layer = self.matter.selection.layer
        if layer is not None:
            self.show(layer)

    # --- changing it --------------------------------------------------------------------------------------------

    def do(self, make: Callable[[Layer], Command], merge: bool = False) -> None:
        """An edit of the one layer that is shown."""
        layer = self.matter.selection.layer
        if layer is not None:
            self.matter.work.execute(make(layer), merge)

    def do_each(self, make: Callable[[Layer], Command | None], merge: bool = False) -> None:
        """The same edit of all selected layers."""
        self.matter.selection.execute_each(make, merge)
