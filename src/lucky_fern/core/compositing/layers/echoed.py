"""Echoes: what lies below in one map, made into another."""

from __future__ import annotations

import math
from typing import cast

import numpy as np

from lucky_fern.core.arrays import F32, F64, U16
from lucky_fern.core.colour import LUMINANCE, from_hex
from lucky_fern.core.compiled import kernel
from lucky_fern.core.compositing.around import Around
from lucky_fern.core.compositing.blend import MODE_NUMBERS, blend_arrays
from lucky_fern.core.compositing.canvas import Canvas, View, lay_on, shown_on, steepened
from lucky_fern.core.compositing.layer_row import LayerRow, kit_of
from lucky_fern.core.compositing.layers.washed import washed_picture
from lucky_fern.core.compositing.masks import Asking
from lucky_fern.core.compositing.rising import FALLS_OFF, risen
from lucky_fern.core.compositing.rules import Asked, RuleMask
from lucky_fern.core.compositing.stack import composite_below
from lucky_fern.core.pictures.pyramid import Flavour
from lucky_fern.core.project.document import Channel, Layer, Wash
from lucky_fern.core.project.echoes import PICTURE, RULE, Echo
from lucky_fern.core.project.rules import Rule, RuleShape
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.region import gathered, rect_of

_STEPS = 4096  # of a curve's or ramp's table
_PARTS = ("luminance", "r", "g", "b", "saturation", "value", "like", "one")


class Echoed(LayerRow):
    def reach(self, content: Echo) -> int:
        return _rise_reach(content) if content.part == "rise" else 2 if content.part == "bend" else 0

    def margin(self, content: Echo) -> int:
        return 2 if content.part == "bend" else 0

    def put(self, layer: Layer, canvas: Canvas, view: View) -> None:
        found = shown_on(layer, view)
        if found is None:
            return
        channel, shown = found
        echo = cast(Echo, layer.content)
        if view.covering:  # how far it covers does not depend on what it hears
            cover = np.ones(view.rect.shape, np.float32) if shown is None else shown
            lay_on(canvas, np.zeros_like(canvas.values), cover, "normal", view)
            return
        heard = _heard(layer, echo, view)
        mode = layer.blend_on(channel)
        by = view.steeper(channel)
        if canvas.alpha is None and shown is None and mode == "normal" and by == 1.0:
            echoed(heard, echo, view.spec.components, canvas.values)
            return
        values = echoed(heard, echo, view.spec.components)
        if by != 1.0:
            values = steepened(values, by, mode, view)
        alpha = np.ones(view.rect.shape, np.float32) if shown is None else shown
        if canvas.alpha is None:
            blend_arrays(canvas.values, values, alpha, MODE_NUMBERS[mode])
        else:
            lay_on(canvas, values, alpha, mode, view)


def _heard(layer: Layer, echo: Echo, view: View) -> F32:
    """(r, c, n) what an echo hears on a view."""
    if echo.source == PICTURE:
        return _of_picture(layer, echo, view)
    if echo.source == RULE:
        shape = RuleShape(cast(Rule, echo.rule))

        def measured(chunk: Chunk) -> U16:
            return RuleMask().measured(shape, Asked(Asking(view.sources, view.project, layer.id), view.sheet, chunk))

        found = gathered(view.rect, view.sheet.size, np.zeros((), np.uint16), measured)
        assert found is not None
        return found[..., None].astype(np.float32) / np.float32(65535)
    if echo.part == "rise":
        return _rises(layer, echo, view)
    heard = composite_below(view.sources, view.project, layer.id, echo.source, view.sheet, view.rect)
    return _bends(heard, layer.id, echo, view) if echo.part == "bend" else heard


def _of_picture(layer: Layer, echo: Echo, view: View) -> F32:
    """(r, c, 3) a kit picture as stored, repeated as a wash repeats it; (r, c, 1) of its alpha."""
    kit = kit_of(view.project, Channel("picture", picture=echo.picture), layer, view.sheet.key)
    flavour: Flavour = "data" if echo.part == "a" else "plain"
    wash = Wash(sampling=view.project.sampling_on(view.sheet.key, "smooth"))

    def drawn(chunk: Chunk) -> U16 | None:
        return (
            None if kit is None else washed_picture(view.sources, kit, wash, flavour, False, None, view.sheet, chunk)
        )

    found = gathered(view.rect, view.sheet.size, np.zeros(4, np.uint16), drawn)
    if found is None:
        found = np.zeros((*view.rect.shape, 4), np.uint16)
    part = found[..., 3:] if echo.part == "a" else found[..., :3]
    return np.ascontiguousarray(part, np.float32) / np.float32(65535)


def echoed(values: F32, echo: Echo, components: int, out: F32 | None = None) -> F32:
    """(r, c, components) what an echo makes of values (r, c, n), 0…1, colours encoded; written into ``out``."""
    part = "one" if values.shape[2] == 1 else echo.part
    if out is None:
        out = np.empty((*values.shape[:2], components), np.float32)
    _echo(
        np.ascontiguousarray(values), _PARTS.index(part), np.array(from_hex(echo.colour)), echo.near, LUMINANCE,
        echo.black, 1 / (echo.white - echo.black), 1 / echo.gamma, _table(echo), echo.invert, echo.low,
        echo.high - echo.low, out,
    )  # fmt: skip
    return out


def _table(echo: Echo) -> F32:
    """(steps, 3) what q becomes, before ``low`` and ``high``: through the curve, turned over, along the ramp.

    None (0, 3) where that is q itself, or turned over.
    """
    if not echo.curve and not echo.ramp:
        return np.zeros((0, 3), np.float32)
    q = np.linspace(0, 1, _STEPS + 1)
    if echo.curve:
        q = np.interp(q, *np.array(echo.curve).T)
    if echo.invert:
        q = 1 - q
    if not echo.ramp:
        return np.repeat(q[:, None], 3, axis=1).astype(np.float32)
    places = [place for place, _ in echo.ramp]
    colours = np.array([from_hex(colour) for _, colour in echo.ramp])
    return np.stack([np.interp(q, places, colours[:, k]) for k in range(3)], axis=1).astype(np.float32)


def _bends(normals: F32, layer: int, echo: Echo, view: View) -> F32:
    """(r, c, 1) how far normals turn apart from texel to texel, over seams too; ½ where they do not."""

    def fetch(key: SheetKey, chunk: Chunk) -> F32:
        other = view.sources.surface.sheet(key, view.project.size_of(key))
        return composite_below(view.sources, view.project, layer, echo.source, other, rect_of(chunk, other.size))

    around = Around(view.sources, view.project.size_of, view.sheet, view.rect, fetch, True)
    out = np.full((*normals.shape[:2], 1), 0.5, np.float32)
    for island in around.each(normals, 2):
        spread = bends(island.values)[island.inner]
        out[island.box][island.mine] = spread[island.mine]
    return out


def _rise_reach(echo: Echo) -> int:
    return math.ceil(FALLS_OFF * echo.wide)


def _rises(layer: Layer, echo: Echo, view: View) -> F32:
    """(r, c, 1) ½ + how high the surface stands that has the normals below, over seams too."""
    sources, project, reach = view.sources, view.project, _rise_reach(echo)
    wide = view.rect.grown(reach, view.sheet.size)

    def fetch(key: SheetKey, chunk: Chunk) -> F32:
        other = sources.surface.sheet(key, project.size_of(key))
        return composite_below(sources, project, layer.id, echo.source, other, rect_of(chunk, other.size))

    def make() -> F32:
        key, size = view.sheet.key, view.sheet.size
        normals = gathered(wide, size, np.zeros(3, np.float32), lambda chunk: fetch(key, chunk))
        assert normals is not None
        # Texels of a sheet of the project's size, as relief counts them.
        wider, higher = (project.sheet_size.width / size.width, project.sheet_size.height / size.height)
        long = higher / wider
        inner, lift = view.rect.within(wide), np.zeros((*wide.shape, 1), np.float32)
        wanted = np.zeros(wide.shape, np.bool_)
        wanted[inner] = True
        for island in Around(sources, project.size_of, view.sheet, wide, fetch, True).each(normals, reach):
            if (wanted[island.box] & island.mine).any():
                found = risen(island.values, island.known, echo.wide, long)[island.inner]
                lift[island.box][island.mine, 0] = found[island.mine]
        return np.asarray(np.clip(lift[inner] * np.float32(wider / echo.tall) + np.float32(0.5), 0, 1), np.float32)

    kept = ("rise", layer.id, view.sheet.key, view.sheet.size, view.rect)
    below = sources.grounds.of_below(project, layer.id, frozenset((echo.source,)))
    ground = (below, (echo.source, echo.wide, echo.tall))
    return sources.below.like(kept, ground, make, lambda made: made.nbytes)


def bends(normals: F32) -> F32:
    """(r, c, 1) ½ + half the mean slope of stored normals' x to the right and y upwards: bright on ridges."""
    lean = normals[..., :2] * 2 - 1
    padded = np.pad(lean, ((1, 1), (1, 1), (0, 0)), mode="edge")
    across = padded[1:-1, 2:, 0] - padded[1:-1, :-2, 0]
    upward = padded[:-2, 1:-1, 1] - padded[2:, 1:-1, 1]
    return np.asarray(np.clip(0.5 + (across + upward) / 4, 0, 1)[..., None], np.float32)


@kernel
def _echo(
    values: F32, part: int, colour: F64, near: float, weights: F64, black: float, slope: float, power: float,
    table: F32, turned: bool, low: float, span: float, out: F32,
) -> None:  # fmt: skip
    """``table`` (0, 3) stands for q as it is, or ``turned`` over."""
    # Numbers of one kind, and one question a row: the loops over texels then run several at a time.
    b, s, lowest, wide = np.float32(black), np.float32(slope), np.float32(low), np.float32(span)
    w0, w1, w2, raised = np.float32(weights[0]), np.float32(weights[1]), np.float32(weights[2]), np.float32(power)
    zero, one = np.float32(0), np.float32(1)
    steps, components, count = table.shape[0] - 1, out.shape[2], values.shape[1]
    x = np.empty(count, np.float32)
    for r in range(values.shape[0]):
        if part == 0:
            for k in range(count):
                x[k] = values[r, k, 0] * w0 + values[r, k, 1] * w1 + values[r, k, 2] * w2
        elif part <= 3 or part == 7:
            c = part - 1 if part <= 3 else 0
            for k in range(count):
                x[k] = values[r, k, c]
        elif part == 6:
            for k in range(count):
                away = np.sqrt(
                    (values[r, k, 0] - colour[0]) ** 2
                    + (values[r, k, 1] - colour[1]) ** 2
                    + (values[r, k, 2] - colour[2]) ** 2
                )
                x[k] = max(1 - away / near, 0.0)
        else:
            for k in range(count):
                red, green, blue = values[r, k, 0], values[r, k, 1], values[r, k, 2]
                most = max(red, green, blue)
                x[k] = most if part == 5 or most <= 0 else (most - min(red, green, blue)) / most
        for k in range(count):
            x[k] = min(max((x[k] - b) * s, zero), one)
        if power != 1:
            for k in range(count):
                x[k] = x[k] ** raised
        if steps < 0:
            start, scale = (lowest + wide, -wide) if turned else (lowest, wide)
            for k in range(count):
                for c in range(components):
                    out[r, k, c] = start + scale * x[k]
            continue
        for k in range(count):
            at = x[k] * np.float32(steps)
            cell = min(int(at), steps - 1)
            share = at - np.float32(cell)
            for c in range(components):
                out[r, k, c] = lowest + wide * (table[cell, c] + share * (table[cell + 1, c] - table[cell, c]))
