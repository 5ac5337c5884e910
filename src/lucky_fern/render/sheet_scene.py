"""Drawing the sheets flat: every tile where it lies in UV space, with wires."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import moderngl
import numpy as np

from lucky_fern.core.arrays import F32, F64, I32
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of
from lucky_fern.render.calls import calls_of
from lucky_fern.render.model_scene import BLEND_KEEPING_ALPHA, CHECKER_TEXELS
from lucky_fern.render.shaders import source
from lucky_fern.render.textures import MAP_NUMBERS, UNITS, SheetTextures
from lucky_fern.render.tint import Tint
from lucky_fern.render.uniforms import uniform

GAP = 0.12  # between the blocks of two materials, in tiles


class TileMap:
    """Where each sheet lies on the plane that the view looks at: materials side by side, tiles as in UV.

    Plane units are the longer sides of tiles, x to the right, y up. Texels are square there: the tiles of a material
    have the proportions of its sheets, unless those differ.
    """

    def __init__(self, keys: tuple[SheetKey, ...], sizes: Mapping[SheetKey, Extent] | None = None) -> None:
        self.origin: dict[str, F64] = {}
        self.unit: dict[str, F64] = {}  # how wide and high a tile of a material is
        self.keys = keys
        x = 0.0
        for material in dict.fromkeys(key.material for key in keys):
            mine = [key for key in keys if key.material == material]
            corners = np.array([corner_of(key.tile) for key in mine])
            low, high = corners.min(axis=0), corners.max(axis=0) + 1
            known = [sizes[key] for key in mine if sizes is not None and key in sizes]
            shapes = {(size.width / size.longest, size.height / size.longest) for size in known}
            unit = np.array(shapes.pop() if len(shapes) == 1 else (1.0, 1.0))
            self.unit[material] = unit
            self.origin[material] = np.array([x, 0.0]) - low * unit
            x += float((high[0] - low[0]) * unit[0]) + GAP

    def corner(self, key: SheetKey) -> F64:
        """Lower left corner of a sheet on the plane."""
        return self.to_plane(key.material, np.array(corner_of(key.tile), np.float64))

    def bounds(self) -> F64:
        """(2, 2) lowest and highest corner of all sheets."""
        if not self.keys:
            return np.array([[0.0, 0.0], [1.0, 1.0]])
        corners = np.array([self.corner(key) for key in self.keys])
        ends = corners + np.array([self.unit[key.material] for key in self.keys])
        return np.stack([corners.min(axis=0), ends.max(axis=0)])

    def to_plane(self, material: str, uv: F64) -> F64:
        result: F64 = uv * self.unit[material] + self.origin[material]
        return result

    def sheet_at(self, point: F64) -> SheetKey | None:
        """The sheet under a point of the plane."""
        for key in self.keys:
            inside = (point - self.corner(key)) / self.unit[key.material]
            if (inside >= 0).all() and (inside < 1).all():
                return key
        return None

    def to_uv(self, key: SheetKey, point: F64) -> F64:
        result: F64 = (point - self.origin[key.material]) / self.unit[key.material]
        return result

    def __eq__(self, other: object) -> bool:
        return isinstance(other, TileMap) and self.keys == other.keys and all(
            np.array_equal(unit, other.unit[name]) for name, unit in self.unit.items()
        )  # fmt: skip

    __hash__ = None  # type: ignore[assignment]  # arrays inside


@dataclass(frozen=True)
class FlatCamera:
    """What of the plane is seen: its middle, and how many pixels a tile is wide."""

    middle: tuple[float, float] = (0.5, 0.5)
    scale: float = 400.0

    def to_screen(self, points: F64, width: float, height: float) -> F64:
        """Plane points (..., 2) to pixels from the top left."""
        offset = (points - np.asarray(self.middle)) * self.scale
        return np.stack([width / 2 + offset[..., 0], height / 2 - offset[..., 1]], axis=-1)

    def to_plane(self, x: float, y: float, width: float, height: float) -> F64:
        return np.array([
            self.middle[0] + (x - width / 2) / self.scale, self.middle[1] - (y - height / 2) / self.scale
        ])  # fmt: skip

    def panned(self, dx: float, dy: float) -> FlatCamera:
        """Follow a drag of so many pixels."""
        return replace(self, middle=(self.middle[0] - dx / self.scale, self.middle[1] + dy / self.scale))

    def zoomed(self, factor: float, x: float, y: float, width: float, height: float, most: float) -> FlatCamera:
        """Zoom about a pixel; ``most`` is the largest scale."""
        scale = float(np.clip(self.scale * factor, 24.0, most))
        under = self.to_plane(x, y, width, height)
        return FlatCamera(
            (float(under[0] - (x - width / 2) / scale), float(under[1] + (y - height / 2) / scale)), scale
        )

    @staticmethod
    def framing(bounds: F64, width: float, height: float) -> FlatCamera:
        """Everything in view with a little room around."""
        extent = bounds[1] - bounds[0]
        scale = float(min(width / (extent[0] * 1.08), height / (extent[1] * 1.08)))
        middle = bounds.mean(axis=0)
        return FlatCamera((float(middle[0]), float(middle[1])), max(scale, 24.0))


def wire_ends(surface: Surface, plane: TileMap) -> F32:
    """(N, 2, 3) both ends of the edges of all faces as they lie on the plane."""
    model, edges, pieces = surface.model, surface.model.outline_edges, [np.zeros((0, 2, 3), np.float32)]
    number = surface.sheet_of_triangle[edges[:, 0]]
    for at, key in enumerate(surface.keys):
        mine = edges[number == at]
        ends = np.zeros((len(mine), 2, 3), np.float32)
        for end in (0, 1):
            ends[:, end, :2] = plane.to_plane(key.material, model.uv[mine[:, 0], mine[:, end + 1]])
        pieces.append(ends)
    return np.concatenate(pieces)


class SheetScene:
    """The flat view's buffers in one context."""

    def __init__(self, context: moderngl.Context, surface: Surface, plane: TileMap) -> None:
        self.context = context
        self.surface = surface
        self.plane = plane
        self._program = context.program(source("sheet.vert"), source("sheet.frag"))
        self._lines = context.program(source("line.vert"), source("line.frag"))
        square = context.buffer(np.array([0, 0, 1, 0, 0, 1, 1, 1], np.float32))
        self._square = context.vertex_array(self._program, [(square, "2f", "in_corner")])
        # Nearest when magnified, so that single texels can be seen; the mips are those of the texture.
        self._samplers = {unit: context.sampler(filter=(moderngl.LINEAR_MIPMAP_LINEAR, moderngl.NEAREST))
                          for unit in UNITS.values()}  # fmt: skip
        for sampler in self._samplers.values():
            sampler.repeat_x = sampler.repeat_y = False
        self._owned: list[Any] = [self._program, self._lines, square, self._square, *self._samplers.values()]
        self._wires: moderngl.VertexArray | None = None
        self.tint = Tint(context)
        for name, unit in UNITS.items():
            if name in self._program:
                uniform(self._program, name).value = unit

    def put_wires(self, ends: F32) -> None:
        """Take the wires, as :func:`wire_ends` gives them."""
        if len(ends):
            buffer = self.context.buffer(ends)
            self._wires = self.context.vertex_array(self._lines, [(buffer, "3f", "in_position")])
            self._owned += [buffer, self._wires]

    def draw(
        self, camera: FlatCamera, width: float, height: float, shown_map: str | None, wires: bool,
        textures: SheetTextures, size_of: Mapping[SheetKey, Extent], ground: tuple[float, float, float],
        wire_ink: tuple[float, float, float, float], checker: bool = False,
        against: str | None = None, false_colours: bool = False,
    ) -> None:  # fmt: skip
        """Draw into the framebuffer in use; lengths in pixels."""
        context = self.context
        context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        context.clear(*ground, 1.0)
        shown = -1 if checker else MAP_NUMBERS[shown_map or "colour"]
        uniform(self._program, "shown").value = shown
        uniform(self._program, "other").value = -1 if against is None else MAP_NUMBERS[against]
        uniform(self._program, "falsely").value = false_colours
        for key in self.surface.keys:
            low = camera.to_screen(self.plane.corner(key), width, height)
            wide, high = (camera.scale * self.plane.unit[key.material]).tolist()
            place = low[0] / width * 2 - 1, 1 - low[1] / height * 2, wide / width * 2, high / height * 2
            uniform(self._program, "place").value = tuple(float(v) for v in place)
            size = size_of[key]
            uniform(self._program, "squares").value = size.width / CHECKER_TEXELS, size.height / CHECKER_TEXELS
            for name, texture in textures.of(key, size).items():
                texture.use(UNITS[name])
                self._samplers[UNITS[name]].use(UNITS[name])
            calls_of(context).draw(self._square, moderngl.TRIANGLE_STRIP)
        for unit, sampler in self._samplers.items():
            sampler.clear(unit)
        to_clip = self._to_clip(camera, width, height)
        self.tint.draw(to_clip)
        if wires and self._wires is not None:
            self._draw_wires(self._wires, to_clip, wire_ink)

    def plane_corners(self, triangles: I32, uv: F64 | None = None) -> F64:
        """(N, 3, 3) the given rows of the model as they lie on the plane, or would with other UVs (T, 3, 2).

        Rows without a sheet are not numbers, and are not drawn.
        """
        number = self.surface.sheet_of_triangle[triangles]
        corners = np.zeros((len(triangles), 3, 3))
        origin = np.array([*(self.plane.origin[key.material] for key in self.surface.keys), (np.nan, np.nan)])
        unit = np.array([*(self.plane.unit[key.material] for key in self.surface.keys), (1.0, 1.0)])
        laid = (self.surface.model.uv if uv is None else uv)[triangles]
        corners[..., :2] = laid * unit[number][:, None] + origin[number][:, None]
        return corners

    @staticmethod
    def _to_clip(camera: FlatCamera, width: float, height: float) -> bytes:
        sx, sy = camera.scale / width * 2, camera.scale / height * 2
        matrix = np.eye(4, dtype=np.float32)
        matrix[0, 0], matrix[1, 1] = sx, sy
        matrix[0, 3], matrix[1, 3] = -camera.middle[0] * sx, -camera.middle[1] * sy
        return np.ascontiguousarray(matrix.T).tobytes()

    def _draw_wires(
        self, wires: moderngl.VertexArray, to_clip: bytes, ink: tuple[float, float, float, float]
    ) -> None:
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = BLEND_KEEPING_ALPHA
        uniform(self._lines, "to_clip").write(to_clip)
        uniform(self._lines, "ink").value = ink
        calls_of(self.context).draw(wires, moderngl.LINES)
        self.context.disable(moderngl.BLEND)

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        if self._owned:
            self.tint.release()
        for item in self._owned:
            item.release()
        self._owned.clear()
