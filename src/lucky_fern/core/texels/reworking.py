"""What a layer has painted on a box or some texels of a sheet, made otherwise: moved round, recoloured.

Every function takes and gives painted texels (rows, columns, n): components, then the coverage. Nothing is mixed.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence

import numpy as np
from PIL import Image
from scipy.spatial import cKDTree

from lucky_fern.core.arrays import Array, Bool
from lucky_fern.core.colour import from_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands import PaintPixels
from lucky_fern.core.project.commands.painting import painted_on
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.blocks import bounds
from lucky_fern.core.texels.setting import put_texels, read_texels
from lucky_fern.words import tr

MOST_COLOURS = 256


def shifted(texels: Array, columns: int, rows: int) -> Array:
    """Moved to the right and down; what goes out comes in on the other side."""
    return np.roll(texels, (rows, columns), axis=(0, 1))


def swapped(texels: Array, one: Array, other: Array) -> Array:
    """What is one painted texel (n,) becomes another, and the other way round; only set texels."""
    made = texels.copy()
    first, second = (texels == one).all(axis=2), (texels == other).all(axis=2)
    made[first], made[second] = other, one
    return made


def fewer(texels: Array, count: int) -> Array:
    """Colours (rows, columns, 4) uint8 brought to ``count`` of those that stand for all best; the coverage stays.

    Median cut (P. Heckbert, "Color Image Quantization for Frame Buffer Display", 1982), then k-means; each texel
    takes the nearest. With no more colours than that nothing changes.

    Raises
    ------
    CommandError
        If the count cannot be.
    """
    if not 1 <= count <= MOST_COLOURS:
        raise CommandError(tr("a palette has 1 to {most} colours, not {count}", most=MOST_COLOURS, count=count))
    there = texels[..., 3] > 0
    colours = texels[there][:, :3]
    if not len(colours) or len(np.unique(colours, axis=0)) <= count:
        return texels
    picture = Image.fromarray(np.ascontiguousarray(colours[None]), "RGB")
    reduced = picture.quantize(count, Image.Quantize.MEDIANCUT, kmeans=4, dither=Image.Dither.NONE)
    made = texels.copy()
    made[there, :3] = np.asarray(reduced.convert("RGB"))[0]
    return made


def nearest_of(texels: Array, colours: Sequence[str]) -> Array:
    """Colours (rows, columns, 4) uint8 brought to the nearest of a palette (``#rrggbb``); the coverage stays."""
    if not colours:
        return texels
    known = np.rint(np.array([from_hex(colour) for colour in colours]) * 255).astype(np.uint8)
    there, made = texels[..., 3] > 0, texels.copy()
    if there.any():
        made[there, :3] = known[cKDTree(known.astype(np.float64)).query(texels[there][:, :3].astype(np.float64))[1]]
    return made


Rework = Callable[[Array, str], Array]  # painted texels of a box and the name of their map → what they become


def rework_all(
    studio: Studio, layer_id: int, areas: Mapping[SheetKey, Bool], act: Rework, whole: bool = False,
    maps: Collection[str] | None = None,
) -> list[PaintPixels]:  # fmt: skip
    """The edits that make a layer's texels of areas (rows, columns each) what ``act`` makes of their box.

    ``whole`` takes all of the box, for what moves texels about in it; ``maps`` limits it to some.

    Raises
    ------
    CommandError
        If it is no layer that is painted on, or ``act`` refuses.
    """
    edits, painted = [], painted_on(studio.project.layer(layer_id))
    for key, area in areas.items():
        rect, sheet = bounds(area), painted.get(str(key))
        if rect is None or sheet is None:
            continue
        inside = None if whole else area[rect.top : rect.bottom, rect.left : rect.right]
        for name in sheet.maps:
            if maps is not None and name not in maps:
                continue
            texels = act(read_texels(studio, sheet, name, rect), name)
            edit = put_texels(studio, layer_id, key, name, rect, texels, inside)
            if edit is not None:
                edits.append(edit)
    return edits
