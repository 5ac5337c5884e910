"""What an export is asked to write: the words of a job's ``exports`` entries, and the file names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from msgspec.structs import replace

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import safe_name
from lucky_fern.core.maps import GLOW
from lucky_fern.core.project.plain import Plain
from lucky_fern.core.project.presets import MOST_PADDING, PRESETS, Alpha, Blocks, Format, Kind, MapFile, Preset
from lucky_fern.core.sheets.grid import LARGEST, SMALLEST, SheetKey
from lucky_fern.words import tr


@dataclass(frozen=True)
class FormatRow:
    """What a format of pictures can hold."""

    deep: bool = False  # 16 bits
    floats: bool = False  # nothing but floats, and so light in place of encoded colours
    full: bool = False  # 32-bit floats, where asked for
    multiplied: bool = False  # it means colours multiplied by their alpha
    alpha: bool = True
    blocks: bool = False  # blocks that graphics cards read, with halvings
    quality: bool = False  # it loses something, by so much
    in_glb: bool = False  # a GLB carries it as it is


FORMATS: dict[Format, FormatRow] = {
    "png": FormatRow(deep=True, in_glb=True),
    "tga": FormatRow(),
    "tiff": FormatRow(deep=True, full=True),
    "jpeg": FormatRow(alpha=False, quality=True),
    "webp": FormatRow(quality=True),
    "exr": FormatRow(deep=True, floats=True, full=True, multiplied=True),
    "dds": FormatRow(blocks=True),
}
DEEP = tuple(name for name, row in FORMATS.items() if row.deep)
STRAIGHT = ("usda", "mtlx")  # models whose materials take alpha as it is, whatever a format means by it


class ExportSetup(Plain, frozen=True):
    """One export: preset and folder, and how to write.

    ``size`` re-renders every sheet at that many texels, ``sizes`` single ones by their ``MATERIAL:TILE``; ``padding``
    None fills all that lies outside the islands, a number fills so many texels; ``normal_y`` "-" turns the green
    channel of normals over. ``own`` is a preset of one's own in place of a built-in one. ``quality`` 1…100 is that of
    JPEG, of WebP (100: without loss), and how long BC7 and BC6H search; ``dither`` spreads what is lost when 16 bits
    become 8; ``compress`` has DDS in ``blocks`` (left out: what fits each file), ``mips`` with all its halvings.
    ``full`` writes 32-bit floats where the format has them. ``rims`` spreads the colour of what is seen under what is
    not. Of what glows: ``glow`` is how many times as bright it is (in a GLB), ``tint`` colours its brightness instead
    of the map, ``only_glowing`` leaves out materials that do not. ``alpha`` says how opacity is put into all files
    that have it, flattened on ``ground``; left out: as the preset has it. ``marked`` has DDS say in the newer header
    whether colours are sRGB. ``model`` is written along with the maps on it, if the preset has none of its own.
    """

    preset: str
    out: str
    format: Format = "png"
    size: int | None = None
    sizes: dict[str, int] = {}
    bits: Literal[8, 16] = 8
    normal_y: Literal["+", "-"] = "+"
    padding: int | None = None
    own: Preset | None = None
    quality: int = 92
    dither: bool = False
    compress: bool = True
    mips: bool = True
    full: bool = False
    glow: float = 1.0
    tint: str | None = None
    only_glowing: bool = False
    rims: bool = False
    model: Kind | None = None
    blocks: Blocks | None = None
    alpha: Alpha | None = None
    ground: str = "#000000"
    marked: bool = False

    @property
    def what(self) -> Preset:
        """Which files it writes."""
        preset = self.own if self.own is not None else PRESETS[self.preset]
        return replace(preset, files=tuple(map(self._settled, preset.files)))

    def _settled(self, file: MapFile) -> MapFile:
        """A file with how its alpha is put in decided: as asked for, as the preset has it, as its format means it."""
        if file.alpha is None:
            return file
        if self.alpha is not None:
            return replace(file, blend=self.alpha, ground=self.ground)
        if file.blend is not None:
            return file
        # OpenEXR means colours multiplied by their alpha; what is wired to a surface has to be straight.
        wired = (self.own if self.own is not None else PRESETS[self.preset]).model or self.model
        multiplied = FORMATS[self.format_of(file)].multiplied and wired not in STRAIGHT
        return replace(file, blend="premultiplied" if multiplied else "straight")

    @property
    def only_light(self) -> bool:
        """Whether nothing but what glows is written."""
        return self.own is None and all(set(file.told_by) <= {GLOW} for file in self.what.files)

    @property
    def model_kind(self) -> Kind | None:
        """The model that is written along."""
        return self.what.model or self.model

    def format_of(self, file: MapFile) -> Format:
        return file.format or self.format

    def in_floats(self, file: MapFile) -> bool:
        """Whether a file holds floats, and so light in place of encoded colours."""
        row = FORMATS[self.format_of(file)]
        return row.floats or (row.full and self.full) or self.in_light(file)

    def in_light(self, file: MapFile) -> bool:
        """Whether a file is a DDS in blocks of half floats: colours without alpha, where those are asked for."""
        own = self.of(file)
        asked = FORMATS[own.format].blocks and own.compress and own.blocks == "bc6h"
        return asked and file.encoded and len(file.channels) == 3 and file.alpha is None

    def of(self, file: MapFile) -> ExportSetup:
        """How one file is written: what it says itself goes before what is said of all."""
        own = {
            name: value
            for name in ("format", "size", "bits", "normal_y", "padding", "dither", "mips", "blocks")
            if (value := getattr(file, name)) is not None
        }
        if "blocks" in own:
            own["compress"] = True
        return replace(self, **own)

    def bits_of(self, file: MapFile) -> int:
        """Bits that a file is worked out with; formats that cannot keep 16 have 8, those of floats never fewer."""
        if self.in_floats(file):
            return 16
        return (file.bits or self.bits) if self.format_of(file) in DEEP else 8


def check_setup(setup: ExportSetup) -> None:
    """Refuse an export that cannot be.

    Raises
    ------
    CommandError
        With a sentence about the key that is wrong.
    """
    if setup.own is None and setup.preset not in PRESETS:
        raise CommandError(
            tr("there is no preset {preset!r}; there are {PRESETS}", preset=setup.preset, PRESETS=", ".join(PRESETS))
        )
    if setup.format not in FORMATS:
        raise CommandError(
            tr(
                "format {format!r} is not written; there are {FORMATS}",
                format=setup.format,
                FORMATS=", ".join(FORMATS),
            )
        )
    if setup.bits == 16 and setup.format not in DEEP:
        raise CommandError(
            tr(
                "{format} has 8 bits a channel; leave 'bits' out, or write {DEEP}",
                format=setup.format,
                DEEP=", ".join(DEEP),
            )
        )
    for size in (setup.size, *setup.sizes.values(), *(file.size for file in setup.what.files)):
        if size is not None and not SMALLEST <= size <= LARGEST:
            raise CommandError(
                tr(
                    "size runs from {SMALLEST} to {LARGEST} texels, not {size}",
                    SMALLEST=SMALLEST,
                    LARGEST=LARGEST,
                    size=size,
                )
            )
    if setup.padding is not None and not 0 <= setup.padding <= MOST_PADDING:
        raise CommandError(
            tr(
                "padding runs from 0 to {MOST_PADDING} texels, not {padding}; leave it out to fill all",
                MOST_PADDING=MOST_PADDING,
                padding=setup.padding,
            )
        )
    if not 1 <= setup.quality <= 100:
        raise CommandError(tr("quality runs from 1 to 100, not {quality}", quality=setup.quality))
    if not 0 <= setup.glow <= 1000:
        raise CommandError(tr("glow runs from 0 to 1000, not {glow:g}", glow=setup.glow))
    if not is_hex(setup.ground):
        raise CommandError(tr("ground is a colour written #rrggbb, not {ground!r}", ground=setup.ground))
    if setup.tint is not None and not is_hex(setup.tint):
        raise CommandError(tr("tint is a colour written #rrggbb, not {tint!r}", tint=setup.tint))


def file_name(
    stem: str, key: SheetKey, map_name: str, single_tile: bool, suffix: str, pattern: str | None = None
) -> str:
    """``{project}_{material}_{map}.{tile}.{ext}``, without the tile where there is one only; or as a pattern says."""
    pieces = {"project": safe_name(stem), "material": safe_name(key.material), "map": safe_name(map_name)}
    if pattern is not None:
        return safe_name(pattern.format(**pieces, tile=key.tile, ext=suffix), 240)
    tile = "" if single_tile else f".{key.tile}"
    made = f"{pieces['project']}_{pieces['material']}_{pieces['map']}"
    return f"{safe_name(made, 220)}{tile}.{suffix}"
