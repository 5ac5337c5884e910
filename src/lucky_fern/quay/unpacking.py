"""From the bytes of exported files to maps: unpacked, read as a game reads them, taken apart into channels."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F32, U8, Array
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.exporting.formats import read_back
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.presets import MapFile, Pick
from lucky_fern.words import tr

_DIELECTRIC = 0.04
_PARTS = {"r": 0, "g": 1, "b": 2}


def unpacked(path: Path, encoded: bool, multiplied: bool = False) -> U8:
    """(rows, columns, n) uint8 of a file as it is; floats hold light where the file's colours are ``encoded``.

    ``multiplied``: floats are divided by their alpha.

    Raises
    ------
    PictureError
        If the file cannot be read.
    """
    pixels: Array | None = (
        _read_exr(path) if path.suffix.lower() == ".exr" else read_back(path.read_bytes(), path.name)
    )
    if pixels is None:
        raise PictureError(tr("{name} cannot be read; export it again.", name=path.name))
    if pixels.dtype.kind == "f":
        values = np.asarray(pixels, np.float32)
        if multiplied and values.shape[2] == 4:
            alpha = values[..., 3:]
            values[..., :3] = np.divide(values[..., :3], alpha, out=np.zeros_like(values[..., :3]), where=alpha > 0)
        if encoded:
            values[..., :3] = encode_srgb(values[..., :3])
        return _bytes(values)
    return np.asarray(pixels, np.uint8)


def _read_exr(path: Path) -> F32:
    import OpenEXR

    channels = OpenEXR.File(str(path), separate_channels=True).channels()
    names = "Y" if "Y" in channels else "RGBA" if "A" in channels else "RGB"
    return np.stack([np.asarray(channels[name].pixels, np.float32) for name in names], axis=2)


def _bytes(values: F32 | Array) -> U8:
    return np.asarray(np.clip(values, 0, 1) * 255 + 0.5).astype(np.uint8)


def as_read(pixels: U8, file: MapFile, encoded: bool, flipped: bool, blocks: bool = False) -> U8:
    """(rows, columns, n) uint8 of a file as the game sees it, in our own textures' encoding.

    ``encoded``: read as sRGB; ``flipped``: its green is turned over; ``blocks``: normals of which two components lie
    in the file.
    """
    if blocks and is_normal(file):
        pixels = _with_height(pixels)
    values = pixels[..., :3]
    if encoded != file.encoded:
        share = np.arange(256) / 255
        # A colour read as plain numbers is taken for light; plain numbers read as colour are made darker.
        values = _bytes(encode_srgb(share) if file.encoded else decode_srgb(share))[values]
    if flipped:
        values = values.copy()
        values[..., 1] = 255 - values[..., 1]
    whole = np.concatenate([values, pixels[..., 3:]], axis=2) if pixels.shape[2] == 4 else values
    return np.ascontiguousarray(whole, np.uint8)


def is_normal(file: MapFile) -> bool:
    """Whether a file holds normals, all three components."""
    return len(file.channels) == 3 and all(pick.of == "normal" for pick in file.channels)


def _with_height(normal: U8) -> U8:
    """Normals of which only two components were kept, with the third that makes their length 1."""
    flat = normal[..., :2] / np.float32(127.5) - 1
    height = np.sqrt(np.maximum(1 - (flat**2).sum(axis=2), 0))
    return np.dstack([normal[..., :2], _bytes(height * 0.5 + 0.5)]).astype(np.uint8)


def taken_apart(pixels: U8, file: MapFile) -> dict[str, U8]:
    """What a file holds (a map, or diffuse, specular, gloss) → (rows, columns, 1 or 3) uint8.

    Maps of three components of which only some lie there begin from what the map starts from. What has lost too
    much (the brightest of three) is left out.
    """
    found: dict[str, U8] = {}
    count = pixels.shape[2]
    for at, pick in enumerate(file.channels):
        if not pick.of or pick.part == "brightest":
            continue
        whole = _whole(file, pick.of, pixels)
        if whole is not None:
            found[pick.of] = whole
            continue
        plane = _undone(pixels[..., at if count > 1 else 0], pick)
        kept = found.get(pick.of)
        if kept is None:
            start = MAPS[pick.of].start if pick.of in MAPS else (0.0,) * (1 if pick.of == "gloss" else 3)
            kept = found[pick.of] = np.empty((*pixels.shape[:2], len(start)), np.uint8)
            kept[:] = np.floor(np.array(start) * 255 + 0.5)
        kept[..., min(_PARTS[pick.part], kept.shape[2] - 1)] = plane
    if file.alpha is not None and file.alpha.of and count == 4:
        alpha = _undone(pixels[..., 3], file.alpha)
        found[file.alpha.of] = alpha[..., None]
        if file.blend == "premultiplied":
            for name in {pick.of for pick in file.channels} & set(found):
                found[name] = _bytes(found[name] / np.maximum(alpha[..., None].astype(np.float32), 1))
    return found


def _whole(file: MapFile, name: str, pixels: U8) -> U8 | None:
    """All of a map at once, where the file is just that."""
    if len(file.channels) == 3 and pixels.shape[2] >= 3:
        own = all(
            pick.of == name and not pick.invert and pick.level and pick.part == part
            for pick, part in zip(file.channels, ("r", "g", "b"), strict=True)
        )
        return np.ascontiguousarray(pixels[..., :3]) if own else None
    return None


def _undone(plane: U8, pick: Pick) -> U8:
    """The numbers before they were turned over and put between two levels."""
    if not pick.invert and pick.level:
        return plane
    steps = np.arange(256, dtype=np.float32) / 255
    span = pick.high - pick.low
    before = np.clip((steps - pick.low) / span, 0, 1) ** pick.gamma if span else np.zeros_like(steps)
    return np.asarray(_bytes(1 - before if pick.invert else before)[plane], np.uint8)


def from_classic(have: Mapping[str, U8]) -> dict[str, U8]:
    """Base colour, metallic and roughness of diffuse, specular and gloss, as far as they are there.

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
    made = {"colour": _bytes(encode_srgb(base)), "metallic": _bytes(metallic)}
    if "gloss" in have:
        made["roughness"] = np.asarray(255 - have["gloss"][..., :1], np.uint8)
    return made
