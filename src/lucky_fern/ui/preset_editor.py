"""Changing a preset of one's own: which source goes to which channel of which file, and what files are called."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.export_setup import file_name
from lucky_fern.core.project.presets import MapFile, Part, Pick, Preset, check_preset
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.parts import button

_COLOURED = ("colour", "emissive", "diffuse", "specular")
_CHANNELS = ("Red", "Green", "Blue", "Alpha")
_DEFAULT = "{project}_{material}_{map}.{tile}.{ext}"


def _sources() -> dict[str, Pick | None]:
    """What a channel may hold, by the words for it."""
    found: dict[str, Pick | None] = {"–": None, "0": Pick(value=0.0), "½": Pick(value=0.5), "1": Pick(value=1.0)}
    parts: tuple[tuple[str, Part], ...] = (("red", "r"), ("green", "g"), ("blue", "b"))
    for name in (*MAPS, "diffuse", "specular", "gloss"):
        if name in _COLOURED or name == "normal":
            found.update({f"{name} {word}": Pick(name, part) for word, part in parts})
            if name == "normal":
                found["normal green, turned over"] = Pick(name, "g", invert=True)
            else:
                found[f"{name} brightest"] = Pick(name, "brightest")
        else:
            found.update({name: Pick(name), f"1 − {name}": Pick(name, invert=True)})
    return found


SOURCES = _sources()


class PresetEditor(QWidget):
    """A table of files; ``kept`` is called with the preset, or with None where nothing is to be kept."""

    def __init__(self, preset: Preset, kept: Callable[[Preset | None], object]) -> None:
        super().__init__()
        self._preset, self._kept = preset, kept
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 4)
        column.setSpacing(4)
        self.title = QLineEdit(preset.title, objectName="plain")
        self.title.setAccessibleName("What the preset is called")
        self.title.setPlaceholderText("What it is called")
        column.addWidget(self.title)
        self.table = QTableWidget(0, 1 + len(_CHANNELS))
        self.table.setHorizontalHeaderLabels(["File", *_CHANNELS])
        self.table.verticalHeader().hide()
        self.table.setAccessibleName("Files, and what their channels hold")
        self.table.setMinimumHeight(190)
        column.addWidget(self.table, 1)
        for file in preset.files:
            self._add(file)
        row = QHBoxLayout()
        row.addWidget(button("Add a file", "One more file", lambda: self._add(MapFile("new", (Pick("roughness"),)))))
        row.addWidget(button("Take out", "The file of the chosen row", self._take_out))
        row.addStretch(1)
        column.addLayout(row)
        self.pattern = QLineEdit(preset.pattern or "", objectName="plain", placeholderText=_DEFAULT)
        self.pattern.setAccessibleName("How files are called")
        self.pattern.setToolTip("May hold {project}, {material}, {map}, {tile} and {ext}; empty: as ever")
        column.addWidget(self.pattern)
        self.example = QLabel(objectName="quiet")
        self.example.setWordWrap(True)
        column.addWidget(self.example)
        row = QHBoxLayout()
        self.keep = QPushButton("Keep", objectName="primary")
        self.keep.clicked.connect(self._keep)
        row.addWidget(self.keep)
        row.addWidget(button("Cancel", "Leave the preset as it was", lambda: kept(None)))
        row.addStretch(1)
        column.addLayout(row)
        self.pattern.textChanged.connect(lambda _: self._show_example())
        self.table.itemChanged.connect(lambda _: self._show_example())
        self._show_example()

    def _add(self, file: MapFile) -> None:
        at = self.table.rowCount()
        self.table.insertRow(at)
        self.table.setItem(at, 0, QTableWidgetItem(file.word))
        picks = [*file.channels, *([None] * (3 - len(file.channels))), file.alpha]
        for number, pick in enumerate(picks):
            box = QComboBox()
            box.addItems(list(SOURCES))
            known = next((text for text, one in SOURCES.items() if one == pick), None)
            if known is None and pick is not None:
                box.addItem("as it was", pick)  # a value or levels that this list does not have
                known = "as it was"
            box.setCurrentText(known or "–")
            box.setAccessibleName(f"{file.word}, {_CHANNELS[number].lower()}")
            box.activated.connect(lambda _: self._show_example())
            self.table.setCellWidget(at, 1 + number, box)

    def _take_out(self) -> None:
        if self.table.currentRow() >= 0:
            self.table.removeRow(self.table.currentRow())

    def choose(self, row: int, channel: int, source: str) -> None:
        """Have a channel (0 red … 3 alpha) of a file hold one of :data:`SOURCES`."""
        box = self.table.cellWidget(row, 1 + channel)
        assert isinstance(box, QComboBox)
        box.setCurrentText(source)
        box.activated.emit(box.currentIndex())

    def preset(self) -> Preset:
        """The preset as the table has it.

        Raises
        ------
        CommandError
            If there can be no such one.
        """
        files = []
        for row in range(self.table.rowCount()):
            item = self.table.item(row, 0)
            word = item.text().strip() if item is not None else ""
            picks = [self._pick(row, number) for number in range(4)]
            channels = tuple(pick for pick in picks[:3] if pick is not None)
            known = next((file for file in self._preset.files if file.word == word), MapFile(word, channels))
            encoded = any(pick.of in _COLOURED and pick.part != "brightest" for pick in channels)
            files.append(replace(known, channels=channels, alpha=picks[3], encoded=encoded))
        made = replace(self._preset, title=self.title.text().strip() or "Own preset", files=tuple(files),
                       pattern=self.pattern.text().strip() or None)  # fmt: skip
        check_preset(made)
        return made

    def _pick(self, row: int, channel: int) -> Pick | None:
        box = self.table.cellWidget(row, 1 + channel)
        assert isinstance(box, QComboBox)
        own = box.currentData()
        return own if isinstance(own, Pick) else SOURCES[box.currentText()]

    def _show_example(self) -> None:
        try:
            made = self.preset()
        except LuckyFernError as error:
            self.example.setText(str(error))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(True)
        word = made.files[0].word if made.files else "map"
        name = file_name("Marsh Hen", SheetKey("hull", 1001), word, False, "png", made.pattern)
        self.example.setText(f"For example {name}")

    def _keep(self) -> None:
        self._kept(self.preset())
