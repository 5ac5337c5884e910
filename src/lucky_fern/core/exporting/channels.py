"""From composited maps to the pixels of a file: channels picked, turned over, converted, rounded."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lucky_fern.core.arrays import F32, U8, U16
from lucky_fern.core.colour import DECODE_8, DECODE_16, decode_srgb, encode_srgb, from_hex
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.presets import MapFile, Pick

Pixels = U8 | U16
Maps = Mapping[str, Pixels]

_BAND = 64  # rows
_DIELECTRIC = 0.04  # how much light what is no metal throws back straight on
_PARTS = {"r": 0, "g": 1, "b": 2}


def file_pixels(file: MapFile, maps: Maps, bits: int, dither: bool = False, floats: bool = False) -> Pixels:
    """(size, size, 1, 3 or 4) of a file with so many bits a channel.

    ``maps`` hold what the file needs and, where it is written, the map of its alpha: (size, size, n), 8 or 16 bits.
    For formats of ``floats`` colours stay straight: they are multiplied when they are light (:func:`as_floats`).
    """
    with_alpha = file.alpha is not None and file.alpha.of in maps and file.blend != "none"
    picks = (*file.channels, *((file.alpha,) if with_alpha and file.alpha is not None else ()))
    dtype = np.uint8 if bits == 8 else np.uint16
    straight = file.blend == "straight" or not with_alpha or (floats and file.blend == "premultiplied")
    flattened = with_alpha and file.blend == "flattened"
    if straight and all(pick.plain and maps[pick.of].dtype == dtype for pick in picks):
        whole = _same_map(picks, maps)
        if whole is not None:
            return whole
        own = [_part(maps[pick.of], pick) for pick in picks]
        parts: Pixels = np.stack(own, axis=2)  # type: ignore[assignment]  # all are of one type; stubs lose it
        return parts
    size = next(iter(maps.values())).shape[:2]
    out = np.empty((*size, len(picks) - flattened), dtype)
    for top in range(0, size[0], _BAND):  # in bands, or floats of a large sheet would fill the memory
        band = slice(top, top + _BAND)
        bands = {name: pixels[band] for name, pixels in maps.items()}
        values = _blended(file, picks, bands, with_alpha and not straight)
        out[band] = rounded(values, bits, dither, top)
    return out


def _blended(file: MapFile, picks: tuple[Pick, ...], maps: Maps, with_alpha: bool) -> F32:
    """Values of all channels, the alpha put in as the file asks."""
    values = np.stack([_value(pick, maps) for pick in picks], axis=2)
    if with_alpha and file.blend in ("premultiplied", "flattened"):
        colour, alpha = values[..., :-1], values[..., -1:]
        values[..., :-1] = colour * alpha
        if file.blend == "flattened":
            ground = np.array(from_hex(file.ground), np.float32)
            ground = ground if colour.shape[2] == 3 else ground.mean(keepdims=True)
            return np.asarray(values[..., :-1] + ground * (1 - alpha), np.float32)
    return values


def rounded(values: F32, bits: int, dither: bool = False, first: int = 0) -> Pixels:
    """0…1 to the nearest whole numbers; with ``dither`` to one of the two nearest, so that the mean stays.

    ``first`` is the number of the first row, on which the pattern depends.
    """
    top = np.float32(255 if bits == 8 else 65535)
    half: F32 | np.float32 = np.float32(0.5)
    if dither and bits == 8:
        half = _noise(first, values.shape[0], values.shape[1])[..., None]
    whole = np.floor(np.clip(values, 0, 1) * top + half)
    made: Pixels = np.minimum(whole, top).astype(np.uint8 if bits == 8 else np.uint16)
    return made


def plane_as_floats(file: MapFile, pixels: Pixels, at: int) -> F32:
    """(rows, columns) of one channel as formats of floats hold it: colours as linear light, alpha and data as is.

    Premultiplied files have their light multiplied by the alpha, as OpenEXR's documentation asks.
    """
    plane, last = pixels[..., at], pixels.shape[2] - 1
    if file.encoded and at < 3:
        values = np.asarray((DECODE_8 if pixels.dtype == np.uint8 else DECODE_16)[plane], np.float32)
    else:
        values = _floats(plane)
    if file.blend == "premultiplied" and at < last and last in (1, 3):
        values = values * _floats(pixels[..., last])
    return values


def as_floats(file: MapFile, pixels: Pixels) -> F32:
    """(rows, columns, n) of all channels; see :func:`plane_as_floats`."""
    values = np.empty(pixels.shape, np.float32)
    for at in range(pixels.shape[2]):  # one after the other, or a large sheet would fill the memory
        values[..., at] = plane_as_floats(file, pixels, at)
    return values


def _noise(first: int, rows: int, columns: int) -> F32:
    """(rows, columns) from a first row on, evenly spread in 0…1, alike neighbours far apart.

    Reference: J. Jimenez, 2014: interleaved gradient noise.
    """
    y, x = np.mgrid[first : first + rows, 0:columns].astype(np.float64)
    return np.asarray((52.9829189 * ((0.06711056 * x + 0.00583715 * y) % 1)) % 1, np.float32)


def _same_map(picks: tuple[Pick, ...], maps: Maps) -> Pixels | None:
    """A whole map, where the file is just that."""
    first = maps[picks[0].of]
    if any(pick.of != picks[0].of for pick in picks) or len(picks) != first.shape[2]:
        return None
    return first if all(_PARTS[pick.part] == at for at, pick in enumerate(picks)) else None


def _part(pixels: Pixels, pick: Pick) -> Pixels:
    return pixels[..., _PARTS[pick.part] if pixels.shape[2] > 1 else 0]


def _value(pick: Pick, maps: Maps) -> F32:
    """(size, size) of one channel, 0…1."""
    shape = next(iter(maps.values())).shape[:2]
    if not pick.of:
        return np.full(shape, pick.value, np.float32)
    values = _floats(maps[pick.of]) if pick.of in MAPS else _derived(pick.of, maps)
    if values.shape[2] == 1:
        one = values[..., 0]
    elif pick.part == "brightest":
        one = values.max(axis=2)
    else:
        one = values[..., _PARTS[pick.part]]
    if pick.invert:
        one = 1 - one
    if pick.gamma != 1:
        one = np.clip(one, 0, 1) ** np.float32(1 / pick.gamma)
    return np.asarray(pick.low + one * (pick.high - pick.low), np.float32)


def _floats(pixels: Pixels) -> F32:
    values = pixels.astype(np.float32)
    values /= np.float32(np.iinfo(pixels.dtype).max)
    return values


def _derived(name: str, maps: Maps) -> F32:
    if name == "gloss":
        return 1 - _floats(maps["roughness"])
    diffuse, specular = to_classic(_floats(maps["colour"]), _floats(maps["metallic"]))
    return diffuse if name == "diffuse" else specular


def to_classic(colour: F32, metallic: F32) -> tuple[F32, F32]:
    """Diffuse and specular (r, c, 3), encoded, from base colour (r, c, 3, encoded) and metallic (r, c, 1).

    Reference: Khronos, KHR_materials_pbrSpecularGlossiness, "Converting between workflows": in linear light
    specular runs from 0.04 to the colour, and diffuse is what the specular leaves of the colour.
    """
    base = decode_srgb(colour)
    specular = _DIELECTRIC + (base - _DIELECTRIC) * metallic
    left = 1 - specular.max(axis=2, keepdims=True)
    diffuse = np.where(left > 1e-6, base * (1 - _DIELECTRIC) * (1 - metallic) / np.maximum(left, 1e-6), 0.0)
    return encode_srgb(diffuse).astype(np.float32), encode_srgb(specular).astype(np.float32)


def tinted(glow: Pixels, tint: str) -> Pixels:
    """A map of what glows (r, c, 3, encoded) with its brightest channel's light in another colour."""
    light = decode_srgb(_floats(glow).max(axis=2, keepdims=True)) * decode_srgb(np.array(from_hex(tint)))
    return rounded(encode_srgb(light).astype(np.float32), 8 if glow.dtype == np.uint8 else 16)
