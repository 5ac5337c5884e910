"""The project as plain, immutable data: what is saved, undone and handed to the compositor.

Every type here turns into JSON and back (msgspec), so a project is what its document says and no more.
Pixels and file contents are named by their digest and live in :class:`~.blobs.Blobs`.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, ClassVar, Literal

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.helps import Guides, Pinned
from lucky_fern.core.project.kinds import PICTURE, Carrying, Content, Effect, Place, References, check_value
from lucky_fern.core.project.light import Light, Numbers
from lucky_fern.core.project.loans import LentView, Loan
from lucky_fern.core.project.numbers import check_finite
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.plain import Blend, PaintedSheet, Plain, Sampling, Scope, check_picture
from lucky_fern.core.project.preparations import Preparation
from lucky_fern.core.project.shapes import Mask
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.words import tr

FORMAT_VERSION = 11
STRONGEST = 1e6  # relief
MOST_REPEATS = 1e6  # of a picture over one tile


class Relief(Plain, frozen=True):
    """How high a height of 1 stands above 0 where heights shape the normal map.

    In ``texels`` of a sheet of the project's own size, or in model ``units``.
    """

    strength: float = 8.0
    unit: Literal["texels", "units"] = "texels"

    def check(self) -> None:
        if not (math.isfinite(self.strength) and abs(self.strength) <= STRONGEST):
            raise CommandError(tr("relief takes a number up to a million"))


class Channel(Plain, frozen=True):
    """What a layer gives to one map.

    ``source`` is a value as jobs write it (``#rrggbb`` or a number), ``"picture"``, ``"painted"`` for
    brushwork, ``"vertices"`` for the colours that the model's points carry, or ``""`` where the layer has
    nothing of its own (adjustments, groups).
    ``picture`` names the kit picture or sequence to take, where it is not the layer's own.
    ``relief``, on height only, lets this height shape the normal map too, and says how strongly. ``shift`` (in tiles)
    and ``scale`` put the picture otherwise than on the layer's other maps. ``strength``, on normal only, makes its
    slopes so many times as steep (below 0: the other way round).
    """

    source: str | float = ""
    on: bool = True
    opacity: float = 1.0
    blend: Blend | None = None
    picture: str | None = None
    relief: Relief | None = None
    shift: tuple[float, float] = (0.0, 0.0)
    scale: float = 1.0
    strength: float = 1.0

    @property
    def pictured(self) -> bool:
        """Whether it takes its values from a picture."""
        return self.source == PICTURE

    @property
    def moved(self) -> bool:
        """Whether its picture lies otherwise than the layer's."""
        return self.shift != (0.0, 0.0) or self.scale != 1.0


class Wash(Content, Plain, frozen=True, tag_field="kind", tag="wash"):
    """Values or repeating pictures on every texel in scope; ``rotate`` in degrees, counter-clockwise.

    ``by`` says how pictures lie: ``uv`` repeats them over each tile, ``triplanar`` projects them along the
    three axes (``repeat`` counted over the model's longest side), ``tiles`` puts one on each tile.
    """

    repeat: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotate: float = 0.0
    sampling: Sampling = "smooth"
    by: Literal["uv", "triplanar", "tiles"] = "uv"
    everywhere: ClassVar[bool] = True

    def check(self, project: Any) -> None:
        if not all(1 / MOST_REPEATS <= abs(times) <= MOST_REPEATS for times in self.repeat):
            raise CommandError(
                tr("repeat takes two numbers other than 0, up to {MOST_REPEATS:g} times", MOST_REPEATS=MOST_REPEATS)
            )
        check_finite(*self.offset, self.rotate)

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source == PICTURE:
            if picture is None:
                raise CommandError(tr("the wash takes {map_name} from a picture but names none", map_name=map_name))
        elif source != "vertices":
            check_value(map_name, source)

    @property
    def by_uv(self) -> bool:
        return self.by != "triplanar"


class Decal(Content, Plain, frozen=True, tag_field="kind", tag="decal"):
    """One placed picture."""

    picture: str
    place: Place
    sampling: Sampling = "smooth"

    def check(self, project: Any) -> None:
        check_picture(project, self.picture)
        self.place.check()

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source == "vertices":
            raise CommandError(tr("only a wash takes the colours of the model's points"))
        if source != PICTURE:
            check_value(map_name, source)

    def refers(self) -> References:
        return References(pictures=frozenset((self.picture,)))

    def carried(self, carrying: Carrying) -> Decal:
        place, picture = carrying.place(self.place), carrying.picture(self.picture)
        same = place is self.place and picture == self.picture
        return self if same else replace(self, place=place, picture=picture)

    @property
    def placed(self) -> tuple[str, Place]:
        return self.picture, self.place

    def put_at(self, place: Place) -> Decal:
        return replace(self, place=place)


class Adjustment(Content, Plain, frozen=True, tag_field="kind", tag="adjustment"):
    """Changes what is below it on the maps of its channels."""

    effect: Effect
    own_pixels: ClassVar[bool] = False
    links: ClassVar[bool] = True

    @property
    def keys_of(self) -> str:
        return "effect"

    @property
    def goes_by(self) -> str | None:
        return self.effect.goes_by

    def check(self, project: Any) -> None:
        self.effect.check()

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source != "":
            raise CommandError(tr("an adjustment gives no values"))
        self.effect.check_on(map_name)

    def scaled(self, by: float) -> Adjustment:
        effect = self.effect.scaled(by)
        return self if effect == self.effect else Adjustment(effect)


class Brushwork(Content, Plain, frozen=True, tag_field="kind", tag="brushwork"):
    """Painted pixels, sheet (``MATERIAL:TILE``) by sheet; only touched chunks are kept."""

    sheets: dict[str, PaintedSheet] = {}
    has_settings: ClassVar[bool] = False

    def check(self, project: Any) -> None:
        for sheet in self.sheets.values():
            sheet.check(tuple(MAPS))

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source != "painted":
            raise CommandError(tr("brushwork gives what is painted on it, not a value"))

    def refers(self) -> References:
        return References(paint=(self.sheets,))

    def carried(self, carrying: Carrying) -> Brushwork:
        sheets = carrying.paint(self.sheets)
        return self if sheets is self.sheets else replace(self, sheets=sheets)

    @property
    def painted(self) -> dict[str, PaintedSheet]:
        return self.sheets


class Group(Content, Plain, frozen=True, tag_field="kind", tag="group"):
    """Layers kept together. ``isolated``: they are put together by themselves before they meet what is below."""

    layers: tuple[Layer, ...] = ()
    isolated: bool = False
    folded: bool = False
    holds_layers: ClassVar[bool] = True
    own_pixels: ClassVar[bool] = False
    has_settings: ClassVar[bool] = False

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        if source != "":
            raise CommandError(tr("a group gives no values"))

    @property
    def children(self) -> tuple[Layer, ...]:
        return self.layers

    def holding(self, layers: tuple[Layer, ...]) -> Group:
        return replace(self, layers=layers)

    @property
    def settled(self) -> Group:
        return Group(isolated=self.isolated)


class Layer(Plain, frozen=True):
    """An entry of the stack: what it is, and what it gives to which map.

    A group's ``channels`` need not name a map: it lets all through; one that is named can be switched
    off, weakened, or (isolated) blended otherwise. ``mask`` is a number in :attr:`Project.masks`;
    ``recipe`` names the recipe that it came from. Layers of one ``link`` have the same settings: whoever changes one
    changes all.
    """

    id: int
    name: str
    content: Content
    channels: dict[str, Channel] = {}
    visible: bool = True
    opacity: float = 1.0
    blend: Blend = "normal"
    scope: Scope = Scope()
    mask: int | None = None
    recipe: str = ""
    link: int | None = None

    def active_channels(self) -> dict[str, Channel]:
        """The channels that show now, in the order of the maps."""
        if not self.visible or self.opacity <= 0:
            return {}
        return {
            name: self.channels[name]
            for name in MAPS
            if name in self.channels and self.channels[name].on and self.channels[name].opacity > 0
        }

    @property
    def shapes_normals(self) -> bool:
        """Whether its height does: marked for it, or an adjustment of those that are."""
        channel = self.active_channels().get("height")
        adjusts = not self.content.own_pixels and not self.content.holds_layers
        return channel is not None and (channel.relief is not None or adjusts)

    def blend_on(self, channel: Channel) -> Blend:
        return channel.blend or self.blend

    @property
    def children(self) -> tuple[Layer, ...]:
        """The layers of a group, from its bottom; none for other kinds."""
        return self.content.children

    @property
    def kind(self) -> str:
        return type(self.content).__name__.lower()


class KitPicture(Plain, frozen=True):
    """A picture of the project's kit: its file name and the digest of the file's bytes.

    ``taken`` says whether its numbers are encoded colours or plain data; ``about`` what the file held. A ``text``
    is a label, a ``figure`` a simple figure that can be edited; the digest is that of its drawing. ``licence`` is an
    SPDX expression, or what else was written there; ``source`` says where the picture comes from. A ``prepared``
    picture was made from its original, which is kept too; the digest is that of what was made. One that ``covers``
    says where, not what colour. ``file`` is where it was read from, on the computer that did. ``tags``, a ``folder``
    (``signs/old``) and whether it is a ``favourite`` help to find it. ``terms`` is the digest of the licence file
    that it came with.
    """

    name: str
    digest: str
    width: int
    height: int
    taken: Taken = "colour"
    about: str = ""
    text: Label | None = None
    figure: Figure | None = None
    author: str = ""
    licence: str = ""
    source: str = ""
    prepared: Preparation | None = None
    covers: bool = False
    file: str = ""
    tags: tuple[str, ...] = ()
    folder: str = ""
    favourite: bool = False
    terms: str = ""

    @property
    def drawn(self) -> KitPicture:
        """Only what of it counts for how it looks, not how it is kept."""
        return KitPicture(self.name, self.digest, self.width, self.height, self.taken)

    @property
    def digests(self) -> frozenset[str]:
        """Those of its own contents, of what it was made from, and of its licence."""
        made = {self.prepared.original} if self.prepared is not None else frozenset()
        return frozenset((self.digest,)) | made | ({self.terms} if self.terms else frozenset())


class Slide(Plain, frozen=True):
    """A picture held before the model, and where from; kept to return to."""

    picture: str
    place: Throw
    opacity: float = 0.6


class KitPaint(Plain, frozen=True):
    """A paint of the kit: map → value as jobs write it."""

    values: dict[str, str | float]


class ModelSource(Plain, frozen=True):
    """The model's files: main file name, and file name → digest.

    ``arrays`` is the digest of what reading them gave, by readers of that ``revision``; it may be left out.
    ``layout`` is the digest of UVs, materials and parts as they were edited here, if they were.
    """

    name: str
    files: dict[str, str]
    arrays: str | None = None
    revision: int = 0
    layout: str | None = None


class Project(Plain, frozen=True):
    """Everything that is saved; layers from the bottom of the stack to its top.

    ``sequences`` name one kit picture for each tile; ``masks`` are used by number; ``selections`` are named
    sets of triangles (see :mod:`~.faces`); ``palettes`` are kept colours (``#rrggbb``), ``recipes`` name recipe files
    among the contents by their digests, ``pixel_art`` names sheets whose texels are meant to be seen,
    ``loans`` are boxes of sheets that are in other programs' hands, ``lent_views`` what is seen of the model there,
    ``pinned`` kit pictures seen beside the work, ``guides`` lines on sheets; ``measured`` is the digest of what the
    survey measured, if that is kept here; ``light`` is what one looks by, ``numbers`` are those of materials ("": of
    all others) for games without metal and roughness.
    """

    name: str
    model: ModelSource | None = None
    sheet_size: Extent = Extent(1024, 1024)
    sheet_sizes: dict[str, Extent] = {}
    pixel_art: tuple[str, ...] = ()
    layers: tuple[Layer, ...] = ()
    pictures: dict[str, KitPicture] = {}
    sequences: dict[str, dict[int, str]] = {}
    masks: dict[int, Mask] = {}
    selections: dict[str, str] = {}
    slides: dict[str, Slide] = {}
    paints: dict[str, KitPaint] = {}
    palettes: dict[str, tuple[str, ...]] = {}
    recipes: dict[str, str] = {}
    loans: dict[str, Loan] = {}
    lent_views: dict[str, LentView] = {}
    pinned: dict[str, Pinned] = {}
    guides: dict[str, Guides] = {}
    measured: str | None = None
    light: Light | None = None
    numbers: dict[str, Numbers] = {}
    exports: tuple[ExportSetup, ...] = ()
    next_id: int = 1
    version: int = FORMAT_VERSION

    def size_of(self, key: SheetKey) -> Extent:
        """Width and height of a sheet in texels."""
        return self.sheet_sizes.get(str(key), self.sheet_size)

    def is_pixel_art(self, key: SheetKey) -> bool:
        """Whether texels of a sheet are meant to be seen: everything that touches it is nearest and exact."""
        return str(key) in self.pixel_art

    def sampling_on(self, key: SheetKey, own: Sampling) -> Sampling:
        """How a picture is read on a sheet: as it asks itself, but as squares where texels are meant to be seen."""
        return "nearest" if self.is_pixel_art(key) else own

    def layer(self, layer_id: int) -> Layer:
        """A layer anywhere in the stack; KeyError if it is not there."""
        for layer in self.walk():
            if layer.id == layer_id:
                return layer
        raise KeyError(layer_id)

    def walk(self) -> Iterator[Layer]:
        """Every layer from the bottom up, a group before the layers in it."""
        return walk(self.layers)

    def picture_size(self, name: str) -> tuple[int, int]:
        """Width and height of a kit picture, or of the first picture of a sequence."""
        kit = self.pictures[name if name in self.pictures else next(iter(self.sequences[name].values()))]
        return kit.width, kit.height


def walk(layers: tuple[Layer, ...]) -> Iterator[Layer]:
    """Every layer of a stretch of the stack from the bottom up, a group before the layers in it."""
    for layer in layers:
        yield layer
        yield from walk(layer.children)
