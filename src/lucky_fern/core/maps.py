"""The maps that a sheet holds: what each stores, starts from, and how layers combine on it.

Material terms and starting values follow glTF 2.0, but for metallic, which starts at 0 so that an
unpainted model is not metal. Height 0.5 is level; a normal of (0.5, 0.5, 1) is the surface's own.
"""

from dataclasses import dataclass
from typing import Literal

from lucky_fern.core import colour
from lucky_fern.words import tr

Kind = Literal["colour", "scalar", "normal"]


@dataclass(frozen=True)
class MapSpec:
    """One map: its name, what its values mean, where it starts, how finely it is kept, what else is made of it."""

    name: str
    kind: Kind
    start: tuple[float, ...]
    wide: bool = False  # kept with 16 bits in the views
    title: str = ""
    raises: bool = False  # relief comes of it: it shapes the normals, and a level of it can be held
    shaped: bool = False  # what stands out shows in its directions
    glows: bool = False  # light goes out from it, seen where all is dark
    told_blank: bool = False  # somebody who writes nothing to it, but has layers for it, should hear of it

    @property
    def encoded(self) -> bool:
        """Whether its values are colours, sRGB-encoded."""
        return self.kind == "colour"

    @property
    def directional(self) -> bool:
        """Whether its values are directions, which keep their length and are combined as such."""
        return self.kind == "normal"

    @property
    def single(self) -> bool:
        """Whether a value of it is one number."""
        return self.kind == "scalar"

    @property
    def components(self) -> int:
        return len(self.start)


MAPS: dict[str, MapSpec] = {
    spec.name: spec
    for spec in (
        MapSpec("colour", "colour", (1.0, 1.0, 1.0), title=tr("Colour")),
        MapSpec("metallic", "scalar", (0.0,), title=tr("Metallic"), told_blank=True),
        MapSpec("roughness", "scalar", (1.0,), title=tr("Roughness")),
        MapSpec("normal", "normal", (0.5, 0.5, 1.0), wide=True, title=tr("Normal"), shaped=True, told_blank=True),
        MapSpec("height", "scalar", (0.5,), wide=True, title=tr("Height"), raises=True, told_blank=True),
        MapSpec("occlusion", "scalar", (1.0,), title=tr("Occlusion")),
        MapSpec("emissive", "colour", (0.0, 0.0, 0.0), title=tr("Emissive"), glows=True, told_blank=True),
        MapSpec("opacity", "scalar", (1.0,), title=tr("Opacity")),
    )
}

GLOW = next(name for name, spec in MAPS.items() if spec.glows)
RISE = next(name for name, spec in MAPS.items() if spec.raises)
SHAPE = next(name for name, spec in MAPS.items() if spec.shaped)
LOOK = next(iter(MAPS))  # what one sees of a thing first: its colours


def directs(name: str) -> bool:
    """Whether a map of that name holds directions."""
    return name in MAPS and MAPS[name].directional


def raises(name: str) -> bool:
    """Whether relief comes of a map of that name."""
    return name in MAPS and MAPS[name].raises


def spec_of(name: str) -> MapSpec:
    """The map of that name.

    Raises
    ------
    KeyError
        With a sentence listing the names there are.
    """
    try:
        return MAPS[name]
    except KeyError:
        raise KeyError(f"there is no map called {name!r}; the maps are {', '.join(MAPS)}") from None


def parse_value(name: str, value: object) -> tuple[float, ...]:
    """A value as documents write it (``#rrggbb`` or a number 0…1) as encoded components 0…1.

    Raises
    ------
    ValueError
        If the value does not fit the map.
    """
    spec = spec_of(name)
    if spec.encoded:
        if not isinstance(value, str):
            raise ValueError(tr("{name} takes a colour written #rrggbb, not {value!r}", name=name, value=value))
        return colour.from_hex(value)
    if spec.directional:
        raise ValueError(tr("normal takes its values from a picture, not from a number"))
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= value <= 1.0:
        raise ValueError(tr("{name} takes a number from 0 to 1, not {value!r}", name=name, value=value))
    return (float(value),)
