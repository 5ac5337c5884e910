"""Picture sequences: one file for each tile, known by their names."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.naming import UDIM_MARK, UV_MARK, map_of, tile_in_pattern, tile_name
from lucky_fern.core.pictures.picture import SUFFIXES, Picture
from lucky_fern.core.udim import FIRST_TILE, LAST_TILE, is_tile
from lucky_fern.words import tr


@dataclass(frozen=True)
class Sequence:
    """Files of one pattern (``hull_rough.<UDIM>.png``): tile → path, and the map that the name tells."""

    pattern: str
    files: dict[int, Path] = field(default_factory=dict)

    @property
    def map(self) -> str | None:
        return map_of(self.pattern.replace(UDIM_MARK, "").replace(UV_MARK, ""))

    def missing(self, tiles: Iterable[int]) -> list[int]:
        """The tiles of a model for which there is no file."""
        return sorted(set(tiles) - set(self.files))

    def extra(self, tiles: Iterable[int]) -> list[int]:
        """The tiles of files that a model does not have."""
        return sorted(set(self.files) - set(tiles))


def gather_sequence(folder: Path, pattern: str) -> Sequence:
    """All files of a folder that fit a pattern with ``<UDIM>`` or ``<UVTILE>`` in it.

    Raises
    ------
    PictureError
        If none fits, or one names a tile that does not exist.
    """
    try:
        names = sorted(path.name for path in folder.iterdir() if path.is_file())
    except OSError:
        raise PictureError(
            tr("{folder} cannot be listed; check the path of {pattern}.", folder=folder, pattern=pattern)
        ) from None
    files: dict[int, Path] = {}
    for name in names:
        tile = tile_in_pattern(pattern, name)
        if tile is None:
            continue
        if not is_tile(tile):
            raise PictureError(
                tr(
                    "{name} names no tile that there is: tiles run from {FIRST_TILE} to {LAST_TILE} (u1_v1 is "
                    "1001, ten in a row). Rename or move that file.",
                    name=name,
                    FIRST_TILE=FIRST_TILE,
                    LAST_TILE=LAST_TILE,
                )
            )
        files[tile] = folder / name
    if not files:
        raise PictureError(
            tr(
                "no file in {folder} is called {pattern} with a tile's number; check the name.",
                folder=folder,
                pattern=pattern,
            )
        )
    return Sequence(pattern, files)


def find_sequences(paths: Iterable[Path]) -> tuple[list[Sequence], list[Path]]:
    """The sequences that some files belong to, each completed from its folder, and the files of none.

    Raises
    ------
    PictureError
        If a file names a tile that does not exist.
    """
    found: dict[tuple[Path, str], Sequence] = {}
    single: list[Path] = []
    for path in paths:
        name = tile_name(path.name) if path.suffix.lower() in SUFFIXES else None
        if name is None:
            single.append(path)
        elif (path.parent, name.pattern) not in found:
            found[path.parent, name.pattern] = gather_sequence(path.parent, name.pattern)
    return list(found.values()), single


def check_alike(pattern: str, pictures: dict[int, Picture]) -> None:
    """Refuse a sequence whose pictures differ in size or depth.

    Raises
    ------
    PictureError
        Naming the tiles that differ from the first.
    """
    first, rest = next(iter(pictures)), pictures
    like = pictures[first]
    sizes = [tile for tile, one in rest.items() if (one.width, one.height) != (like.width, like.height)]
    if sizes:
        odd = pictures[sizes[0]]
        raise PictureError(
            tr(
                "the pictures of {pattern} have mixed sizes: {first} is {width} × {height} pixels, {sizes} "
                "is {width_2} × {height_2}. Bring them to one size, or add them one by one.",
                pattern=pattern,
                first=first,
                width=like.width,
                height=like.height,
                sizes=sizes[0],
                width_2=odd.width,
                height_2=odd.height,
            )
        )
    depths = [tile for tile, one in rest.items() if one.rgba.itemsize != like.rgba.itemsize]
    if depths:
        raise PictureError(
            tr(
                "the pictures of {pattern} have mixed bit depths: {first} has {itemsize} bits a channel, "
                "{depths} has {itemsize_2}. Save them all with the same depth.",
                pattern=pattern,
                first=first,
                itemsize=like.rgba.itemsize * 8,
                depths=depths[0],
                itemsize_2=pictures[depths[0]].rgba.itemsize * 8,
            )
        )
