"""Pictures of the model, as a view wants them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import moderngl
import numpy as np

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.render import environment
from lucky_fern.render.camera import Camera
from lucky_fern.render.model_scene import Look, ModelScene
from lucky_fern.render.textures import SheetTextures
from lucky_fern.render.tint import Coloured


@dataclass(frozen=True)
class ModelPicture:
    """The model (None: the backdrop alone) as a camera sees it.

    ``shown`` (T,) leaves out faces, ``uv`` (T, 3, 2) take the place of the model's own for a while. Arrays are
    compared by identity: whoever changes one hands over another. ``lines`` (N, 2, 3) are drawn in the air.
    """

    surface: Surface | None
    camera: Camera
    aspect: float
    look: Look
    shown: Bool | None = None
    uv: F64 | None = None
    coloured: Coloured | None = None
    lines: F64 | None = None


_NOTHING = (None, None, None, None)  # faces left out, UVs for a while, colours, lines: what a scene begins with


class ModelPainter:
    """Keeps the scene of the last surface. Owns what it makes in one context."""

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._scene: ModelScene | None = None
        self._put: tuple[Bool | None, F64 | None, Coloured | None, F64 | None] = _NOTHING  # as the scene shows them

    def draw(
        self, picture: ModelPicture, textures: SheetTextures | None, sizes: Mapping[SheetKey, Extent]
    ) -> bool:  # fmt: skip
        """Draw into the framebuffer in use; False while the light is still being worked out."""
        surface = picture.surface
        if surface is None or not environment.prepared():
            self._context.clear(*picture.look.backdrop_high, 1.0)
            return surface is None
        scene = self._scene
        if scene is None or scene.surface is not surface:
            self.release()
            scene = self._scene = ModelScene(self._context, surface)
        shown, uv, coloured, lines = self._put
        if shown is not picture.shown:
            scene.show_faces(picture.shown)
            uv = None  # faces that are made anew lie where the model has them
        if uv is not picture.uv:
            scene.show_uv(surface.model.uv if picture.uv is None else picture.uv)
        if coloured is not picture.coloured:
            scene.tint.show(*_corners(surface, picture.coloured))
        if lines is not picture.lines:
            scene.show_lines(picture.lines)
        self._put = picture.shown, picture.uv, picture.coloured, picture.lines
        scene.draw(picture.camera, picture.aspect, picture.look, textures, sizes)
        return True

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        if self._scene is not None:
            self._scene.release()
        self._scene, self._put = None, _NOTHING


def _corners(surface: Surface, coloured: Coloured | None) -> tuple[F64, F64]:
    if coloured is None:
        return np.zeros((0, 3, 3)), np.zeros((0, 4))
    return surface.model.corners[coloured.triangles], coloured.colours
