"""The person's choices: the look, how numbers are written, a folder, memory, keeping the previous file."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from lucky_fern.core.kit.mine import own_kit
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.window.remembered import Remembered
from lucky_fern.words import tr

_NUMBERS = {"point": tr("1.5, with a point"), "comma": tr("1,5, with a comma"), "system": tr("As the desktop")}
_TEXTS = {0: tr("As the desktop"), 100: "100 %", 125: "125 %", 150: "150 %"}
_LOOKS = {"light": tr("Light"), "dark": tr("Dark"), "system": tr("As the desktop")}
_REREAD = {"ask": tr("Ask once"), "yes": tr("Read them again"), "no": tr("Leave them as they are")}


@guarded
class Preferences(QDialog):
    """Changes what is remembered when it is accepted."""

    def __init__(self, parent: QWidget, remembered: Remembered) -> None:
        super().__init__(parent)
        self.remembered = remembered
        self.setWindowTitle(tr("Preferences"))
        form = QFormLayout(self)
        self.look = QComboBox()
        for look, title in _LOOKS.items():
            self.look.addItem(title, look)
        self.look.setCurrentIndex(self.look.findData(remembered.look))
        self.look.setToolTip(tr("From the next start on"))
        form.addRow(tr("&Look (from the next start on)"), self.look)
        self.numbers = QComboBox()
        for numbers, title in _NUMBERS.items():
            self.numbers.addItem(title, numbers)
        self.numbers.setCurrentIndex(self.numbers.findData(remembered.numbers))
        form.addRow(tr("&Numbers (from the next start on)"), self.numbers)
        self.text = QComboBox()
        for size, title in _TEXTS.items():
            self.text.addItem(title, size)
        self.text.setCurrentIndex(self.text.findData(remembered.text))
        form.addRow(tr("&Text (from the next start on)"), self.text)
        self.home = QLineEdit(remembered.home, placeholderText=tr("where a file was found last"), objectName="plain")
        self.home.setMinimumWidth(260)
        browse = QPushButton(tr("Browse …"))
        browse.setAutoDefault(False)
        browse.clicked.connect(self._browse)
        row = QHBoxLayout()
        row.addWidget(self.home, 1)
        row.addWidget(browse)
        form.addRow(tr("My &folder"), row)
        self.my_kit = QLineEdit(remembered.my_kit, objectName="plain", placeholderText=str(own_kit()))
        choose = QPushButton(tr("Browse …"))
        choose.setAutoDefault(False)
        choose.clicked.connect(self._browse_kit)
        beside = QHBoxLayout()
        beside.addWidget(self.my_kit, 1)
        beside.addWidget(choose)
        form.addRow(tr("My &kit"), beside)
        self.reread = QComboBox()
        for wish, title in _REREAD.items():
            self.reread.addItem(title, wish)
        self.reread.setCurrentIndex(self.reread.findData(remembered.reread))
        form.addRow(tr("Pictures whose files &change"), self.reread)
        self.undo = QSpinBox(minimum=64, maximum=65536, singleStep=256, suffix=tr(" MiB"))
        self.undo.setValue(remembered.undo_megabytes)
        self.undo.setToolTip(tr("How much memory steps to undo may take"))
        form.addRow(tr("Memory for &undo"), self.undo)
        self.maps = QSpinBox(maximum=262144, singleStep=256, suffix=tr(" MiB"))
        self.maps.setSpecialValueText(tr("A quarter of this computer's"))
        self.maps.setValue(remembered.maps_megabytes)
        self.maps.setToolTip(
            tr("How much memory finished maps may take; what nobody looks at is made again when needed")
        )
        form.addRow(tr("Memory for &maps"), self.maps)
        self.keep = QCheckBox(tr("Keep the &previous file as NAME.fern~ when saving"))
        self.keep.setChecked(remembered.keep_previous)
        form.addRow(self.keep)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def _browse(self) -> None:
        found = asking.folder(self, tr("My folder"), self.home.text())
        if found is not None:
            self.home.setText(str(found))

    def _browse_kit(self) -> None:
        found = asking.folder(self, tr("My kit"), self.my_kit.text() or str(own_kit()))
        if found is not None:
            self.my_kit.setText(str(found))

    def accept(self) -> None:
        self.remembered.look = self.look.currentData()
        self.remembered.numbers = self.numbers.currentData()
        self.remembered.text = self.text.currentData()
        self.remembered.home = self.home.text().strip()
        self.remembered.my_kit = self.my_kit.text().strip()
        self.remembered.reread = self.reread.currentData()
        self.remembered.undo_megabytes = self.undo.value()
        self.remembered.maps_megabytes = self.maps.value()
        self.remembered.keep_previous = self.keep.isChecked()
        super().accept()
