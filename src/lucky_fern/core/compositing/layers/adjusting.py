"""Adjustments: they change what is below."""

from __future__ import annotations

from typing import cast

import numpy as np

from lucky_fern.core.arrays import F32
from lucky_fern.core.compositing.around import Around
from lucky_fern.core.compositing.blend import MODE_NUMBERS, blend_arrays
from lucky_fern.core.compositing.canvas import Canvas, View, mix, shown_on
from lucky_fern.core.compositing.effects import effect_row, unit_normals
from lucky_fern.core.compositing.layer_row import LayerRow
from lucky_fern.core.compositing.stack import around_below
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.document import Adjustment, Layer
from lucky_fern.core.project.kinds import Effect


class Adjusting(LayerRow):
    def put(self, layer: Layer, canvas: Canvas, view: View) -> None:
        _adjust(layer, cast(Adjustment, layer.content), canvas, view)

    def reach(self, content: Adjustment) -> int:
        return content.effect.reach

    def margin(self, content: Adjustment) -> int:
        return 0 if content.effect.on_surface else content.effect.reach

    def lifts(self, content: Adjustment) -> bool:
        return content.effect.on_surface

    def in_space(self, content: Adjustment) -> bool:
        return content.effect.on_surface


def _adjust(layer: Layer, adjustment: Adjustment, canvas: Canvas, view: View) -> None:
    found = shown_on(layer, view)
    if found is None:
        return
    channel, shown = found
    effect = adjustment.effect
    around = around_below(layer, view, canvas) if effect.reach else None
    if canvas.weighs(view) and around is not None:
        _isolated(canvas, effect, view, around, shown)
        return
    corner = (view.rect.top, view.rect.left)
    new = effect_row(effect).apply_at(canvas.values, effect, view.spec, around, corner)
    alpha = np.ones(view.rect.shape, np.float32) if shown is None else shown
    mode = MODE_NUMBERS["normal" if view.spec.directional else layer.blend_on(channel)]
    blend_arrays(canvas.values, np.ascontiguousarray(new, np.float32), alpha, mode)
    if view.spec.directional and shown is not None:
        canvas.values[:] = unit_normals(canvas.values)  # halfway between two directions is one, not a shorter one


def _isolated(canvas: Canvas, effect: Effect, view: View, around: Around, shown: F32 | None) -> None:
    """Change a canvas that began with nothing: light as far as it covers, and how far it covers."""
    assert canvas.alpha is not None
    before = Canvas(canvas.values.copy(), canvas.alpha.copy())
    scalar = MAPS["height"]
    weighted = np.concatenate([canvas.values * canvas.alpha[..., None], canvas.alpha[..., None]], axis=2)
    soft = effect_row(effect).apply(weighted, effect, scalar, around)
    cover = np.clip(soft[..., -1], 0, 1)
    canvas.values[:] = np.divide(
        soft[..., :-1], soft[..., -1:], out=np.zeros_like(canvas.values), where=soft[..., -1:] > 1e-6
    )
    np.clip(canvas.values, 0, 1, out=canvas.values)
    canvas.alpha[:] = cover
    if shown is not None:
        mix(before, canvas, shown, view)
