"""Presets: which maps become which files. Plain data, so that a person's own are small JSON files to share."""

from __future__ import annotations

import json
from string import Formatter
from typing import Any, Literal

import msgspec

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.files import safe_name
from lucky_fern.core.limits import LONGEST_NAME
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.plain import Plain
from lucky_fern.words import tr

# What is worked out from other maps: the maps that it needs, and those of which one must be written for it.
DERIVED: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "diffuse": (("colour", "metallic"), ("colour",)),
    "specular": (("colour", "metallic"), ("metallic",)),
    "gloss": (("roughness",), ("roughness",)),
}
_COLOURED = ("diffuse", "specular")

Part = Literal["r", "g", "b", "brightest"]
Alpha = Literal["straight", "premultiplied", "flattened", "none"]
Kind = Literal["glb", "obj", "usda", "mtlx"]  # of a model, or of its materials alone, that is written along
Format = Literal["png", "tga", "tiff", "jpeg", "webp", "exr", "dds"]
Blocks = Literal["bc1", "bc3", "bc4", "bc5", "bc6h", "bc7"]  # of a DDS file


class Pick(Plain, frozen=True):
    """What one channel of a file holds: a part of a map, or a ``value`` where ``of`` is left out.

    ``part`` is a component of a colour or of a normal, or the brightest of the three; scalar maps have but one.
    0 … 1 becomes ``low`` … ``high``, turned over first with ``invert`` and raised to 1 / ``gamma`` then.
    """

    of: str = ""
    part: Part = "r"
    invert: bool = False
    low: float = 0.0
    high: float = 1.0
    gamma: float = 1.0
    value: float = 0.0

    @property
    def level(self) -> bool:
        """Whether values come through as they are, or turned over."""
        return (self.low, self.high, self.gamma) == (0.0, 1.0, 1.0)

    @property
    def plain(self) -> bool:
        """Whether it is a map's own value as it is."""
        return self.of in MAPS and not self.invert and self.level and self.part != "brightest"


class MapFile(Plain, frozen=True):
    """One kind of file: the ``word`` that stands for it in names, and its one or three ``channels``.

    It is written where one of its maps is, or ``always``. ``alpha`` is a channel more where its map is written, put
    in as ``blend`` says (flattened: on ``ground``; left out: as the format means it, EXR premultiplied, all others
    straight). ``encoded`` files hold colours as sRGB encodes them, all others plain numbers. The rest stands in for
    what the whole export says; ``blocks`` are those of a DDS.
    """

    word: str
    channels: tuple[Pick, ...]
    encoded: bool = False
    always: bool = False
    alpha: Pick | None = None
    blend: Alpha | None = None
    ground: str = "#000000"
    bits: Literal[8, 16] | None = None
    format: Format | None = None
    size: int | None = None
    normal_y: Literal["+", "-"] | None = None
    padding: int | None = None
    dither: bool | None = None
    mips: bool | None = None
    blocks: Blocks | None = None

    @property
    def needs(self) -> tuple[str, ...]:
        """The maps that its channels are made of."""
        found = [name for pick in self.channels if pick.of for name in DERIVED.get(pick.of, ((pick.of,),))[0]]
        return tuple(dict.fromkeys(found))

    @property
    def told_by(self) -> tuple[str, ...]:
        """The maps of which one must be written for the file to be."""
        found = [name for pick in self.channels if pick.of for name in DERIVED.get(pick.of, ((), (pick.of,)))[1]]
        return tuple(dict.fromkeys(found))


class Preset(Plain, frozen=True):
    """Files that are written together; ``pattern`` names them, ``model`` is written along with the maps on it.

    A pattern holds ``{project}``, ``{material}``, ``{map}``, ``{tile}`` and ``{ext}``. Without one it is
    ``{project}_{material}_{map}.{tile}.{ext}``, the tile left out where a material has but one.
    """

    title: str
    files: tuple[MapFile, ...] = ()
    pattern: str | None = None
    model: Kind | None = None
    layered: bool = False  # an OpenRaster file of each sheet's layers


def _whole(name: str) -> tuple[Pick, ...]:
    """All components of a map, or of what is worked out from maps."""
    if (name in MAPS and MAPS[name].single) or name == "gloss":
        return (Pick(name),)
    return tuple(Pick(name, part) for part in ("r", "g", "b"))


def _file(word: str, name: str, **more: Any) -> MapFile:
    encoded = name in _COLOURED or MAPS.get(name, MAPS["height"]).encoded
    return MapFile(word, _whole(name), encoded, **more)


def _mask(name: str) -> MapFile:
    return MapFile(name, (Pick("emissive", "brightest"),), bits=8)


_BASE = _file("baseColor", "colour", always=True, alpha=Pick("opacity"))
_NORMAL, _GLOW = _file("normal", "normal"), _file("emissive", "emissive")
_PACKED = MapFile("orm", (Pick("occlusion"), Pick("roughness"), Pick("metallic")))
_SURFACE = MapFile("metallicRoughness", (Pick(value=1.0), Pick("roughness"), Pick("metallic")))

PRESETS: dict[str, Preset] = {
    "separate": Preset(tr("Standard set: one file a map"),
        (_BASE, *(_file(one, one) for one in ("metallic", "roughness", "normal", "height", "occlusion", "emissive"))),
    ),
    "gltf": Preset(tr("glTF set, and a GLB that uses it"),
                   (_BASE, _SURFACE, _NORMAL, _file("occlusion", "occlusion"), _GLOW), model="glb"),
    "packed": Preset(tr("Packed set: occlusion, roughness and metallic in one"), (_BASE, _PACKED, _NORMAL, _GLOW)),
    "emissive": Preset(tr("Emissive set: glow and its mask"), (_GLOW, _mask("emissiveMask"))),
    "classic": Preset(tr("Classic set: diffuse, specular and gloss"),
        (_file("diffuse", "diffuse", always=True, alpha=Pick("opacity")), _file("specular", "specular"),
         _file("gloss", "gloss"), _NORMAL, _GLOW),
    ),
    "layers": Preset(tr("Layers of the colour map, as OpenRaster"), layered=True),
}  # fmt: skip
MOST_PADDING = 254  # texels
_PIECES = ("project", "material", "map", "tile", "ext")
MOST_FILES, LONGEST_WORD = 64, 60  # of a preset; characters
LARGEST_PRESET = 1 << 20  # bytes of a file


def check_preset(preset: Preset) -> None:
    """Refuse a preset that cannot be.

    Raises
    ------
    CommandError
        With a sentence about what is wrong.
    """
    words = [file.word for file in preset.files]
    if len(words) > MOST_FILES:
        raise CommandError(
            tr(
                "a preset writes up to {MOST_FILES} files a sheet, not {words}",
                MOST_FILES=MOST_FILES,
                words=len(words),
            )
        )
    if not words and not preset.layered and preset.model is None:
        raise CommandError(tr("a preset writes at least one file"))
    for word in words:
        if not word or words.count(word) > 1:
            raise CommandError(
                tr("every file of a preset has a word of its own; {word!r} is no such one", word=word[:80])
            )
        if safe_name(word, LONGEST_WORD) != word:
            raise CommandError(tr("a file's word becomes part of its name; {word!r} cannot be one", word=word[:80]))
    if preset.pattern is not None:
        check_pattern(preset.pattern, len(words))
    for file in preset.files:
        if len(file.channels) not in (1, 3):
            raise CommandError(
                tr(
                    "'{word}' has {channels} channels; a file has 1 or 3, and its alpha",
                    word=file.word,
                    channels=len(file.channels),
                )
            )
        if not is_hex(file.ground):
            raise CommandError(
                tr("'{word}': ground is a colour written #rrggbb, not {ground!r}", word=file.word, ground=file.ground)
            )
        for pick in (*file.channels, *((file.alpha,) if file.alpha is not None else ())):
            if pick.of and pick.of not in MAPS and pick.of not in DERIVED:
                known = ", ".join((*MAPS, *DERIVED))
                raise CommandError(
                    tr("'{word}': there is no map {of!r}; there are {known}", word=file.word, of=pick.of, known=known)
                )
            if not (0 <= pick.value <= 1 and 0 <= pick.low <= 1 and 0 <= pick.high <= 1):
                raise CommandError(tr("'{word}': value, low and high run from 0 to 1", word=file.word))
            if not 0.1 <= pick.gamma <= 10:
                raise CommandError(
                    tr("'{word}': gamma runs from 0.1 to 10, not {gamma:g}", word=file.word, gamma=pick.gamma)
                )
        if file.blocks in ("bc1", "bc3", "bc5", "bc7") and len(file.channels) == 1:
            raise CommandError(
                tr(
                    "'{word}' is grey: {blocks} holds colours; have bc4, or no blocks",
                    word=file.word,
                    blocks=file.blocks,
                )
            )
        if file.blocks == "bc4" and len(file.channels) == 3:
            raise CommandError(
                tr("'{word}' has 3 channels, bc4 holds one; have bc1, bc3, bc5 or bc7", word=file.word)
            )
        if file.padding is not None and not 0 <= file.padding <= MOST_PADDING:
            raise CommandError(
                tr(
                    "'{word}': padding runs from 0 to {MOST_PADDING} texels, not {padding}",
                    word=file.word,
                    MOST_PADDING=MOST_PADDING,
                    padding=file.padding,
                )
            )


def check_pattern(pattern: str, files: int = 2) -> None:
    """Refuse a pattern of names that cannot be."""
    try:
        held = [piece[1:] for piece in Formatter().parse(pattern) if piece[1] is not None]
    except ValueError:
        held = [("", "", None)]
    # Plain names alone: what follows a colon or a dot would be obeyed, however many blanks it asks for.
    if any(name not in _PIECES or how or turned for name, how, turned in held) or len(pattern) > LONGEST_NAME:
        raise CommandError(
            tr(
                "the pattern {pattern!r} may hold {{project}}, {{material}}, {{map}}, {{tile}} and {{ext}} only",
                pattern=pattern[:80],
            )
        )
    if files > 1 and "{map}" not in pattern:
        raise CommandError(
            tr("the pattern {pattern!r} needs {{map}}, or all files would have one name", pattern=pattern)
        )
    if "{ext}" not in pattern:
        raise CommandError(tr("the pattern {pattern!r} needs {{ext}} at its end", pattern=pattern))


def preset_to_json(preset: Preset) -> bytes:
    """A preset as a small JSON file."""
    return json.dumps(msgspec.to_builtins(preset), indent=2, ensure_ascii=False).encode() + b"\n"


def preset_from_json(data: bytes, name: str) -> Preset:
    """A preset from a file's bytes.

    Raises
    ------
    CommandError
        If it is none; the sentence names the file.
    """
    if len(data) > LARGEST_PRESET:
        raise CommandError(tr("{name} is too large to be a preset", name=name))
    try:
        preset = msgspec.json.decode(data, type=Preset)
        check_preset(preset)
    except (msgspec.DecodeError, CommandError, UnicodeDecodeError, RecursionError) as error:
        raise CommandError(tr("{name} is no preset: {error}; mend it there", name=name, error=error)) from error
    return preset
