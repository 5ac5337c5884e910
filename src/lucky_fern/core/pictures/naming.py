"""What the name of a picture file says: which map it is for, which tile, and which files belong with it."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import PurePath
from typing import Literal

from lucky_fern.core.maps import MAPS
from lucky_fern.core.udim import is_tile, tile_of
from lucky_fern.words import tr

Taken = Literal["colour", "data"]  # encoded colours, or plain numbers
# Words in file names, in lower case, by the map they stand for; those that end a name win.
_WORDS: dict[str, tuple[str, ...]] = {
    "colour": ("basecolor", "basecolour", "albedo", "diffuse", "color", "colour", "base"),
    "metallic": ("metallic", "metalness", "metal"),
    "roughness": ("roughness", "rough"),
    "normal": ("normal", "normals", "normalmap", "nrm"),
    "height": ("height", "heightmap", "displacement", "bump"),
    "occlusion": ("occlusion", "ambientocclusion", "ao"),
    "emissive": ("emissive", "emission", "glow"),
    "opacity": ("opacity", "alpha", "transparency"),
}
_MAP_OF = {word: name for name, words in _WORDS.items() for word in words}
_DATA_WORDS = {"mask", "curvature", "thickness", "position", "id", "gloss", "glossiness"}
_TILE = re.compile(r"(?P<head>.*?)(?P<mark>[._-](?P<udim>\d{4,5})|[._-]?u(?P<u>\d+)_v(?P<v>\d+))", re.IGNORECASE)
UDIM_MARK, UV_MARK = "<UDIM>", "<UVTILE>"


def words_of(name: str) -> list[str]:
    """The words of a file name without its ending, in lower case: ``Hull_baseColor`` → hull, base, color."""
    stem = PurePath(name).stem
    spaced = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", stem)
    return [word.lower() for word in re.split(r"[^A-Za-z0-9]+|(?<=[A-Za-z])(?=\d)", spaced) if word]


def map_of(name: str) -> str | None:
    """The map that a file name tells, the last word that names one counting; None if none does."""
    found = None
    words = words_of(name)
    for at, word in enumerate(words):
        pair = words[at - 1] + word if at else word
        found = _MAP_OF.get(pair) or _MAP_OF.get(word) or found
    return found


def set_stem(name: str) -> tuple[str, ...]:
    """The words of a file name without those that tell its map: pictures of one set have the same."""
    words = words_of(name)
    for count in (2, 1):
        if len(words) > count and "".join(words[-count:]) in _MAP_OF:
            return tuple(words[:-count])
    return tuple(words)


def set_of(name: str, names: Iterable[str]) -> dict[str, str]:
    """Map → name of the pictures that make a set with ``name``; a name that tells no map is the colour.

    Where two tell the same map, the one that is asked about wins, then the first.
    """
    stem = set_stem(name)
    found: dict[str, str] = {map_of(name) or "colour": name}
    for other in names:
        if set_stem(other) == stem:
            found.setdefault(map_of(other) or "colour", other)
    return found


def is_data_name(name: str) -> bool:
    """Whether a file name says that its numbers are no colours."""
    told = map_of(name)
    if told is not None:
        return not MAPS[told].encoded
    return bool(_DATA_WORDS.intersection(words_of(name)))


@dataclass(frozen=True)
class TileName:
    """A file name taken apart at its tile: ``pattern`` holds a mark in the tile's place."""

    pattern: str
    tile: int


def tile_name(name: str) -> TileName | None:
    """Take a file name apart at its tile: ``hull.1001.png``, ``hull_u1_v1.png``; None if it names none.

    Numbers beyond the tiles that files can carry still count as tiles, so that they can be refused by name.
    """
    path = PurePath(name)
    match = _TILE.fullmatch(path.stem)
    if match is None or not match["head"]:
        return None
    number = match["udim"]
    if number is not None:
        return TileName(f"{match['head']}{match['mark'][0]}{UDIM_MARK}{path.suffix}", int(number))
    separator = match["mark"][0] if match["mark"][0] in "._-" else ""
    column, row = int(match["u"]) - 1, int(match["v"]) - 1
    tile = tile_of(column, row) if 0 <= column <= 9 and row >= 0 else 0
    return TileName(f"{match['head']}{separator}{UV_MARK}{path.suffix}", tile)


def tile_in_pattern(pattern: str, name: str) -> int | None:
    """The tile that a file name has where ``pattern`` has its mark; None if it does not fit the pattern.

    Raises
    ------
    ValueError
        If the pattern holds no mark.
    """
    for mark, shape in ((UDIM_MARK, r"(\d{4,5})"), (UV_MARK, r"u(\d+)_v(\d+)")):
        if mark in pattern:
            head, _, tail = pattern.partition(mark)
            match = re.fullmatch(re.escape(head) + shape + re.escape(tail), name, re.IGNORECASE)
            if match is None:
                return None
            if mark == UDIM_MARK:
                return int(match[1])
            column, row = int(match[1]) - 1, int(match[2]) - 1
            tile = tile_of(column, row)
            return tile if 0 <= column <= 9 and row >= 0 and is_tile(tile) else 0
    raise ValueError(
        tr("{pattern} holds neither {UDIM_MARK} nor {UV_MARK}", pattern=pattern, UDIM_MARK=UDIM_MARK, UV_MARK=UV_MARK)
    )
