"""Pictures of the sheets, as a view wants them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import moderngl
import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.render.sheet_scene import FlatCamera, SheetScene, TileMap
from lucky_fern.render.textures import SheetTextures
from lucky_fern.render.tint import Coloured

_WIRE_INK = (0.08, 0.08, 0.08, 0.17)


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
        self._tinted: tuple[Coloured | None, F64 | None] = (None, None)

    def draw(
        self, picture: SheetPicture, textures: SheetTextures | None, sizes: Mapping[SheetKey, Extent]
    ) -> bool:  # fmt: skip
        """Draw into the framebuffer in use."""
        surface = picture.surface
        if surface is None or textures is None:
            self._context.clear(*picture.ground, 1.0)
            return True
        scene = self._scene
        if scene is None or scene.surface is not surface or scene.plane is not picture.plane:
            self.release()
            scene = self._scene = SheetScene(self._context, surface, picture.plane)
        coloured, uv = picture.coloured, picture.uv
        if self._tinted[0] is not coloured or self._tinted[1] is not uv:
            self._tinted = (coloured, uv)
            if coloured is None:
                scene.tint.show(np.zeros((0, 3, 3)), np.zeros((0, 4)))
            else:
                scene.tint.show(scene.plane_corners(coloured.triangles, uv), coloured.colours)
        scene.draw(
            picture.camera, picture.width, picture.height, picture.shown_map, picture.wires, textures, sizes,
            picture.ground, _WIRE_INK, picture.checker, picture.against, picture.false_colours,
        )  # fmt: skip
        return True

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        if self._scene is not None:
            self._scene.release()
        self._scene, self._tinted = None, (None, None)
