"""Edits of the UV layout as plain data: what was asked for; :mod:`lucky_fern.core.layout.edit` works it out.

Lengths in UV space are in tiles, angles in degrees, counter-clockwise with v up.
"""

from __future__ import annotations

from typing import Literal

from lucky_fern.core.project.plain import Plain
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.words import tr

Vector = tuple[float, float, float]
Pair = tuple[float, float]
SnapTo = Literal["texels", "tile", "islands"]


class AlongAxis(Plain, frozen=True, tag_field="op", tag="along"):
    """Flatten faces straight along a direction, which points from them to who looks; None proposes one.

    ``up`` is what points up in the picture then.
    """

    direction: Vector | None = None
    up: Vector | None = None


class RoundAxis(Plain, frozen=True, tag_field="op", tag="round"):
    """Unroll faces from a cylinder round an axis; None proposes one."""

    axis: Vector | None = None
    point: Vector | None = None


class AsBox(Plain, frozen=True, tag_field="op", tag="box"):
    """Flatten faces along whichever of the six axis directions they face most."""


class Unwrap(Plain, frozen=True, tag_field="op", tag="unwrap"):
    """Cut and unwrap faces automatically; ``padding`` in texels keeps the islands apart."""

    padding: int = 8


class Transform(Plain, frozen=True, tag_field="op", tag="transform"):
    """Scale, turn and move islands about ``about`` (None: the middle of what is selected); -1 flips.

    ``each`` takes every island about its own middle; ``snap`` then pulls them onto something near. ``alone``
    takes just the faces it is about: they part from the islands that they hang together with.
    """

    move: Pair = (0.0, 0.0)
    rotate: float = 0.0
    scale: Pair = (1.0, 1.0)
    about: Pair | None = None
    each: bool = False
    snap: SnapTo | None = None
    alone: bool = False


class FitRectangle(Plain, frozen=True, tag_field="op", tag="fit"):
    """Bring islands into a rectangle from ``low`` to ``high``; ``keep`` their proportions, or fill it."""

    low: Pair = (0.0, 0.0)
    high: Pair = (1.0, 1.0)
    keep: bool = False


class Align(Plain, frozen=True, tag_field="op", tag="align"):
    """Move islands so that one of their edges or middles lies on one line."""

    to: Literal["left", "right", "bottom", "top", "middle-u", "middle-v"] = "left"


class Distribute(Plain, frozen=True, tag_field="op", tag="distribute"):
    """Move islands so that the gaps between them are equal along one direction."""

    along: Literal["u", "v"] = "u"


class Unstack(Plain, frozen=True, tag_field="op", tag="unstack"):
    """Move islands off each other, into free room; twins stay where they are unless ``twins`` is set.

    Where the tile has no room for them at their size, ``pack`` packs them anew, smaller.
    """

    twins: bool = False
    padding: int = 8
    pack: bool = True


class StackTwins(Plain, frozen=True, tag_field="op", tag="stack"):
    """Lay islands of the same shape onto each other, mirrored ones turned over."""


class Proportions(Plain, frozen=True, tag_field="op", tag="proportions"):
    """Give islands the proportions of the real surface."""


class EvenDensity(Plain, frozen=True, tag_field="op", tag="density"):
    """Scale islands to one texel density; None takes the mean of the whole model (texels a unit otherwise)."""

    texels_per_unit: float | None = None


class Pack(Plain, frozen=True, tag_field="op", tag="pack"):
    """Arrange islands on their tile without overlaps, ``padding`` texels apart, as large as they go.

    ``turn`` allows quarter turns; ``scale`` False keeps their size.
    """

    padding: int = 8
    turn: bool = False
    scale: bool = True


class SendTo(Plain, frozen=True, tag_field="op", tag="send"):
    """Move islands to another tile, at the same place on it."""

    tile: int = 1001


class Inside(Plain, frozen=True, tag_field="op", tag="inside"):
    """Bring every island wholly onto the tile where most of it lies (1001 for those on none), smaller if need be."""


class FlipV(Plain, frozen=True, tag_field="op", tag="flip-v"):
    """Turn every tile upside down: two programs that disagree about where v begins."""


class Snap(Plain, frozen=True, tag_field="op", tag="snap"):
    """Move islands by less than a step: corners onto whole texels, or edges onto a tile's border or other islands."""

    to: SnapTo = "texels"


class GiveMaterial(Plain, frozen=True, tag_field="op", tag="material"):
    """Give faces to another material, made if it is new."""

    name: str = ""


class TurnOver(Plain, frozen=True, tag_field="op", tag="turn-over"):
    """Turn faces over: what was their back is their front, normals too. UVs and paint stay where they are."""


class RenameMaterial(Plain, frozen=True, tag_field="op", tag="rename-material"):
    """Call a material otherwise, everywhere in the project."""

    old: str
    new: str


class RenamePart(Plain, frozen=True, tag_field="op", tag="rename-part"):
    """Call a part otherwise, everywhere in the project."""

    old: str
    new: str


class Reframe(Plain, frozen=True, tag_field="op", tag="reframe"):
    """UVs of a sheet (``MATERIAL:TILE``) stay on their texels as its canvas goes from ``before`` to ``after``.

    ``left`` columns come in before the first, ``upper`` rows above; less than none are cut off.
    """

    sheet: str
    before: Extent
    after: Extent
    left: int
    upper: int


class Wrap(Plain, frozen=True, tag_field="op", tag="wrap"):
    """Have UVs of some materials (none named: of the faces it is about) repeat, as games read them.

    All of such a material lies on tile 1001 then; model files are still written as they came.
    """

    materials: tuple[str, ...] = ()


class CutTexels(Plain, frozen=True, tag_field="op", tag="cut"):
    """Faces cut along texels of a sheet (``MATERIAL:TILE``): the squares in ``boxes`` become faces of ``material``.

    Boxes are left, upper, right, lower (not included), counted from the sheet's upper left.
    """

    sheet: str
    material: str
    boxes: tuple[tuple[int, int, int, int], ...]


class Spread(Plain, frozen=True, tag_field="op", tag="spread"):
    """Have UVs of a material repeat no more: its faces lie on all their tiles again, as in the model's file."""

    material: str


class JoinCut(Plain, frozen=True, tag_field="op", tag="join"):
    """Faces that were cut off into a material go back to what they were cut from, and are whole again."""

    material: str


class BoxNet(Plain, frozen=True, tag_field="op", tag="net"):
    """Pieces shaped like boxes unfolded to crosses in free room, so many texels a unit, each side in whole ones."""

    texels_per_unit: float = 1.0


class OneSpot(Plain, frozen=True, tag_field="op", tag="one-spot"):
    """Parts onto the spot of the uppermost one of them, by whole texels: they show the same texels then."""


class Apart(Plain, frozen=True, tag_field="op", tag="apart"):
    """Parts that lie on each other, or on others, to free room, by whole texels."""


class Vary(Plain, frozen=True, tag_field="op", tag="vary"):
    """Every part takes its texels from a place by chance inside an ``area`` of the sheet, by whole texels.

    The area is left, upper, right, lower (not included) in texels, counted from the sheet's upper left.
    """

    area: tuple[int, int, int, int]
    seed: int = 0


class GatherSheets(Plain, frozen=True, tag_field="op", tag="gather"):
    """Sheets as blocks of one sheet of a material, every texel as it is.

    ``size`` (width, height) None takes the smallest powers of two that hold them.
    """

    material: str
    size: Extent | None = None


LayoutEdit = (
    AlongAxis | RoundAxis | AsBox | Unwrap | Transform | FitRectangle | Align | Distribute | Unstack | StackTwins
    | Proportions | EvenDensity | Pack | SendTo | Inside | FlipV | Snap | GiveMaterial | RenameMaterial | RenamePart
    | TurnOver | Reframe | CutTexels | Wrap | BoxNet | OneSpot | Apart | Vary | GatherSheets | JoinCut | Spread
)  # fmt: skip


def title_of(edit: LayoutEdit) -> str:
    """What an edit is called in the history."""
    if isinstance(edit, Transform) and edit.move == (0.0, 0.0) and edit.rotate == 0 and min(edit.scale) < 0:
        return tr("Flip islands")
    return TITLES[type(edit)]


TITLES: dict[type[Plain], str] = {
    AlongAxis: tr("Flatten along an axis"),
    RoundAxis: tr("Unroll round an axis"),
    AsBox: tr("Flatten as a box"),
    Unwrap: "Unwrap",
    Transform: tr("Move islands"),
    FitRectangle: tr("Fit to a rectangle"),
    Align: tr("Align islands"),
    Distribute: tr("Distribute islands"),
    Unstack: tr("Unstack islands"),
    StackTwins: tr("Stack twins"),
    Proportions: tr("Real proportions"),
    EvenDensity: tr("Same texel density"),
    Pack: tr("Pack islands"),
    SendTo: tr("Send to tile"),
    Inside: tr("Bring onto the tile"),
    FlipV: tr("Turn v over"),
    Snap: tr("Snap islands"),
    GiveMaterial: tr("Give material"),
    RenameMaterial: tr("Rename material"),
    RenamePart: tr("Rename part"),
    TurnOver: tr("Turn faces over"),
    Reframe: tr("Canvas"),
    CutTexels: tr("Cut faces along texels"),
    Wrap: tr("Repeat UVs"),
    BoxNet: tr("Box layout"),
    OneSpot: tr("Onto one spot"),
    Apart: tr("Parts apart"),
    Vary: tr("Vary"),
    GatherSheets: tr("Gather sheets"),
    Spread: tr("Tiles as in the file"),
    JoinCut: tr("Join cut faces"),
}
