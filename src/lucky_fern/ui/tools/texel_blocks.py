"""Blocks of texels in hand: copied, cut, pasted, turned, and put down as often as one likes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import Array, Bool
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.easel import bring_to_size
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.project.commands import PaintPixels, Several
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import Studio, read_picture_file
from lucky_fern.core.texels import reworking
from lucky_fern.core.texels.blocks import Block, cleared, of_picture, seen, stamped, taken
from lucky_fern.core.texels.setting import one_texel
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.tools.texel_area import TexelArea
from lucky_fern.ui.tools.texels import Texels
from lucky_fern.words import tr


class TexelBlocks(QObject):
    """What is kept of the last copy, and what is in hand to be put down."""

    changed = Signal()
    copied = Signal()  # what is kept is another block of this program's

    def __init__(
        self, work: Work, errands: Errands, looking: Looking, painting: Painting, maps: Maps, texels: Texels,
        area: TexelArea,
    ) -> None:  # fmt: skip
        super().__init__()
        self.work, self.errands, self.looking, self.painting = work, errands, looking, painting
        self.maps, self.texels, self.area = maps, texels, area
        self.kept: Block | None = None
        self.in_hand: Block | None = None
        painting.changed.connect(self._follow)
        looking.station_changed.connect(lambda _: self.put_away())
        work.studio_changed.connect(self.put_away)

    @property
    def active(self) -> bool:
        """Whether texels are worked on, so that copying and pasting mean them."""
        return self.looking.station == "paint" and self.painting.tool == "texels"

    # --- taking -----------------------------------------------------------------------------------------------

    def copy(self, cut: bool = False, lift: bool = False) -> Block | None:
        """Keep the chosen texels of the layer in hand (or as they are seen); ``cut`` takes them away there.

        ``lift`` takes them in hand at once.
        """
        studio, area = self.work.studio, self.area
        if studio is None or area.key is None or not area.any:
            self.work.warn(tr("Choose texels first: draw a rectangle with the tool for that."))
            return None
        layer = self._layer(make=False)
        if layer is not None:
            self._to_size(studio, layer)
        block = None if layer is None else taken(studio, layer, area.key, area.mask)
        if block is None:
            if cut:
                self.work.warn(tr("The layer in hand has nothing painted there that could be cut."))
                return None
            block = seen(self._shown(studio, area.key), area.mask)
        elif cut and layer is not None:
            self._do(cleared(studio, layer, area.key, area.mask), tr("Cut texels"))
        self.kept = block
        if lift:
            self.take(block)
        if block is not None:
            rows, columns = block.shape
            self.copied.emit()
            if not lift:
                self.work.say(tr("{wide} × {high} texels copied.", wide=columns, high=rows))
        return block

    def _shown(self, studio: Studio, key: SheetKey) -> dict[str, Array]:
        """The maps that the paint gives to, as they are seen."""
        store = self.maps.store
        names = [name for name in self.painting.values if name in self.painting.used] or ["colour"]
        size = studio.project.size_of(key)
        return {} if store is None else {name: store.get(MapKey(key, name), size) for name in names}

    def take(self, block: Block | None) -> None:
        """Have a block in hand: each click puts it down."""
        self.in_hand = block
        if block is not None:
            self.work.say(tr("Click where it goes, as often as you like; Esc puts it away."))
        self.changed.emit()

    def take_picture(self, rgba: Array) -> None:
        """A picture from another program in hand."""
        self.kept = of_picture(rgba)
        self.take(self.kept)

    def take_file(self, path: Path) -> None:
        """A picture file in hand, one texel for each pixel."""
        self.errands.send(
            tr("Reading {name} …", name=path.name), lambda: read_picture_file(path)[1].rgba, self.take_picture
        )

    def put_away(self) -> None:
        """Nothing is in hand any more."""
        if self.in_hand is not None:
            self.take(None)

    def turn(self, quarters: int = 1) -> None:
        """Turn what is in hand counter-clockwise; else what is chosen is lifted first."""
        block = self.in_hand or self.copy(cut=True, lift=True)
        if block is not None:
            self.take(block.turned(quarters))

    def flip(self, down: bool = False) -> None:
        """Mirror what is in hand; else what is chosen is lifted first."""
        block = self.in_hand or self.copy(cut=True, lift=True)
        if block is not None:
            self.take(block.flipped(down))

    def _follow(self) -> None:
        if not self.active:
            self.put_away()

    # --- putting down -----------------------------------------------------------------------------------------

    def corner(self, row: int, column: int) -> tuple[int, int]:
        """The column and row where the upper left of what is in hand goes, with its middle at a texel."""
        rows, columns = (1, 1) if self.in_hand is None else self.in_hand.shape
        return column - (columns - 1) // 2, row - (rows - 1) // 2

    def stamp(self, key: SheetKey, row: int, column: int) -> None:
        """Put down what is in hand, with its middle at a texel."""
        studio, block = self.work.studio, self.in_hand
        layer = self._layer(make=True)
        if studio is None or block is None or layer is None:
            return
        self._to_size(studio, layer)
        at = self.corner(row, column)
        used = [name for name in self.painting.values if name in self.painting.used]
        # What comes from one map goes onto those that are ticked; several stay what they are.
        names = used if len(block.maps) == 1 and used else list(block.maps)
        self._do(stamped(studio, layer, key, at, block, names), tr("Put texels down"))
        size, (rows, columns) = studio.project.size_of(key), block.shape
        if rows > size.height or columns > size.width:
            self.work.warn(
                tr("That block of {wide} × {high} texels is larger than the sheet, which has {size}; the rest was "
                   "left out.", wide=columns, high=rows, size=size)
            )  # fmt: skip

    def _layer(self, make: bool) -> int | None:
        layer = self.painting.selection.layer
        if layer is not None and layer.content.painted is not None:
            return layer.id
        return self.painting.target() if make else None

    def _to_size(self, studio: Studio, layer: int) -> None:
        try:
            bring_to_size(studio, layer)
        except LuckyFernError as error:
            self.work.warn(str(error))

    def _do(self, edits: list[PaintPixels], title: str) -> None:
        if edits:
            self.work.end_gesture()
            self.work.execute(Several(tuple(edits), named=title))

    # --- what is there made otherwise -------------------------------------------------------------------------

    def clear(self) -> None:
        """Take away what the layer in hand has painted on the chosen texels."""
        studio, layer, area = self.work.studio, self._layer(make=False), self.area
        if studio is not None and layer is not None and area.key is not None and area.any:
            self._to_size(studio, layer)
            self._do(cleared(studio, layer, area.key, area.mask), tr("Clear texels"))

    def shift(self, columns: int, rows: int) -> None:
        """Move what is chosen (or all of the sheet) to the right and down; what goes out comes in again."""
        self._rework(lambda texels, _: reworking.shifted(texels, columns, rows), tr("Shift texels"), True)

    def swap(self) -> None:
        """What has the first colour gets the second, and the other way round, of what is chosen or everywhere."""
        first, second = self.painting.values["colour"], self.texels.second
        self._rework(
            lambda texels, name: reworking.swapped(texels, one_texel(first, name), one_texel(second, name)),
            tr("Swap colours"), False, ("colour", "emissive"),
        )  # fmt: skip

    def fewer(self, count: int) -> None:
        """Bring the colours there to so many."""
        self._rework(lambda texels, _: reworking.fewer(texels, count), tr("Fewer colours"), False, ("colour",))

    def only(self, colours: tuple[str, ...]) -> None:
        """Bring the colours there to the nearest of a palette."""
        self._rework(lambda texels, _: reworking.nearest_of(texels, colours), tr("Colours of a palette"), False,
                     ("colour",))  # fmt: skip

    def _rework(self, act: reworking.Rework, title: str, whole: bool, maps: tuple[str, ...] | None = None) -> None:
        studio, layer = self.work.studio, self._layer(make=False)
        if studio is None or layer is None:
            self.work.warn(tr("Select the brushwork layer whose texels are meant."))
            return
        self._to_size(studio, layer)
        project, found = studio.project, self._areas(studio, layer)

        def make() -> list[PaintPixels]:
            return reworking.rework_all(studio, layer, found, act, whole, maps)

        def done(edits: list[PaintPixels]) -> None:
            if self.work.studio is studio and studio.project is project:
                if edits:
                    self._do(edits, title)
                else:
                    self.work.say(tr("Nothing there had to change."))

        self.errands.send(f"{title} …", make, done)

    def _areas(self, studio: Studio, layer: int) -> dict[SheetKey, Bool]:
        """What is chosen, or all of the sheets that the layer is painted on."""
        if self.area.key is not None and self.area.any:
            return {self.area.key: self.area.mask}
        painted = studio.project.layer(layer).content.painted or {}
        return {
            key: np.ones(studio.project.size_of(key).shape, np.bool_)
            for key in studio.surface.keys
            if str(key) in painted
        }
