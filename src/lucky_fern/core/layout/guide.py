"""The guide: a sheet's layout drawn for use elsewhere. It is made apart from all maps and can get into none."""

from __future__ import annotations

import colorsys
from dataclasses import dataclass

import cv2
import numpy as np

from lucky_fern.core.arrays import F64, I32, U8
from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.plain import Plain
from lucky_fern.core.sheets.grid import Extent, SheetKey, square, to_texels
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of
from lucky_fern.words import tr

_FINER = 2  # drawn so many times larger, then shrunk, for smooth lines
_SHIFT = 4  # bits of a fraction of a pixel that lines are drawn with


class GuideLook(Plain, frozen=True):
    """How a guide is drawn: ``size`` in pixels, ``line`` their width in pixels of the result.

    ``fill``: islands in grey, in a colour for each part, or not at all.
    """

    size: int = 2048
    line: float = 1.5
    wires: bool = True
    fill: str = "parts"
    numbers: bool = True
    transparent: bool = True


@dataclass(frozen=True)
class _Drawing:
    """What is on the sheet, in tiles with v up: triangles, the edges of faces, island borders, islands' middles."""

    corners: F64
    part: I32
    edges: F64
    borders: F64
    numbers: list[tuple[int, F64, float]]


def check_look(look: GuideLook) -> None:
    """Refuse what cannot be drawn."""
    if not 16 <= look.size <= 8192:
        raise CommandError(tr("a guide is 16 to 8192 pixels wide, not {size}", size=look.size))
    if not 0 < look.line <= 64:
        raise CommandError(tr("lines are above 0 and up to 64 pixels wide, not {line:g}", line=look.line))
    if look.fill not in ("none", "islands", "parts"):
        raise CommandError(tr("fill is none, islands or parts, not {fill!r}", fill=look.fill))


def part_colour(number: int) -> tuple[int, int, int]:
    """A light colour for a part; neighbours in number differ most (steps of the golden ratio round the hues)."""
    red, green, blue = colorsys.hls_to_rgb((0.11 + number * 0.618034) % 1.0, 0.74, 0.5)
    return round(red * 255), round(green * 255), round(blue * 255)


def _drawing(surface: Surface, key: SheetKey) -> _Drawing:
    model, triangle = surface.model, surface.placement.triangles[key]
    corner = np.array(corner_of(key.tile), np.float64)
    here = np.zeros(model.triangle_count, np.bool_)
    here[triangle] = True

    def ends(edges: I32) -> F64:
        mine = edges[here[edges[:, 0]]]
        both = np.stack([model.uv[mine[:, 0], mine[:, 1]], model.uv[mine[:, 0], mine[:, 2]]], axis=1)
        result: F64 = both - corner
        return result

    numbers: list[tuple[int, F64, float]] = []
    for island in np.unique(model.islands[triangle]).tolist():
        uv = model.uv[triangle[model.islands[triangle] == island]] - corner
        a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
        area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        # On the island itself: its largest triangle nearest to its middle.
        middle = np.average(uv.mean(axis=1), axis=0, weights=area + 1e-18)
        large = area >= 0.25 * area.max()
        at = uv.mean(axis=1)[large]
        nearest = at[((at - middle) ** 2).sum(axis=1).argmin()]
        numbers.append((island + 1, nearest, float(np.ptp(uv, axis=(0, 1)).min())))
    return _Drawing(
        model.uv[triangle] - corner, model.part[triangle], ends(model.outline_edges), ends(_borders(surface)), numbers
    )


def _borders(surface: Surface) -> I32:
    """(E, 3) rows (triangle, corner, corner) of edges that one triangle of an island has for itself."""
    model = surface.model
    seams = model.seam_edges
    count = model.triangle_count
    corner = np.tile(np.arange(3, dtype=np.int32), count)
    triangle = np.repeat(np.arange(count, dtype=np.int32), 3)
    uses = model.triangles[triangle, corner].astype(np.int64), model.triangles[triangle, (corner + 1) % 3]
    span = int(model.triangles.max(initial=0)) + 1
    forward = uses[0] * span + uses[1]
    open_edge = ~np.isin(forward, uses[1] * span + uses[0])
    lone = np.stack([triangle, corner, (corner + 1) % 3], axis=1)[open_edge].astype(np.int32)
    # Seams name one side of each edge; the other side is found the other way round.
    ends = model.triangles[seams[:, 0], seams[:, 1]].astype(np.int64), model.triangles[seams[:, 0], seams[:, 2]]
    other = np.isin(forward, ends[1] * span + ends[0]) | np.isin(forward, ends[0] * span + ends[1])
    both = np.stack([triangle, corner, (corner + 1) % 3], axis=1)[other].astype(np.int32)
    return np.concatenate([lone, both])


def draw_guide(surface: Surface, key: SheetKey, look: GuideLook, size: Extent | None = None) -> U8:
    """(rows, columns, 4) uint8 straight sRGB and alpha, row 0 at the top; of another ``size`` than as high as wide.

    Raises
    ------
    CommandError
        If the look cannot be drawn.
    """
    check_look(look)
    drawing = _drawing(surface, key)
    finer = _FINER if look.size <= 4096 else 1
    fine = (size or square(look.size)).scaled(finer)
    side = fine.shortest
    # Colours under transparent texels are those of the paint beside them, so that shrinking leaves no rim.
    canvas = np.zeros((*fine.shape, 4), np.uint8)
    if not look.transparent:
        canvas[:] = 255

    def pixels(uv: F64) -> I32:
        return np.asarray(np.round((to_texels(uv, fine) - 0.5) * (1 << _SHIFT)), np.int32)

    if look.fill != "none":
        grey = (196, 196, 196)
        for part in np.unique(drawing.part).tolist():
            colour = part_colour(part) if look.fill == "parts" else grey
            for corners in pixels(drawing.corners[drawing.part == part]):
                cv2.fillConvexPoly(canvas, corners, (*colour, 255), cv2.LINE_8, _SHIFT)
    thick = max(round(look.line * finer), 1)
    if look.wires:
        for start, end in pixels(drawing.edges):
            _line(canvas, start, end, (70, 70, 70, 255), max(thick // 2, 1))
    for start, end in pixels(drawing.borders):
        _line(canvas, start, end, (20, 20, 20, 255), thick)
    if look.numbers:
        for number, middle, room in drawing.numbers:
            _number(canvas, number, middle, room, side)
    return _shrunk(canvas, finer)


def _line(canvas: U8, start: I32, end: I32, colour: tuple[int, int, int, int], thick: int) -> None:
    a, b = (int(start[0]), int(start[1])), (int(end[0]), int(end[1]))
    cv2.line(canvas, a, b, colour, thick, cv2.LINE_8, _SHIFT)


def _number(canvas: U8, number: int, middle: F64, room: float, side: int) -> None:
    """A number in the middle of its island, no larger than it bears."""
    text = str(number)
    scale = float(np.clip(room * side / 90 / len(text), side / 4096, side / 1100))
    thick = max(round(scale * 1.6), 1)
    (width, height), _ = cv2.getTextSize(text, cv2.FONT_HERSHEY_SIMPLEX, scale, thick)
    rim = thick * 3
    high, wide = canvas.shape[:2]
    left, top = int(middle[0] * wide - width / 2) - rim, int((1 - middle[1]) * high - height / 2) - rim
    box = np.zeros((height + 2 * rim + 2, width + 2 * rim + 2), np.uint8)
    rows = slice(max(top, 0), max(min(top + box.shape[0], high), 0))
    columns = slice(max(left, 0), max(min(left + box.shape[1], wide), 0))
    for ink, stroke in ((255, rim), (20, thick)):  # written as a mask: letters must not soften the alpha
        box[:] = 0
        cv2.putText(box, text, (rim, rim + height), cv2.FONT_HERSHEY_SIMPLEX, scale, 255, stroke, cv2.LINE_8)
        inner = box[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left]
        canvas[rows, columns][inner > 127] = (ink, ink, ink, 255)


def _shrunk(canvas: U8, finer: int) -> U8:
    """Area means of premultiplied colour."""
    if finer == 1:
        return canvas
    values = canvas.astype(np.float32)
    values[..., :3] *= values[..., 3:] / 255
    small = cv2.resize(values, (canvas.shape[1] // finer, canvas.shape[0] // finer), interpolation=cv2.INTER_AREA)
    small[..., :3] /= np.maximum(small[..., 3:], 1e-3) / 255
    return np.asarray(np.clip(small + 0.5, 0, 255), np.uint8)


def guide_svg(surface: Surface, key: SheetKey, look: GuideLook, size: Extent | None = None) -> str:
    """The same as an SVG of ``look.size`` user units (SVG 1.1)."""
    check_look(look)
    drawing, whole = _drawing(surface, key), size or square(look.size)
    side = whole.shortest
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{whole.width}" height="{whole.height}" '
        f'viewBox="0 0 {whole.width} {whole.height}">',
        f"<title>{key.material.replace('&', '&amp;').replace('<', '&lt;')} {key.tile}</title>",
    ]
    if not look.transparent:
        out.append(f'<rect width="{whole.width}" height="{whole.height}" fill="#ffffff"/>')

    def flat(uv: F64) -> F64:
        result: F64 = np.round(to_texels(uv, whole), 3)
        return result

    def path(points: F64, closed: bool) -> str:
        ends = " ".join("M" + " L".join(f"{x:g},{y:g}" for x, y in one) + ("Z" if closed else "") for one in points)
        return f'<path d="{ends}"/>'

    if look.fill != "none":
        for part in np.unique(drawing.part).tolist():
            red, green, blue = part_colour(part) if look.fill == "parts" else (196, 196, 196)
            ink = f"#{red:02x}{green:02x}{blue:02x}"
            name = surface.model.parts[part].replace("&", "&amp;").replace("<", "&lt;")
            out.append(f'<g fill="{ink}" stroke="{ink}" stroke-width="0.3"><title>{name}</title>'
                       f"{path(flat(drawing.corners[drawing.part == part]), True)}</g>")  # fmt: skip
    for points, ink, width in ((drawing.edges, "#464646", look.line / 2), (drawing.borders, "#141414", look.line)):
        if points is drawing.edges and not look.wires:
            continue
        out.append(f'<g fill="none" stroke="{ink}" stroke-width="{width:g}" stroke-linecap="round">'
                   f"{path(flat(points), False)}</g>")  # fmt: skip
    if look.numbers:
        for number, middle, room in drawing.numbers:
            x, y = flat(middle).tolist()
            height = float(np.clip(room * side / 3 / len(str(number)), side / 160, side / 40))
            out.append(f'<text x="{x:g}" y="{y + height * 0.35:g}" font-family="sans-serif" font-size="{height:g}" '
                       f'text-anchor="middle" fill="#141414">{number}</text>')  # fmt: skip
    return "\n".join([*out, "</svg>", ""])
