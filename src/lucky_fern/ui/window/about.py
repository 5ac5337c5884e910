"""What this program is, of which version, and under whose licences its parts are."""

from __future__ import annotations

from PySide6.QtCore import qVersion
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from lucky_fern import __version__, licences
from lucky_fern.words import tr


class About(QDialog):
    """Version and licences."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("About Lucky Fern"))
        self.resize(560, 460)
        column = QVBoxLayout(self)
        words = QLabel(
            tr(
                "<b>Lucky Fern {version}</b><br>A texture painter for game mods, with Qt {qVersion}.",
                version=__version__,
                qVersion=qVersion(),
            )
        )
        column.addWidget(words)
        text = QPlainTextEdit(
            "\n".join([licences.LIBRARIES, "", *licences.listed(), *licences.font_texts()]), readOnly=True
        )
        text.setAccessibleName(tr("Parts and their licences"))
        column.addWidget(text, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
