"""The project as plain, immutable data: what is saved, undone and handed to the compositor.

Every type here turns into JSON and back (msgspec), so a project is what its document says and no more.
Pixels and file contents are named by their digest and live in :class:`~.blobs.Blobs`.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import SheetKey

FORMAT_VERSION = 1
BLEND_MODES = (
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "add", "subtract",
)  # fmt: skip
Blend = Literal[
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light", "difference", "exclusion", "add", "subtract",
]  # fmt: skip
Sampling = Literal["smooth", "nearest"]
Point = tuple[float, float, float]


class _Plain(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Base of all document types: immutable, strict about unknown keys."""


class Scope(_Plain, frozen=True):
    """Where a layer may show; None means everywhere."""

    materials: tuple[str, ...] | None = None
    tiles: tuple[int, ...] | None = None
    parts: tuple[str, ...] | None = None

    def holds_sheet(self, key: SheetKey) -> bool:
        return (self.materials is None or key.material in self.materials) and (
            self.tiles is None or key.tile in self.tiles
        )


class Channel(_Plain, frozen=True):
    """What a layer gives to one map.

    ``source`` is a value as jobs write it (``#rrggbb`` or a number), or ``"picture"``.
    ``picture`` names the kit picture to take, where it is not the layer's own.
    """

    source: str | float
    on: bool = True
    opacity: float = 1.0
    blend: Blend | None = None
    picture: str | None = None


class Wash(_Plain, frozen=True, tag_field="kind", tag="wash"):
    """Values or repeating pictures on every texel in scope; ``rotate`` in degrees, counter-clockwise."""

    repeat: tuple[float, float] = (1.0, 1.0)
    offset: tuple[float, float] = (0.0, 0.0)
    rotate: float = 0.0
    sampling: Sampling = "smooth"


class Throw(_Plain, frozen=True, tag_field="mode", tag="throw"):
    """A picture thrown straight through the air, like a slide projector's.

    Lengths in model units, angles in degrees. ``height`` None keeps the picture's proportions;
    ``stand_off`` is how far from the point the projector stands (None: endlessly far), so that what is
    behind it hides nothing; ``through`` also reaches hidden surfaces.
    """

    point: Point
    normal: Point
    up: Point
    width: float
    height: float | None = None
    depth: float = 1.0
    angle_limit: float = 89.0
    rotate: float = 0.0
    stand_off: float | None = None
    through: bool = False


class Lay(_Plain, frozen=True, tag_field="mode", tag="lay"):
    """A picture laid flat in UV space; lengths in tiles, ``centre`` counted from the tile's lower left."""

    material: str
    tile: int
    centre: tuple[float, float]
    width: float
    height: float | None = None
    rotate: float = 0.0


Place = Throw | Lay


class Decal(_Plain, frozen=True, tag_field="kind", tag="decal"):
    """One placed picture."""

    picture: str
    place: Place
    sampling: Sampling = "smooth"


class Layer(_Plain, frozen=True):
    """An entry of the stack: what it is, and what it gives to which map."""

    id: int
    name: str
    content: Wash | Decal
    channels: dict[str, Channel] = {}
    visible: bool = True
    opacity: float = 1.0
    blend: Blend = "normal"
    scope: Scope = Scope()

    def active_channels(self) -> dict[str, Channel]:
        """The channels that show now, in the order of the maps."""
        if not self.visible or self.opacity <= 0:
            return {}
        return {
            name: self.channels[name]
            for name in MAPS
            if name in self.channels and self.channels[name].on and self.channels[name].opacity > 0
        }

    def blend_on(self, channel: Channel) -> Blend:
        return channel.blend or self.blend


class KitPicture(_Plain, frozen=True):
    """A picture of the project's kit: its file name and the digest of the file's bytes."""

    name: str
    digest: str
    width: int
    height: int


class ModelSource(_Plain, frozen=True):
    """The model's files: main file name, and file name → digest."""

    name: str
    files: dict[str, str]


class Project(_Plain, frozen=True):
    """Everything that is saved; layers from the bottom of the stack to its top."""

    name: str
    model: ModelSource | None = None
    sheet_size: int = 1024
    sheet_sizes: dict[str, int] = {}
    layers: tuple[Layer, ...] = ()
    pictures: dict[str, KitPicture] = {}
    next_id: int = 1
    version: int = FORMAT_VERSION

    def size_of(self, key: SheetKey) -> int:
        """Edge length of a sheet in texels."""
        return self.sheet_sizes.get(str(key), self.sheet_size)

    def index_of(self, layer_id: int) -> int:
        """Place of a layer in the stack, from the bottom; KeyError if it is not there."""
        for index, layer in enumerate(self.layers):
            if layer.id == layer_id:
                return index
        raise KeyError(layer_id)

    def layer(self, layer_id: int) -> Layer:
        return self.layers[self.index_of(layer_id)]


def place_height(place: Place, picture: KitPicture) -> float:
    """Height of a placed picture, from its proportions where none is given."""
    if place.height is not None:
        return place.height
    return place.width * picture.height / picture.width
