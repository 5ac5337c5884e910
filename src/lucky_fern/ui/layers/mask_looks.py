"""Looking at a mask: in colour over what it is of, or alone."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QToolButton

from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.words import tr


def mask_looks(comparing: Comparing, row: QHBoxLayout) -> dict[str, QToolButton]:
    """Buttons that show the selected layer's mask over what it is of, or alone."""
    made = {}
    for look, text, tip in (
        ("colour", tr("Mask in colour"), tr("Tint what the mask shows, over the model as it is")),
        ("alone", tr("Mask alone"), tr("White where it shows, black where it hides")),
    ):
        button = QToolButton(text=text, toolTip=tip, checkable=True)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        button.clicked.connect(lambda on, look=look: comparing.show_mask(look if on else None))
        row.addWidget(button)
        made[look] = button
    comparing.looking.changed.connect(lambda: show_looks(comparing, made))
    return made


def show_looks(comparing: Comparing, buttons: dict[str, QToolButton]) -> None:
    for look, button in buttons.items():
        button.setChecked(comparing.mask_look == look)
