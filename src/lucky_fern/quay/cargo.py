"""What lies in a folder of exported maps, and the maps that a game makes of it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from threading import Lock

import cv2
import numpy as np
from msgspec.structs import replace as with_fields

from lucky_fern.core.arrays import U8
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.presets import MapFile, Preset
from lucky_fern.core.sheets.grid import Extent, SheetKey, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.quay.naming import recognised
from lucky_fern.quay.sampling import nearest_materials
from lucky_fern.quay.unpacking import as_read, from_classic, is_normal, taken_apart, unpacked
from lucky_fern.words import tr

SUFFIXES = (".png", ".tga", ".tiff", ".tif", ".jpeg", ".jpg", ".webp", ".exr", ".dds")
MODELS = (".obj", ".glb", ".gltf", ".ply", ".stl")

Maps = Mapping[SheetKey, Mapping[str, U8]]


class CargoError(LuckyFernError):
    """A folder that holds nothing to show; the sentence says what it should hold."""


@dataclass(frozen=True)
class Crate:
    """One file: what it holds, its sheet, and how the game reads it.

    ``encoded``: as sRGB; ``flipped``: the game turns its green over. ``down``: green points down in the file.
    ``written`` tells one state of the file from the next.
    """

    path: Path
    file: MapFile
    sheet: SheetKey
    encoded: bool
    flipped: bool = False
    down: bool = False
    written: tuple[int, int] = (0, 0)

    @property
    def word(self) -> str:
        return self.file.word

    @property
    def right(self) -> bool:
        """Whether its colours are read as they were written."""
        return self.encoded == self.file.encoded


@dataclass
class _Kept:
    """What was unpacked and taken apart already: so long as a file and its reading stay, so do its arrays."""

    lock: Lock = field(default_factory=Lock)  # readers on several threads share it
    files: dict[tuple[Path, tuple[int, int]], U8] = field(default_factory=dict)
    parts: dict[Crate, dict[str, U8]] = field(default_factory=dict)
    sheets: dict[tuple[Crate, ...], dict[str, U8]] = field(default_factory=dict)


@dataclass(frozen=True)
class Cargo:
    """A model and the crates on it."""

    surface: Surface
    crates: tuple[Crate, ...]
    pixel_art: frozenset[SheetKey] = frozenset()  # sheets that are to be read as squares, without mips
    kept: _Kept = field(default_factory=_Kept, compare=False)

    def read_as(self, word: str, encoded: bool | None = None, flipped: bool | None = None) -> Cargo:
        """The same files, those of a word read otherwise."""
        made = tuple(
            replace(crate, encoded=crate.encoded if encoded is None else encoded,
                    flipped=crate.flipped if flipped is None else flipped) if crate.word == word else crate
            for crate in self.crates
        )  # fmt: skip
        return replace(self, crates=made)

    def rightly(self) -> Cargo:
        """The same files, read as they were written."""
        made = (replace(crate, encoded=crate.file.encoded, flipped=crate.down) for crate in self.crates)
        return replace(self, crates=tuple(made))

    @property
    def kinds(self) -> dict[str, Crate]:
        """The first crate of each word."""
        found: dict[str, Crate] = {}
        for crate in self.crates:
            found.setdefault(crate.word, crate)
        return found


def open_cargo(
    folder: Path, model: Path | None = None, normal_down: bool = False, presets: Sequence[Preset] = (),
    before: Cargo | None = None, pixel_art: frozenset[SheetKey] = frozenset(),
) -> Cargo:  # fmt: skip
    """What a folder holds, every file read as it was written.

    Parameters
    ----------
    model : the model's file; otherwise the first one in the folder.
    normal_down : whether green points down in normals of which the preset says nothing.
    presets : ones of one's own that name files other than ours do.
    before : what was read of it before; its model, and what has not changed, is not read again.
    pixel_art : sheets that are to be read as squares; those that the model's samplers name are, too.

    Raises
    ------
    CargoError
        If there is no model, or no map that fits it.
    """
    if before is None and model is None:
        model = next((path for ending in MODELS for path in sorted(folder.glob(f"*{ending}"))), None)
        if model is None:
            raise CargoError(
                tr("{folder} holds no model; name one with --model FILE (OBJ, GLB, glTF, PLY or STL).", folder=folder)
            )
    if before is not None:
        surface, pixel_art = before.surface, before.pixel_art
    else:
        assert model is not None
        surface = Surface(load_model(model))
        named = nearest_materials(model)
        pixel_art |= {key for key in surface.keys if key.material in named}
    crates = []
    for path in sorted(folder.iterdir()) if folder.is_dir() else ():
        found = recognised(path.name, surface.keys, presets) if path.suffix.lower() in SUFFIXES else None
        if found is not None:
            file, sheet = found
            down = any(pick.of == "normal" for pick in file.channels) and _points_down(file, normal_down)
            state = path.stat()
            written = (state.st_mtime_ns, state.st_size)
            crates.append(Crate(path, file, sheet, file.encoded, down, down, written))
    if not crates:
        raise CargoError(
            tr(
                "{folder} holds no map of {name}; export into it, or name another folder.",
                folder=folder,
                name=surface.model.name,
            )
        )
    kept = _Kept()
    if before is not None:
        there = {(crate.path, crate.written) for crate in crates}
        kept.files = {name: pixels for name, pixels in before.kept.files.items() if name in there}
        kept.parts = {one: parts for one, parts in before.kept.parts.items() if (one.path, one.written) in there}
    return Cargo(surface, tuple(crates), pixel_art, kept)


def _points_down(file: MapFile, otherwise: bool) -> bool:
    """Whether a file's green of normals points down."""
    green = any(pick.of == "normal" and pick.part == "g" and pick.invert for pick in file.channels)
    down = otherwise if file.normal_y is None else file.normal_y == "-"
    return down != green


def maps_of(cargo: Cargo) -> dict[SheetKey, dict[str, U8]]:
    """Sheet → map → (rows, columns, n) uint8 with the sheet's size, from whatever set lies there.

    Arrays of files that are read as they were the last time are the same objects.

    Raises
    ------
    PictureError
        If a file cannot be read; the sentence names it.
    """
    mine: dict[SheetKey, list[Crate]] = {}
    for crate in cargo.crates:
        mine.setdefault(crate.sheet, []).append(crate)
    found = {}
    with cargo.kept.lock:
        for key, crates in mine.items():
            made = cargo.kept.sheets.get(tuple(crates))
            if made is None:
                # Two readings stay, the right one and another; or every try would stay in memory.
                for other in [one for one in cargo.kept.sheets if one[0].sheet == key][1:]:
                    del cargo.kept.sheets[other]
                made = cargo.kept.sheets[tuple(crates)] = _put_together(
                    [_parts(cargo, crate) for crate in crates], key in cargo.pixel_art
                )
            found[key] = made
    return found


def _parts(cargo: Cargo, crate: Crate) -> dict[str, U8]:
    """What one file gives, as the game reads it."""
    made = cargo.kept.parts.get(crate)
    if made is None:
        name = (crate.path, crate.written)
        if name not in cargo.kept.files:
            cargo.kept.files[name] = unpacked(crate.path, crate.file.encoded, _multiplied(crate))
        blocks = crate.path.suffix.lower() == ".dds" and is_normal(crate.file)
        pixels = as_read(cargo.kept.files[name], crate.file, crate.encoded, crate.flipped, blocks)
        plain = _green_as_it_is(crate.file)
        if crate.path.suffix.lower() == ".exr":
            plain = with_fields(plain, blend="straight")  # it was divided already, as light
        made = taken_apart(pixels, plain)
        for other in [one for one in cargo.kept.parts if one.path == crate.path][1:]:
            del cargo.kept.parts[other]
        cargo.kept.parts[crate] = made
    return made


def _multiplied(crate: Crate) -> bool:
    """Whether a file of floats has its light multiplied by its alpha, which is what EXR means."""
    return crate.path.suffix.lower() == ".exr" and crate.file.blend in (None, "premultiplied")


def _green_as_it_is(file: MapFile) -> MapFile:
    """The same file without its own turning over of green: the game's setting says that."""
    channels = tuple(
        with_fields(pick, invert=False) if pick.of == "normal" and pick.part == "g" else pick
        for pick in file.channels
    )
    return with_fields(file, channels=channels)


def _put_together(parts: list[dict[str, U8]], squares: bool) -> dict[str, U8]:
    """All maps of one sheet, of one size."""
    have: dict[str, U8] = {}
    for one in parts:
        for name, pixels in one.items():
            have.setdefault(name, pixels)
    if "diffuse" in have and "colour" not in have:
        size = _largest(have[name] for name in ("diffuse", "specular", "gloss") if name in have)
        have = {**from_classic({name: sized(pixels, size, squares) for name, pixels in have.items()}), **have}
    maps = {name: pixels for name, pixels in have.items() if name in MAPS}
    if "colour" in maps and maps["colour"].shape[2] == 1:
        maps["colour"] = np.repeat(maps["colour"], 3, axis=2)
    largest = _largest(maps.values())
    return {name: sized(pixels, largest, squares) for name, pixels in maps.items()}


def _largest(maps: Iterable[U8]) -> Extent:
    return max((Extent(*one.shape[1::-1]) for one in maps), key=lambda size: size.texels, default=square(1))


def sized(pixels: U8, size: Extent, squares: bool = False) -> U8:
    """(rows, columns, n) of a map of another size; smoothed, or texels as ``squares``."""
    if pixels.shape[:2] == size.shape:
        return pixels
    how = cv2.INTER_NEAREST_EXACT if squares else cv2.INTER_LINEAR
    made = cv2.resize(pixels, (size.width, size.height), interpolation=how)
    return np.asarray(made, np.uint8).reshape(*size.shape, pixels.shape[2])
