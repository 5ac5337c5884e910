"""Checks of one sheet's maps, a row each."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, U8, U16, Bool
from lucky_fern.core.checking.found import Found, many
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.words import tr

Maps = dict[str, U8 | U16]  # those that are written: (rows, columns, n), padded
_DARK, _BRIGHT = 0.11, 0.95  # encoded; charcoal and fresh snow
_SHARE = 0.02  # of a sheet's texels; less is not spoken of
_SMALL = 16  # texels: nobody saves by going below
_FINE = 2  # 8-bit steps that a sheet may differ from its half before it counts as finer
_RIM = 40  # 8-bit steps between a see-through texel and its visible neighbour
_BLACK, _LIT = 8, 64  # 8-bit steps


@dataclass(frozen=True)
class SheetCheck:
    """``look`` is asked where all maps that it ``needs`` are written."""

    look: Callable[[Sheet, Maps], Iterator[Found]]
    needs: tuple[str, ...] = ()


def _colour_range(sheet: Sheet, maps: Maps) -> Iterator[Found]:
    """Base colours that no real surface has: they stay black or glare under every light."""
    key, inside = sheet.key, sheet.covered
    values = maps["colour"][inside].max(axis=1) / 255
    metallic = maps.get("metallic")
    metal = np.zeros(len(values), np.bool_) if metallic is None else metallic[inside][:, 0] > 127
    bright = (values > _BRIGHT) & ~metal
    for mask, word in ((values < _DARK, tr("darker than charcoal")), (bright, tr("brighter than fresh snow"))):
        share = float(mask.mean())
        if share > 5 * _SHARE:
            sentence = tr(
                "{many} of the colour of {key} is {word}: light cannot shade it.",
                many=many(share),
                key=key,
                word=word,
            )
            yield Found("range", sentence, worry=False, sheet=key, map="colour")


def _normals(sheet: Sheet, maps: Maps) -> Iterator[Found]:
    key, inside, normal = sheet.key, sheet.covered, maps["normal"]
    vector = normal[inside] / np.iinfo(normal.dtype).max * 2 - 1
    length = np.linalg.norm(vector, axis=1)
    share = float((np.abs(length - 1) > 0.05).mean())
    if share > 0:
        sentence = tr(
            "{many} of the normals of {key} are not of length 1: their light will be wrong.",
            many=many(share),
            key=key,
        )
        yield Found("normals", sentence, sheet=key, map="normal")
    share = float((vector[:, 2] < 0).mean())
    if share > 0:
        yield Found(
            "normals",
            tr("{many} of the normals of {key} point into the surface.", many=many(share), key=key),
            sheet=key,
            map="normal",
        )


def _unlit(sheet: Sheet, maps: Maps) -> Iterator[Found]:
    """Light where the colour is black: games that multiply the two show nothing."""
    key, inside = sheet.key, sheet.covered
    glow, colour = maps["emissive"].max(axis=2)[inside], maps["colour"].max(axis=2)[inside]
    share = float(((glow > _LIT) & (colour < _BLACK)).sum() / max(int((glow > _LIT).sum()), 1))
    if share > _SHARE:
        sentence = tr(
            "{many} of what glows on {key} has black as its colour: games that multiply the two",
            many=many(share),
            key=key,
        )
        yield Found("glow", tr("{sentence} show nothing there.", sentence=sentence), sheet=key, map="emissive")


def _rims(sheet: Sheet, maps: Maps) -> Iterator[Found]:
    """Colours under see-through texels that smooth filtering brings out beside what is to be seen."""
    key, inside = sheet.key, sheet.covered
    alpha = maps["opacity"][..., 0]
    clear, seen = inside & (alpha == 0), inside & (alpha > 127)
    if not clear.any() or not seen.any():
        return
    colour = maps.get("colour")
    light = np.full(alpha.shape, 255, np.float32) if colour is None else colour.mean(axis=2).astype(np.float32)
    under, beside = _around(light, clear), _around(light, seen)
    near = clear & np.isfinite(under) & np.isfinite(beside)
    if not near.any():
        return
    differs = under[near] - beside[near]
    for mask, word in ((differs > _RIM, "white"), (differs < -_RIM, "dark")):
        if float(mask.mean()) > 0.1:
            sentence = tr(
                "See-through edges of {key} will have {word} rims: the colour under them is another one.",
                key=key,
                word=word,
            )
            title = tr("Spread the colour under them")
            yield Found("rims", sentence, sheet=key, map="opacity", title=title, mend="rims")


def _around(values: F32, mask: Bool) -> F32:
    """The mean of masked values over 5 × 5 texels; NaN where there is none."""
    weight = mask.astype(np.float32)
    total, count = (
        cv2.boxFilter(values * weight, -1, (5, 5), normalize=False),
        cv2.boxFilter(weight, -1, (5, 5), normalize=False),
    )
    return np.asarray(np.where(count > 0.5, total / np.maximum(count, 1e-6), np.nan), np.float32)


def _too_fine(sheet: Sheet, maps: Maps) -> Iterator[Found]:
    """A sheet that has more texels than anything on it needs."""
    size, smaller = sheet.size, sheet.size
    while smaller.shortest > _SMALL and smaller.width % 2 == smaller.height % 2 == 0 and maps:
        half = smaller.scaled(0.5)
        if not all(_same_in(pixels, half, sheet.covered) for pixels in maps.values()):
            break
        smaller = half
    if smaller != size and size.longest >= 256:
        saved = 1 - smaller.texels / size.texels
        sentence = tr(
            "{smaller} texels would do for {key}: nothing on it is finer. That saves {saved:.0%} of it.",
            smaller=smaller,
            key=sheet.key,
            saved=saved,
        )
        command = SetSheetSize(smaller, str(sheet.key))
        yield Found(
            "size", sentence, False, sheet.key, title=tr("Make it {smaller}", smaller=smaller), command=command
        )


def _same_in(pixels: U8 | U16, half: Extent, inside: Bool) -> bool:
    """Whether a map looks the same when it was brought to a smaller size and back."""
    eight = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    small = cv2.resize(np.ascontiguousarray(eight), (half.width, half.height), interpolation=cv2.INTER_AREA)
    back = cv2.resize(small, eight.shape[1::-1], interpolation=cv2.INTER_LINEAR).reshape(eight.shape)
    differs = np.abs(back.astype(np.int16) - eight).max(axis=2)[inside]
    return float((differs > _FINE).mean()) < 0.0005


SHEET_CHECKS = (
    SheetCheck(_colour_range, ("colour",)),
    SheetCheck(_normals, ("normal",)),
    SheetCheck(_unlit, ("emissive", "colour")),
    SheetCheck(_rims, ("opacity",)),
    SheetCheck(_too_fine),
)
