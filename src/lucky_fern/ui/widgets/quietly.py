"""Values shown in inputs without telling anybody: what is shown was not chosen."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QAbstractButton, QComboBox


def show_check(box: QAbstractButton, on: bool) -> None:
    """Show a state."""
    with QSignalBlocker(box):
        box.setChecked(bool(on))


def show_items(box: QComboBox, names: Sequence[str]) -> None:
    """Have a list show these names."""
    if list(names) != [box.itemText(at) for at in range(box.count())]:
        with QSignalBlocker(box):
            box.clear()
            box.addItems(list(names))
