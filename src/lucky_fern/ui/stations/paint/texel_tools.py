"""What the texel tools ask on the tool line: what is drawn, how wide, with which two colours; blocks and colours."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QCheckBox, QComboBox, QFrame, QHBoxLayout, QMenu, QToolButton, QVBoxLayout, QWidget

from lucky_fern.core.pictures.picture import SUFFIXES
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.tools.texel_area import TexelArea
from lucky_fern.ui.tools.texel_blocks import TexelBlocks
from lucky_fern.ui.tools.texels import FREE, SHAPES, Shape, Texels
from lucky_fern.ui.widgets.asking import kinds, open_file
from lucky_fern.ui.widgets.colour_field import ColourField
from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.ui.widgets.page import menu_button, picker, whole
from lucky_fern.words import tr

_SHAPES: dict[Shape, str] = {
    "pencil": tr("Pencil"), "line": tr("Line"), "frame": tr("Frame"), "block": tr("Rectangle"), "ring": tr("Ring"),
    "disc": tr("Ellipse"), "fill": tr("Fill what is joined"), "replace": tr("Replace a colour"),
    "dither": tr("Two colours in turn"), "choose": tr("Choose a rectangle"), "choose-alike": tr("Choose a colour"),
}  # fmt: skip


class TexelTools(QWidget):
    """Seen while the tool is in hand."""

    def __init__(
        self, commands: Commands, work: Work, painting: Painting, texels: Texels, area: TexelArea, blocks: TexelBlocks
    ) -> None:
        super().__init__()
        self.commands, self.work, self.painting, self.texels = commands, work, painting, texels
        self.area, self.blocks = area, blocks
        self._add_commands()
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(2)
        self.shapes = self._choice([_SHAPES[shape] for shape in SHAPES], tr("What is drawn of texels"),
                                   lambda at: texels.set(shape=SHAPES[at]))  # fmt: skip
        self.wide = whole(tr("Texels across"), 1, 16, 1, tr(" tx"))
        self.wide.valueChanged.connect(lambda value: texels.set(size=value))
        self.row.addWidget(self.wide)
        self.round = QCheckBox(tr("Round"))
        self.round.clicked.connect(lambda on: texels.set(round=on))
        self.row.addWidget(self.round)
        self.mirrored = self._choice(
            [tr("Not mirrored"), tr("Left and right"), tr("Above and below"), tr("Both ways")],
            tr("Whether the other side of the sheet is drawn on, too"),
            lambda at: texels.set(across=at in (1, 3), down=at in (2, 3)),
        )
        self.swatch = QToolButton()
        self.swatch.setFixedSize(QSize(26, 22))
        self.swatch.setToolTip(tr("The second colour"))
        self.swatch.setAccessibleName(tr("The second colour"))
        self.swatch.clicked.connect(self._unfold)
        self.row.addWidget(self.swatch)
        self.popup = QFrame(self, Qt.WindowType.Popup)
        self.colour = ColourField(tr("Second colour"))
        self.colour.changed.connect(lambda value: texels.set(second=value))
        inside = QVBoxLayout(self.popup)
        inside.addWidget(self.colour)
        self.exchange = commands.button("texels.exchange")
        self.row.addWidget(self.exchange)
        self.block = menu_button(
            tr("Block"), tr("What is chosen: copied, turned, moved, put down"),
            self._fill(["texels.copy", "texels.cut", "texels.lift", "texels.paste", "texels.file", "",
                        "texels.turn", "texels.flip", "texels.flip-over", "", "texels.clear", "texels.left",
                        "texels.right", "texels.up", "texels.down", "", "texels.all", "texels.none"]),
        )  # fmt: skip
        self.row.addWidget(self.block)
        self.colours = menu_button(tr("Colours"), tr("Of what is chosen, or of all that the layer has"),
                                   self._fill_colours)  # fmt: skip
        self.row.addWidget(self.colours)
        for signal in (painting.changed, texels.changed, area.changed, blocks.changed):
            signal.connect(self.refresh)
        self.refresh()

    def _add_commands(self) -> None:
        add, blocks, area, key = self.commands.add, self.blocks, self.area, QKeySequence.StandardKey
        add("texels.exchange", "⇄", self._exchange, tip=tr("Exchange the two colours in hand"))
        add("texels.copy", tr("Copy texels"), blocks.copy)
        add("texels.cut", tr("Cut texels"), lambda: blocks.copy(cut=True), key.Cut)
        add("texels.lift", tr("Move them"), lambda: blocks.copy(cut=True, lift=True),
            tip=tr("Lift the chosen texels: they go where you click"))  # fmt: skip
        add("texels.paste", tr("Put down what was copied"), lambda: blocks.take(blocks.kept))
        add("texels.file", tr("Block from a picture file …"), self._ask_file)
        add("texels.turn", tr("Turn by a quarter"), blocks.turn)
        add("texels.flip", tr("Mirror left and right"), blocks.flip)
        add("texels.flip-over", tr("Mirror top and bottom"), lambda: blocks.flip(True))
        add("texels.clear", tr("Clear texels"), blocks.clear)
        add("texels.left", tr("Shift left, round the edge"), lambda: blocks.shift(-1, 0))
        add("texels.right", tr("Shift right, round the edge"), lambda: blocks.shift(1, 0))
        add("texels.up", tr("Shift up, round the edge"), lambda: blocks.shift(0, -1))
        add("texels.down", tr("Shift down, round the edge"), lambda: blocks.shift(0, 1))
        add("texels.all", tr("Choose the whole sheet"), self._choose_all)
        add("texels.none", tr("Choose nothing"), area.clear)
        add("texels.swap", tr("Swap the two colours there"), blocks.swap)

    def _choice(self, names: list[str], tip: str, act: Callable[[int], object]) -> QComboBox:
        box = picker(names, tip, act)
        self.row.addWidget(box)
        return box

    def _fill(self, names: list[str]) -> Callable[[QMenu], object]:
        def fill(menu: QMenu) -> None:
            menu.clear()
            for name in names:
                if name:
                    menu.addAction(self.commands[name])
                else:
                    menu.addSeparator()

        return fill

    def _fill_colours(self, menu: QMenu) -> None:
        menu.clear()
        menu.addAction(self.commands["texels.swap"])
        fewer = menu.addMenu(tr("Bring to fewer"))
        for count in (2, 3, 4, 6, 8, 12, 16, 24, 32, 64):
            fewer.addAction(tr("{count} colours", count=count), partial(self.blocks.fewer, count))
        project = self.work.project
        palettes = {} if project is None else project.palettes
        only = menu.addMenu(tr("Only those of a palette"))
        only.setEnabled(bool(palettes))
        for name, colours in palettes.items():
            only.addAction(name, partial(self.blocks.only, colours))

    def _ask_file(self) -> None:
        found = open_file(self, tr("A picture as a block of texels"), kinds(tr("Pictures"), SUFFIXES))
        if found is not None:
            self.blocks.take_file(found)

    def _choose_all(self) -> None:
        studio, hit = self.work.studio, self.area.key
        keys = () if studio is None else studio.surface.keys
        if studio is not None and keys:
            key = hit if hit in keys else keys[0]
            size = studio.project.size_of(key)
            self.area.choose_box(key, (0, 0, size.width, size.height))

    def _exchange(self) -> None:
        first = str(self.painting.values["colour"])
        self.painting.values["colour"], second = self.texels.second, first
        self.texels.set(second=second)
        self.painting.changed.emit()

    def _unfold(self) -> None:
        self.colour.swatch.setChecked(True)
        self.popup.adjustSize()
        self.popup.move(self.swatch.mapToGlobal(QPoint(0, self.swatch.height() + 2)))
        self.popup.show()

    def refresh(self) -> None:
        drawing = self.painting.tool == "texels"
        self.setVisible(drawing)
        if not drawing:
            return
        shape = self.texels.shape
        pencil = shape in FREE or shape == "line"
        self.shapes.setCurrentIndex(SHAPES.index(shape))
        for asked in (self.wide, self.round):
            asked.setVisible(pencil)
        self.mirrored.setVisible(shape not in ("choose", "choose-alike"))
        self.swatch.setStyleSheet(
            f"QToolButton {{ background: {self.texels.second}; border: 1px solid #777; border-radius: 4px; }}"
            "QToolButton:focus { border: 2px solid #2c6b4c; }"
        )
        self.colour.set(self.texels.second)
