"""Pictures of the sheets, as a view wants them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

import moderngl
import numpy as np

from lucky_fern.core.arrays import F32, F64
from lucky_fern.core.parallel import Aside
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.render.sheet_scene import FlatCamera, SheetScene, TileMap, wire_ends
from lucky_fern.render.textures import SheetTextures
from lucky_fern.render.tint import Coloured

_WIRE_INK = (0.08, 0.08, 0.08, 0.17)
_MANY = 100_000  # triangles whose wires nobody waits for
_DENSE, _LOOSE = 0.6, 1.5  # pixels between wires, on the average, up to which none and from which all are seen


@dataclass(frozen=True)
class SheetPicture:
    """All sheets (without a surface: the ground alone) as a flat camera sees them; lengths in pixels.

    ``uv`` (T, 3, 2) are where coloured triangles lie for a while. Arrays are compared by identity.
    """

    surface: Surface | None
    plane: TileMap
    camera: FlatCamera
    width: float
    height: float
    ground: tuple[float, float, float]
    shown_map: str | None = None
    against: str | None = None
    false_colours: bool = False
    wires: bool = True
    checker: bool = False
    uv: F64 | None = None
    coloured: Coloured | None = None


class SheetPainter:
    """Keeps the scene of the last surface. Owns what it makes in one context."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._scene: SheetScene | None = None
        self._wires: Aside[F32] | None = None
        self._put = False  # whether the scene has its wires
        self._tinted: tuple[Coloured | None, F64 | None] = (None, None)

    def draw(
        self, picture: SheetPicture, textures: SheetTextures | None, sizes: Mapping[SheetKey, Extent]
    ) -> bool:  # fmt: skip
        """Draw into the framebuffer in use; False while the wires of a large model are still being gathered."""
        surface = picture.surface
        if surface is None or textures is None:
            self._context.clear(*picture.ground, 1.0)
            return True
        scene = self._scene
        if scene is None or scene.surface is not surface or scene.plane is not picture.plane:
            self.release()
            scene = self._scene = SheetScene(self._context, surface, picture.plane)
            self._wires, self._put = None, False
        strength = _strength(surface, picture.camera) if picture.wires else 0.0
        whole = strength <= 0 or self._put_wires(scene)
        coloured, uv = picture.coloured, picture.uv
        if self._tinted[0] is not coloured or self._tinted[1] is not uv:
            self._tinted = (coloured, uv)
            if coloured is None:
                scene.tint.show(np.zeros((0, 3, 3)), np.zeros((0, 4)))
            else:
                scene.tint.show(scene.plane_corners(coloured.triangles, uv), coloured.colours)
        ink = (*_WIRE_INK[:3], _WIRE_INK[3] * strength)
        scene.draw(
            picture.camera, picture.width, picture.height, picture.shown_map, strength > 0, textures, sizes,
            picture.ground, ink, picture.checker, picture.against, picture.false_colours,
        )  # fmt: skip
        return whole

    def _put_wires(self, scene: SheetScene) -> bool:
        """Have the scene take its wires; False while those of many faces are still being gathered."""
        if not self._put:
            if self._wires is None:
                self._wires = Aside("fern-wires", partial(wire_ends, scene.surface, scene.plane))
            found = self._wires.found(0.0 if scene.surface.model.triangle_count > _MANY else None)
            if found is not None:
                scene.put_wires(found)
                self._wires, self._put = None, True
        return self._put

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        if self._scene is not None:
            self._scene.release()
        self._scene, self._wires, self._put, self._tinted = None, None, False, (None, None)


def _strength(surface: Surface, camera: FlatCamera) -> float:
    """How dark wires are, 0…1: where they would lie side by side they would hide what they run over."""
    between = camera.scale * math.sqrt(max(len(surface.keys), 1) / max(surface.model.triangle_count, 1))
    return min(max((between - _DENSE) / (_LOOSE - _DENSE), 0.0), 1.0)
