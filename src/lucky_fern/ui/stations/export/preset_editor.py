"""Changing a preset of one's own: which source goes to which channel of which file, and what files are called."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_args

from msgspec.structs import replace
from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QHeaderView,
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
from lucky_fern.core.project.export_setup import FORMATS, file_name
from lucky_fern.core.project.presets import Blocks, MapFile, Part, Pick, Preset, check_preset
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.widgets.guarding import guarded
from lucky_fern.ui.widgets.page import button, choice, number
from lucky_fern.ui.widgets.style import with_text
from lucky_fern.words import tr

_COLOURED = ("colour", "emissive", "diffuse", "specular")
_CHANNELS = (tr("Red"), tr("Green"), tr("Blue"), tr("Alpha"))
_DEFAULT = "{project}_{material}_{map}.{tile}.{ext}"
_REST = tr("as all")
_SIZES = (16, 32, 64, 128, 256, 512, 1024, 2048, 4096, 8192)


def _sources() -> dict[str, Pick | None]:
    """What a channel may hold, by the words for it."""
    found: dict[str, Pick | None] = {"–": None, "0": Pick(), "½": Pick(value=0.5), "1": Pick(value=1.0)}
    found["a value"] = Pick(value=0.25)
    parts: tuple[tuple[str, Part], ...] = (("R", "r"), ("G", "g"), ("B", "b"))
    for name in (*MAPS, "diffuse", "specular", "gloss"):
        if name in _COLOURED or name == "normal":
            found.update({f"{name} {word}": Pick(name, part) for word, part in parts})
            if name == "normal":
                found["normal G, turned over"] = Pick(name, "g", invert=True)
            else:
                found[f"{name} brightest"] = Pick(name, "brightest")
        else:
            found.update({name: Pick(name), f"1 − {name}": Pick(name, invert=True)})
    return found


SOURCES = _sources()


def _words_of(pick: Pick | None) -> str:
    """What :data:`SOURCES` calls a pick, whatever its levels; "" where it has no word for it."""
    if pick is not None and not pick.of:
        return next((text for text, one in SOURCES.items() if one == pick), tr("a value"))
    plain = None if pick is None else replace(pick, low=0.0, high=1.0, gamma=1.0)
    return next((text for text, one in SOURCES.items() if one == plain), "")


@guarded
class PresetEditor(QWidget):
    """A table of files, and what more there is to the chosen one.

    ``kept`` is called with the preset, or with None where nothing is to be kept.
    """

    def __init__(self, preset: Preset, kept: Callable[[Preset | None], object]) -> None:
        super().__init__()
        self._preset, self._kept = preset, kept
        self._picks: list[list[Pick | None]] = []
        self._files: list[MapFile] = []  # everything of them but word and channels
        self._at = (0, 0)  # row and channel that the fields below are about
        self._showing = False
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 4)
        column.setSpacing(4)
        self.title = QLineEdit(preset.title, objectName="plain")
        self.title.setAccessibleName(tr("What the preset is called"))
        self.title.setPlaceholderText(tr("What it is called"))
        column.addWidget(self.title)
        self.table = QTableWidget(0, 1 + len(_CHANNELS))
        self.table.setHorizontalHeaderLabels([tr("File"), *_CHANNELS])
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.setAccessibleName(tr("Files, and what their channels hold"))
        self.table.setMinimumHeight(190)
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(
            button(tr("Add a file"), tr("One more file"), lambda: self._add(MapFile("new", (Pick("roughness"),))))
        )
        row.addWidget(button(tr("Take out"), tr("The file of the chosen row"), self._take_out))
        row.addStretch(1)
        column.addLayout(row)
        self._channel_part(column)
        self._file_part(column)
        self.pattern = QLineEdit(preset.pattern or "", objectName="plain", placeholderText=_DEFAULT)
        self.pattern.setAccessibleName(tr("How files are called"))
        self.pattern.setToolTip(tr("May hold {project}, {material}, {map}, {tile} and {ext}; empty: as ever"))
        column.addWidget(self.pattern)
        self.example = QLabel(objectName="quiet")
        self.example.setWordWrap(True)
        column.addWidget(self.example)
        row = QHBoxLayout()
        self.keep = QPushButton(tr("Keep"), objectName="primary")
        self.keep.clicked.connect(self._keep)
        row.addWidget(self.keep)
        row.addWidget(button(tr("Cancel"), tr("Leave the preset as it was"), lambda: kept(None)))
        row.addStretch(1)
        column.addLayout(row)
        for file in preset.files:
            self._add(file)
        self.pattern.textChanged.connect(lambda _: self._show_example())
        self.table.itemChanged.connect(lambda _: self._show_more())
        self.table.currentCellChanged.connect(lambda at, over, *_: self.point(at, max(over - 1, 0)))
        self.point(0, 0)

    # --- its parts --------------------------------------------------------------------------------------------

    def _channel_part(self, column: QVBoxLayout) -> None:
        """Levels of one channel, or its value."""
        self.channel_words = QLabel(objectName="quiet")
        column.addWidget(self.channel_words)
        line = QHBoxLayout()
        self.levels: dict[str, QDoubleSpinBox] = {}
        for name, prefix, low, high in (("low", tr("from "), 0, 1), ("high", tr("to "), 0, 1),
                                        ("gamma", tr("gamma "), 0.1, 10), ("value", tr("value "), 0, 1)):  # fmt: skip
            box = number(tr("{prefix}of the channel", prefix=prefix), low, high, low)
            box.setPrefix(prefix)
            box.setFixedWidth(with_text(96))
            box.setSingleStep(0.05)
            box.valueChanged.connect(lambda value, name=name: self._set_level(name, value))
            self.levels[name] = box
            line.addWidget(box)
        line.addStretch(1)
        column.addLayout(line)

    def _file_part(self, column: QVBoxLayout) -> None:
        """What one file has of its own."""
        self.file_words = QLabel(objectName="quiet")
        column.addWidget(self.file_words)
        on_off = [(_REST, None), (tr("on"), True), (tr("off"), False)]
        kinds: dict[str, tuple[str, list[tuple[str, Any]]]] = {
            "format": ("format", [(_REST, None), *((name.upper(), name) for name in FORMATS)]),
            "bits": ("bits", [(_REST, None), ("8", 8), ("16", 16)]),
            "size": ("size", [(_REST, None), *((str(size), size) for size in _SIZES)]),
            "normal_y": ("green", [(_REST, None), (tr("up (+Y)"), "+"), (tr("down (−Y)"), "-")]),
            "padding": ("padding", [(_REST, None), *((f"{count} texels", count) for count in (0, 4, 8, 16, 32, 64))]),
            "dither": ("dither", on_off),
            "mips": ("mips", on_off),
            "blocks": ("blocks", [(_REST, None), *((one.upper(), one) for one in get_args(Blocks))]),
            "always": ("written", [(tr("if used"), False), ("always", True)]),
            "blend": ("alpha", [(_REST, None), ("straight", "straight"), ("premultiplied", "premultiplied"),
                                (tr("flattened on"), "flattened"), (tr("none"), "none")]),
        }  # fmt: skip
        self.options: dict[str, QComboBox] = {}
        line = QHBoxLayout()
        for number_, (name, (title, items)) in enumerate(kinds.items()):
            if number_ and number_ % 3 == 0:
                line.addStretch(1)
                column.addLayout(line)
                line = QHBoxLayout()
            box = choice(tr("{title} of the file", title=title), items)
            box.setFixedWidth(with_text(84))
            box.activated.connect(lambda _, name=name: self._set_option(name))
            label = QLabel(title, objectName="quiet")
            label.setFixedWidth(with_text(46))
            line.addWidget(label)
            line.addWidget(box)
            self.options[name] = box
        self.ground = QLineEdit(objectName="plain")
        self.ground.setAccessibleName(tr("The colour that it is flattened on"))
        self.ground.setFixedWidth(with_text(84))
        self.ground.editingFinished.connect(lambda: self._set_file(ground=self.ground.text().strip()))
        line.addWidget(self.ground)
        line.addStretch(1)
        column.addLayout(line)

    # --- the table --------------------------------------------------------------------------------------------

    def _add(self, file: MapFile) -> None:
        at = self.table.rowCount()
        self._files.append(file)
        self._picks.append([*file.channels, *([None] * (3 - len(file.channels))), file.alpha])
        self.table.insertRow(at)
        self.table.setItem(at, 0, QTableWidgetItem(file.word))
        for channel, pick in enumerate(self._picks[-1]):
            box = QComboBox()
            box.addItems(list(SOURCES))
            box.setCurrentText(_words_of(pick))
            box.setAccessibleName(f"{file.word}, {_CHANNELS[channel].lower()}")
            box.activated.connect(lambda _, box=box: self._chosen(box))
            box.installEventFilter(self)
            self.table.setCellWidget(at, 1 + channel, box)
        self.point(at, 0)

    def _take_out(self) -> None:
        at = self._at[0]
        if 0 <= at < len(self._files):
            del self._files[at], self._picks[at]
            self.table.removeRow(at)
            self.point(min(at, len(self._files) - 1), 0)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.FocusIn:
            where = self._place_of(watched)
            if where is not None:
                self.point(*where)
        return super().eventFilter(watched, event)

    def _place_of(self, box: QObject) -> tuple[int, int] | None:
        for row in range(self.table.rowCount()):
            for channel in range(len(_CHANNELS)):
                if self.table.cellWidget(row, 1 + channel) is box:
                    return row, channel
        return None

    def _chosen(self, box: QComboBox) -> None:
        where = self._place_of(box)
        if where is not None:
            self._picks[where[0]][where[1]] = SOURCES[box.currentText()]
            self.point(*where)

    def choose(self, row: int, channel: int, source: str) -> None:
        """Have a channel (0 red … 3 alpha) of a file hold one of :data:`SOURCES`."""
        box = self.table.cellWidget(row, 1 + channel)
        assert isinstance(box, QComboBox)
        box.setCurrentText(source)
        box.activated.emit(box.currentIndex())

    # --- the chosen channel and file --------------------------------------------------------------------------

    def point(self, row: int, channel: int) -> None:
        """Have the fields below be about a file, and one of its channels."""
        self._at = (row, channel)
        self._show_more()

    def _show_more(self) -> None:
        row, channel = self._at
        there = 0 <= row < len(self._files)
        pick = self._picks[row][channel] if there else None
        self._showing = True
        word = self._word(row) if there else ""
        self.channel_words.setText(f"{_CHANNELS[channel]} of {word}" if pick is not None else "")
        for name, box in self.levels.items():
            box.setVisible(pick is not None and (bool(pick.of) != (name == "value")))
            if pick is not None:
                box.setValue(getattr(pick, name))
        holds = tr("colours, as sRGB") if there and self._encoded(row) else tr("plain numbers")
        self.file_words.setText(tr("The file {word}: {holds}", word=word, holds=holds) if there else "")
        for name, option in self.options.items():
            option.setEnabled(there)
            if there:
                option.setCurrentIndex(max(option.findData(getattr(self._files[row], name)), 0))
        with_alpha = there and self._picks[row][3] is not None
        self.options["blend"].setEnabled(with_alpha)
        if there:
            self.ground.setText(self._files[row].ground)
        self.ground.setVisible(with_alpha and self._files[row].blend == "flattened")
        self._showing = False
        self._show_example()

    def _set_level(self, name: str, value: float) -> None:
        row, channel = self._at
        pick = self._picks[row][channel] if 0 <= row < len(self._picks) else None
        if self._showing or pick is None:
            return
        self._picks[row][channel] = replace(pick, **{name: round(value, 4)})
        box = self.table.cellWidget(row, 1 + channel)
        assert isinstance(box, QComboBox)
        box.setCurrentText(_words_of(self._picks[row][channel]))
        self._show_example()

    def _set_option(self, name: str) -> None:
        self._set_file(**{name: self.options[name].currentData()})

    def _set_file(self, **changes: Any) -> None:
        row = self._at[0]
        if not self._showing and 0 <= row < len(self._files):
            self._files[row] = replace(self._files[row], **changes)
            self._show_more()

    # --- what comes of it -------------------------------------------------------------------------------------

    def preset(self) -> Preset:
        """The preset as the table has it.

        Raises
        ------
        CommandError
            If there can be no such one.
        """
        files = []
        for row, file in enumerate(self._files):
            channels = tuple(pick for pick in self._picks[row][:3] if pick is not None)
            files.append(
                replace(file, word=self._word(row), channels=channels, alpha=self._picks[row][3],
                        encoded=self._encoded(row))
            )  # fmt: skip
        made = replace(self._preset, title=self.title.text().strip() or "Own preset", files=tuple(files),
                       pattern=self.pattern.text().strip() or None)  # fmt: skip
        check_preset(made)
        return made

    def _word(self, row: int) -> str:
        item = self.table.item(row, 0)
        return item.text().strip() if item is not None else ""

    def _encoded(self, row: int) -> bool:
        """Whether a file holds colours: it does where a channel is a part of one."""
        picks = [pick for pick in self._picks[row][:3] if pick is not None]
        return any(pick.of in _COLOURED and pick.part != "brightest" for pick in picks)

    def _show_example(self) -> None:
        try:
            made = self.preset()
        except LuckyFernError as error:
            self.example.setText(str(error))
            self.keep.setEnabled(False)
            return
        self.keep.setEnabled(True)
        file = made.files[max(self._at[0], 0)] if made.files else MapFile("map", ())
        name = file_name("Marsh Hen", SheetKey("hull", 1001), file.word, False, file.format or "png", made.pattern)
        self.example.setText(tr("For example {name}", name=name))

    def _keep(self) -> None:
        self._kept(self.preset())
