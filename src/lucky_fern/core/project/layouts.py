"""Edits of the UV layout as plain data: what was asked for; rows in :mod:`~.layout.edits` work it out.

Lengths in UV space are in tiles, angles in degrees, counter-clockwise with v up.
"""

from __future__ import annotations

from typing import Any, ClassVar, Literal

from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.plain import Plain
from lucky_fern.core.project.renaming import material_renamed, part_renamed
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

Vector = tuple[float, float, float]
Pair = tuple[float, float]
SnapTo = Literal["texels", "tile", "islands"]


class AlongAxis(LayoutEdit, Plain, frozen=True, tag_field="op", tag="along"):
    """Flatten faces straight along a direction, which points from them to who looks; None proposes one.

    ``up`` is what points up in the picture then.
    """

    label: ClassVar[str] = tr("Flatten along an axis")
    direction: Vector | None = None
    up: Vector | None = None


class RoundAxis(LayoutEdit, Plain, frozen=True, tag_field="op", tag="round"):
    """Unroll faces from a cylinder round an axis; None proposes one."""

    label: ClassVar[str] = tr("Unroll round an axis")
    axis: Vector | None = None
    point: Vector | None = None


class AsBox(LayoutEdit, Plain, frozen=True, tag_field="op", tag="box"):
    """Flatten faces along whichever of the six axis directions they face most."""

    label: ClassVar[str] = tr("Flatten as a box")


class Unwrap(LayoutEdit, Plain, frozen=True, tag_field="op", tag="unwrap"):
    """Cut and unwrap faces automatically; ``padding`` in texels keeps the islands apart."""

    label: ClassVar[str] = "Unwrap"
    padding: int = 8


class Transform(LayoutEdit, Plain, frozen=True, tag_field="op", tag="transform"):
    """Scale, turn and move islands about ``about`` (None: the middle of what is selected); -1 flips.

    ``each`` takes every island about its own middle; ``snap`` then pulls them onto something near. ``alone``
    takes just the faces it is about: they part from the islands that they hang together with.
    """

    label: ClassVar[str] = tr("Move islands")
    move: Pair = (0.0, 0.0)
    rotate: float = 0.0
    scale: Pair = (1.0, 1.0)
    about: Pair | None = None
    each: bool = False
    snap: SnapTo | None = None
    alone: bool = False

    @property
    def title(self) -> str:
        flips = self.move == (0.0, 0.0) and self.rotate == 0 and min(self.scale) < 0
        return tr("Flip islands") if flips else self.label


class FitRectangle(LayoutEdit, Plain, frozen=True, tag_field="op", tag="fit"):
    """Bring islands into a rectangle from ``low`` to ``high``; ``keep`` their proportions, or fill it."""

    label: ClassVar[str] = tr("Fit to a rectangle")
    low: Pair = (0.0, 0.0)
    high: Pair = (1.0, 1.0)
    keep: bool = False


class Align(LayoutEdit, Plain, frozen=True, tag_field="op", tag="align"):
    """Move islands so that one of their edges or middles lies on one line."""

    label: ClassVar[str] = tr("Align islands")
    to: Literal["left", "right", "bottom", "top", "middle-u", "middle-v"] = "left"


class Distribute(LayoutEdit, Plain, frozen=True, tag_field="op", tag="distribute"):
    """Move islands so that the gaps between them are equal along one direction."""

    label: ClassVar[str] = tr("Distribute islands")
    along: Literal["u", "v"] = "u"


class Unstack(LayoutEdit, Plain, frozen=True, tag_field="op", tag="unstack"):
    """Move islands off each other, into free room; twins stay where they are unless ``twins`` is set.

    Where the tile has no room for them at their size, ``pack`` packs them anew, smaller.
    """

    label: ClassVar[str] = tr("Unstack islands")
    twins: bool = False
    padding: int = 8
    pack: bool = True


class StackTwins(LayoutEdit, Plain, frozen=True, tag_field="op", tag="stack"):
    """Lay islands of the same shape onto each other, mirrored ones turned over."""

    label: ClassVar[str] = tr("Stack twins")


class Proportions(LayoutEdit, Plain, frozen=True, tag_field="op", tag="proportions"):
    """Give islands the proportions of the real surface."""

    label: ClassVar[str] = tr("Real proportions")


class EvenDensity(LayoutEdit, Plain, frozen=True, tag_field="op", tag="density"):
    """Scale islands to one texel density; None takes the mean of the whole model (texels a unit otherwise)."""

    label: ClassVar[str] = tr("Same texel density")
    texels_per_unit: float | None = None


class Pack(LayoutEdit, Plain, frozen=True, tag_field="op", tag="pack"):
    """Arrange islands on their tile without overlaps, ``padding`` texels apart, as large as they go.

    ``turn`` allows quarter turns; ``scale`` False keeps their size.
    """

    label: ClassVar[str] = tr("Pack islands")
    padding: int = 8
    turn: bool = False
    scale: bool = True


class SendTo(LayoutEdit, Plain, frozen=True, tag_field="op", tag="send"):
    """Move islands to another tile, at the same place on it."""

    label: ClassVar[str] = tr("Send to tile")
    tile: int = 1001


class Inside(LayoutEdit, Plain, frozen=True, tag_field="op", tag="inside"):
    """Bring every island wholly onto the tile where most of it lies (1001 for those on none), smaller if need be."""

    label: ClassVar[str] = tr("Bring onto the tile")


class FlipV(LayoutEdit, Plain, frozen=True, tag_field="op", tag="flip-v"):
    """Turn every tile upside down: two programs that disagree about where v begins."""

    label: ClassVar[str] = tr("Turn v over")


class Snap(LayoutEdit, Plain, frozen=True, tag_field="op", tag="snap"):
    """Move islands by less than a step: corners onto whole texels, or edges onto a tile's border or other islands."""

    label: ClassVar[str] = tr("Snap islands")
    to: SnapTo = "texels"


class GiveMaterial(LayoutEdit, Plain, frozen=True, tag_field="op", tag="material"):
    """Give faces to another material, made if it is new."""

    label: ClassVar[str] = tr("Give material")
    name: str = ""


class TurnOver(LayoutEdit, Plain, frozen=True, tag_field="op", tag="turn-over"):
    """Turn faces over: what was their back is their front, normals too. UVs and paint stay where they are."""

    label: ClassVar[str] = tr("Turn faces over")


class RenameMaterial(LayoutEdit, Plain, frozen=True, tag_field="op", tag="rename-material"):
    """Call a material otherwise, everywhere in the project."""

    label: ClassVar[str] = tr("Rename material")
    old: str
    new: str

    def followed(self, project: Any) -> Any:
        return material_renamed(project, self.old, self.new)


class RenamePart(LayoutEdit, Plain, frozen=True, tag_field="op", tag="rename-part"):
    """Call a part otherwise, everywhere in the project."""

    label: ClassVar[str] = tr("Rename part")
    old: str
    new: str

    def followed(self, project: Any) -> Any:
        return part_renamed(project, self.old, self.new)


class Reframe(LayoutEdit, Plain, frozen=True, tag_field="op", tag="reframe"):
    """UVs of a sheet (``MATERIAL:TILE``) stay on their texels as its canvas goes from ``before`` to ``after``.

    ``left`` columns come in before the first, ``upper`` rows above; less than none are cut off.
    """

    label: ClassVar[str] = tr("Canvas")
    sheet: str
    before: Extent
    after: Extent
    left: int
    upper: int


class Wrap(LayoutEdit, Plain, frozen=True, tag_field="op", tag="wrap"):
    """Have UVs of some materials (none named: of the faces it is about) repeat, as games read them.

    All of such a material lies on tile 1001 then; model files are still written as they came.
    """

    label: ClassVar[str] = tr("Repeat UVs")
    materials: tuple[str, ...] = ()


class CutTexels(LayoutEdit, Plain, frozen=True, tag_field="op", tag="cut"):
    """Faces cut along texels of a sheet (``MATERIAL:TILE``): the squares in ``boxes`` become faces of ``material``.

    Boxes are left, upper, right, lower (not included), counted from the sheet's upper left.
    """

    label: ClassVar[str] = tr("Cut faces along texels")
    sheet: str
    material: str
    boxes: tuple[tuple[int, int, int, int], ...]


class Spread(LayoutEdit, Plain, frozen=True, tag_field="op", tag="spread"):
    """Have UVs of a material repeat no more: its faces lie on all their tiles again, as in the model's file."""

    label: ClassVar[str] = tr("Tiles as in the file")
    material: str


class JoinCut(LayoutEdit, Plain, frozen=True, tag_field="op", tag="join"):
    """Faces that were cut off into a material go back to what they were cut from, and are whole again."""

    label: ClassVar[str] = tr("Join cut faces")
    material: str


class BoxNet(LayoutEdit, Plain, frozen=True, tag_field="op", tag="net"):
    """Pieces shaped like boxes unfolded to crosses in free room, so many texels a unit, each side in whole ones."""

    label: ClassVar[str] = tr("Box layout")
    texels_per_unit: float = 1.0


class OneSpot(LayoutEdit, Plain, frozen=True, tag_field="op", tag="one-spot"):
    """Parts onto the spot of the uppermost one of them, by whole texels: they show the same texels then."""

    label: ClassVar[str] = tr("Onto one spot")


class Apart(LayoutEdit, Plain, frozen=True, tag_field="op", tag="apart"):
    """Parts that lie on each other, or on others, to free room, by whole texels."""

    label: ClassVar[str] = tr("Parts apart")


class Vary(LayoutEdit, Plain, frozen=True, tag_field="op", tag="vary"):
    """Every part takes its texels from a place by chance inside an ``area`` of the sheet, by whole texels.

    The area is left, upper, right, lower (not included) in texels, counted from the sheet's upper left.
    """

    label: ClassVar[str] = tr("Vary")
    area: tuple[int, int, int, int]
    seed: int = 0


class GatherSheets(LayoutEdit, Plain, frozen=True, tag_field="op", tag="gather"):
    """Sheets as blocks of one sheet of a material, every texel as it is.

    ``size`` (width, height) None takes the smallest powers of two that hold them.
    """

    label: ClassVar[str] = tr("Gather sheets")
    material: str
    size: Extent | None = None
