"""What lies under the pointer, in words: a texel's address and the value that a map holds there."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.colour import decode_srgb, encode_srgb, to_hex
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.compositing.levels import Levels
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.grid import Extent, SheetKey


def texel_at(local_u: float, local_v: float, size: Extent) -> tuple[int, int]:
    """Row and column of the texel at a place counted from its tile's lower left, 0…1 each way."""
    column = min(max(int(local_u * size.width), 0), size.width - 1)
    row = min(max(int((1 - local_v) * size.height), 0), size.height - 1)
    return row, column


def averaged(
    levels: Levels, key: SheetKey, size: Extent, map_name: str, row: int, column: int, reach: int = 1
) -> str | float:
    """The value of a map around a texel, as jobs write it: the mean of the texels up to ``reach`` away.

    Colours are averaged as light (linear) and written ``#rrggbb``, sRGB-encoded; numbers run from 0 to 1.
    """
    spec = MAPS[map_name]
    kept, level = levels.finest(MapKey(key, map_name), size, row, column)
    if kept is None:
        mean = np.array(spec.start, np.float64)
        return to_hex((mean[0], mean[1], mean[2])) if spec.components == 3 else float(mean[0])
    row, column = row >> level, column >> level
    some = kept[max(row - reach, 0) : row + reach + 1, max(column - reach, 0) : column + reach + 1]
    values = some.reshape(-1, kept.shape[2]) / float(np.iinfo(kept.dtype).max)
    if not spec.encoded:
        return float(values[:, 0].mean())
    light = encode_srgb(decode_srgb(values).mean(axis=0))
    return to_hex((float(light[0]), float(light[1]), float(light[2])))


def reading(levels: Levels, key: SheetKey, size: Extent, map_name: str, row: int, column: int) -> str:
    """One line: tile, texel, and the value as stored and as 0–255; of a coarser level where that is all there is."""
    spec = MAPS[map_name]
    kept, level = levels.finest(MapKey(key, map_name), size, row, column)
    if kept is not None:
        top = 65535 if spec.wide else 255
        values = [float(value) / top for value in kept[row >> level, column >> level]]
    else:
        values = list(spec.start)
    eight = " ".join(str(int(value * 255 + 0.5)) for value in values)
    if spec.encoded:
        told = "#" + "".join(f"{int(value * 255 + 0.5):02x}" for value in values) + f"  {eight}"
    elif spec.directional:
        told = " ".join(f"{value * 2 - 1:+.3f}" for value in values) + f"  {eight}"
    else:
        told = f"{values[0]:.4f}  {eight}"
    return f"{key.tile}  column {column}, row {row} of {size}   {spec.title} {told}"
