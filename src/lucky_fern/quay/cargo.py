"""What lies in a folder of exported maps: which file is which map of which sheet, and reading it as a game would."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F32, U8
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.errors import LuckyFernError, PictureError
from lucky_fern.core.exporting.formats import read_back
from lucky_fern.core.model.load import load_model
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.surface import Surface

SUFFIXES = (".png", ".tga", ".tiff", ".tif", ".jpeg", ".jpg", ".webp", ".exr", ".dds")
MODELS = (".obj", ".glb", ".gltf", ".ply", ".stl")
ENCODED = ("baseColor", "emissive", "diffuse", "specular")
WORDS = (
    "baseColor", "metallicRoughness", "metallic", "roughness", "normal", "height", "occlusion", "emissive", "orm",
    "diffuse", "specular", "gloss", "emissiveMask",
)  # fmt: skip
_PACKED = {"orm": ("occlusion", "roughness", "metallic"), "metallicRoughness": ("", "roughness", "metallic")}
_DIELECTRIC = 0.04


class CargoError(LuckyFernError):
    """A folder that holds nothing to show; the sentence says what it should hold."""


@dataclass(frozen=True)
class Crate:
    """One file: its word, its sheet, and how the game reads it.

    ``encoded``: as sRGB; ``flipped``: green points down.
    """

    path: Path
    word: str
    sheet: SheetKey
    encoded: bool
    flipped: bool = False

    @property
    def right(self) -> bool:
        """Whether its colours are read as they were written."""
        return self.encoded == (self.word in ENCODED)


@dataclass(frozen=True)
class Cargo:
    """A model and the crates on it."""

    surface: Surface
    crates: tuple[Crate, ...]
    normal_down: bool = False  # whether the files' green points down
    unpacked: dict[Path, U8] = field(default_factory=dict, compare=False)  # files as they are, read once

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
        made = (
            replace(crate, encoded=crate.word in ENCODED, flipped=self.normal_down and crate.word == "normal")
            for crate in self.crates
        )
        return replace(self, crates=tuple(made))


def open_cargo(
    folder: Path, model: Path | None = None, normal_down: bool = False, surface: Surface | None = None
) -> Cargo:  # fmt: skip
    """What a folder holds, every file read as it was written; on a ``surface`` that was read before, if there is one.

    Raises
    ------
    CargoError
        If there is no model, or no map that fits it.
    """
    if model is None and surface is None:
        model = next((path for ending in MODELS for path in sorted(folder.glob(f"*{ending}"))), None)
    if model is None and surface is None:
        raise CargoError(f"{folder} holds no model; name one with --model FILE (OBJ, GLB, glTF, PLY or STL).")
    if surface is None:
        assert model is not None
        surface = Surface(load_model(model))
    crates = []
    for path in sorted(folder.iterdir()) if folder.is_dir() else ():
        crate = _crate(path, surface) if path.suffix.lower() in SUFFIXES else None
        if crate is not None:
            crates.append(crate)
    if not crates:
        raise CargoError(f"{folder} holds no map of {surface.model.name}; export into it, or name another folder.")
    return Cargo(surface, tuple(crates), normal_down).rightly()


def _crate(path: Path, surface: Surface) -> Crate | None:
    """What a file is by its name: ``…_MATERIAL_WORD.TILE.ext``, the tile left out where a material has one."""
    found = re.match(r"(.*?)_?([A-Za-z]+)(?:\.(\d{4}))?$", path.stem)
    if found is None or found[2] not in WORDS:
        return None
    # GLBs of ours name a material of several tiles once a tile.
    names = sorted({key.material for key in surface.keys}, key=len, reverse=True)
    for name in names:
        bare = re.sub(r"\.\d{4}$", "", name)
        if found[1].endswith(bare) or len({re.sub(r"\.\d{4}$", "", one) for one in names}) == 1:
            keys = [key for key in surface.keys if re.sub(r"\.\d{4}$", "", key.material) == bare]
            wanted = [key for key in keys if found[3] is None or _tile(key) == int(found[3])]
            if wanted:
                return Crate(path, found[2], wanted[0], found[2] in ENCODED)
    return None


def _tile(key: SheetKey) -> int:
    own = re.search(r"\.(\d{4})$", key.material)
    return int(own[1]) if own is not None else key.tile


def _unpacked(crate: Crate) -> U8:
    """(size, size, n) uint8 of a file as it is; colours encoded.

    Raises
    ------
    PictureError
        If the file cannot be read.
    """
    if crate.path.suffix.lower() == ".exr":
        return _read_exr(crate)
    read = read_back(crate.path.read_bytes(), crate.path.name)
    if read is None:
        raise PictureError(f"{crate.path.name} cannot be read; export it again.")
    return np.asarray(read, np.uint8)


def read_as(crate: Crate, pixels: U8) -> U8:
    """(size, size, n) uint8 of a file as the game sees it: in our own textures' encoding."""
    if crate.word == "normal" and crate.path.suffix.lower() == ".dds":
        pixels = _with_height(pixels)
    values = pixels[..., :3] if crate.word in ENCODED else pixels
    if not crate.right:
        share = values / np.float32(255)
        # A colour read as plain numbers is taken for light; plain numbers read as colour are made darker.
        made = encode_srgb(share) if crate.word in ENCODED else decode_srgb(share)
        values = np.floor(made * 255 + 0.5).astype(np.uint8)
    if crate.word in ENCODED and pixels.shape[2] == 4:
        values = np.dstack([values, pixels[..., 3]]).astype(np.uint8)
    if crate.word == "normal" and crate.flipped:
        values = values.copy()
        values[..., 1] = 255 - values[..., 1]
    return np.ascontiguousarray(values, np.uint8)


def _with_height(normal: U8) -> U8:
    """Normals of which only two components were kept, with the third that makes their length 1."""
    flat = normal[..., :2] / np.float32(127.5) - 1
    height = np.sqrt(np.maximum(1 - (flat**2).sum(axis=2), 0))
    return np.dstack([normal[..., :2], np.floor((height * 0.5 + 0.5) * 255 + 0.5)]).astype(np.uint8)


def _read_exr(crate: Crate) -> U8:
    import OpenEXR

    channels = OpenEXR.File(str(crate.path), separate_channels=True).channels()
    names = "Y" if "Y" in channels else "RGBA" if "A" in channels else "RGB"
    values: F32 = np.stack([np.asarray(channels[name].pixels, np.float32) for name in names], axis=2)
    if crate.word in ENCODED:
        values[..., :3] = encode_srgb(values[..., :3])
    return np.asarray(np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)


def maps_of(cargo: Cargo) -> dict[SheetKey, dict[str, U8]]:
    """Sheet → our map names → pixels, from whatever set lies there."""
    found: dict[SheetKey, dict[str, U8]] = {}
    words: dict[SheetKey, dict[str, U8]] = {}
    for crate in cargo.crates:
        if crate.path not in cargo.unpacked:
            cargo.unpacked[crate.path] = _unpacked(crate)
        words.setdefault(crate.sheet, {})[crate.word] = read_as(crate, cargo.unpacked[crate.path])
    for key, have in words.items():
        maps = found[key] = {}
        base = have.get("baseColor")
        if base is not None:
            maps["colour"] = np.ascontiguousarray(base[..., :3] if base.shape[2] >= 3 else np.repeat(base, 3, axis=2))
            if base.shape[2] == 4:
                maps["opacity"] = np.ascontiguousarray(base[..., 3:])
        for word in ("metallic", "roughness", "height", "occlusion"):
            if word in have:
                maps[word] = have[word][..., :1]
        for word, parts in (
            ("orm", ("occlusion", "roughness", "metallic")),
            ("metallicRoughness", ("", "roughness", "metallic")),
        ):
            for at, name in enumerate(parts):
                if word in have and name and name not in maps:
                    maps[name] = np.ascontiguousarray(have[word][..., at : at + 1])
        for word in ("normal", "emissive"):
            if word in have:
                maps[word] = have[word][..., :3]
        if base is None and "diffuse" in have:
            maps.update(from_classic(have))
    return found


def from_classic(have: Mapping[str, U8]) -> dict[str, U8]:
    """Base colour, metallic and roughness of a classic set.

    Reference: Khronos, KHR_materials_pbrSpecularGlossiness, "Converting between workflows".
    """
    diffuse = decode_srgb(have["diffuse"][..., :3] / 255)
    light = (
        decode_srgb(have["specular"][..., :3] / 255) if "specular" in have else np.full(diffuse.shape, _DIELECTRIC)
    )
    strongest = light.max(axis=2, keepdims=True)
    seen = (diffuse.max(axis=2, keepdims=True), strongest)
    # metallic solves a m² + b m + c = 0 of the brightness of both.
    a = _DIELECTRIC
    b = seen[0] * (1 - strongest) / (1 - _DIELECTRIC) + seen[1] - 2 * _DIELECTRIC
    c = _DIELECTRIC - seen[1]
    metallic = np.where(strongest <= _DIELECTRIC, 0.0,
                        np.clip((-b + np.sqrt(np.maximum(b * b - 4 * a * c, 0))) / (2 * a), 0, 1))  # fmt: skip
    from_diffuse = diffuse * (1 - strongest) / (1 - _DIELECTRIC) / np.maximum(1 - metallic, 1e-3)
    from_specular = (light - _DIELECTRIC * (1 - metallic)) / np.maximum(metallic, 1e-3)
    base = from_diffuse + (from_specular - from_diffuse) * metallic**2
    made = {
        "colour": np.floor(encode_srgb(base) * 255 + 0.5).astype(np.uint8),
        "metallic": np.floor(metallic * 255 + 0.5).astype(np.uint8),
    }
    if "gloss" in have:
        made["roughness"] = np.asarray(255 - have["gloss"][..., :1], np.uint8)
    if have["diffuse"].shape[2] == 4:
        made["opacity"] = np.ascontiguousarray(have["diffuse"][..., 3:])
    return made


def import_notes(cargo: Cargo) -> str:
    """How a game must read each kind of file, in words."""
    lines = ["How these files are to be read", ""]
    for word in WORDS:
        mine = [crate for crate in cargo.crates if crate.word == word]
        if not mine:
            continue
        how = "colours, sRGB" if word in ENCODED else "plain numbers, linear (not sRGB)"
        lines.append(f"{word}: {how}. {_ABOUT[word]}")
        if word == "normal":
            where = "down (−Y)" if cargo.normal_down else "up (+Y)"
            lines.append(f"  Green points {where}; if dents look like bumps, turn the game's green channel over.")
        lines += [f"  {crate.path.name}" for crate in mine]
    lines += ["", "Mips: on. Wrapping: clamp to the edge. Pixel art: nearest filtering, mips off.", ""]
    return "\n".join(lines)


_ABOUT = {
    "baseColor": "The colour of the surface; of metals, that of their shine. Its alpha is the opacity, straight.",
    "metallicRoughness": "Green is roughness, blue is metallic, as glTF has it.",
    "metallic": "White is metal.", "roughness": "Black is a mirror; a game that wants gloss needs it turned over.",
    "normal": "Tangent space (MikkTSpace).", "height": "0.5 is level.",
    "occlusion": "White is open to the light.",
    "emissive": "What glows, and in which colour; set the game's strength to 1 or above.",
    "orm": "Red is occlusion, green is roughness, blue is metallic.",
    "diffuse": "The colour of what is no metal; metals are black.",
    "specular": "The colour of the shine.", "gloss": "White is a mirror.",
    "emissiveMask": "How strongly it glows, without colour.",
}  # fmt: skip
