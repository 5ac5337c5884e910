"""Pictures laid on pixel art: quarter turns, whole texels, one texel a pixel where they fit."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F64
from lucky_fern.core.project.places import Lay
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.udim import corner_of


def on_whole_texels(place: Lay, size: Extent, picture: tuple[int, int]) -> Lay:
    """The same picture, a multiple of a quarter turned, its sides and its corner on whole texels of a sheet.

    ``picture`` is its width and height in pixels.
    """
    quarters = round(place.rotate / 90)
    along = (size.height, size.width) if quarters % 2 else (size.width, size.height)
    wide = max(round(place.width * along[0]), 1)
    high = max(round(place.tall(picture) * along[1]), 1)
    span = np.array((high, wide) if quarters % 2 else (wide, high), np.float64)
    texels: F64 = np.array([size.width, size.height], np.float64)
    low = np.rint(np.array(place.centre) * texels - span / 2)
    u, v = ((low + span / 2) / texels).tolist()
    return replace(place, rotate=float(90 * quarters), width=wide / along[0], height=high / along[1], centre=(u, v))


def dropped(uv: F64, key: SheetKey, size: Extent, picture: tuple[int, int], exact: bool, share: float = 0.3) -> Lay:
    """The pose of a picture dropped at a place of UV space, its pixels square on the sheet.

    ``exact`` sheets (pixel art) take one texel for each pixel if it fits, in whole texels; others ``share`` of the
    width.
    """
    u, v = (np.asarray(uv, np.float64) - corner_of(key.tile)).tolist()
    wide, high = picture
    if exact and wide <= size.width and high <= size.height:
        return on_whole_texels(
            Lay(key.material, key.tile, (u, v), wide / size.width, high / size.height), size, picture
        )
    place = Lay(key.material, key.tile, (u, v), share).square_pixels(lambda _: size, picture)
    return on_whole_texels(place, size, picture) if exact else place
