"""Drawing the model: shaded, flat, or one map alone; with wires and seams."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from lucky_fern.core.arrays import F64, I32, Array, Bool
from lucky_fern.core.once import once
from lucky_fern.core.project.light import EVERY, Numbers
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of
from lucky_fern.render import environment
from lucky_fern.render.bloom import Bloom
from lucky_fern.render.calls import calls_of
from lucky_fern.render.camera import Camera
from lucky_fern.render.shaders import source
from lucky_fern.render.shadows import Shadows
from lucky_fern.render.textures import MAP_NUMBERS, UNITS, SheetTextures
from lucky_fern.render.tint import Tint
from lucky_fern.render.uniforms import uniform
from lucky_fern.render.whole import Whole

_RGB16F = 0x881B
_GLOW = 4  # the look that draws what glows alone
SHADED, FLAT = "shaded", "flat"
GAINS = ("lamp_gain", "ambient_gain", "specular_gain", "gloss_gain", "fresnel_gain", "glow_gain", "exposure")
_LAMP = (-0.5, 0.75, 0.6)  # where it stands unless it is turned
CHECKER_TEXELS = 64  # across a square of the checker
_REFLECTIONS_UNIT, _LAMP_UNIT, _OPEN_UNIT, _BEHIND_UNIT = (len(UNITS) + number for number in range(4))
# The frame stays opaque: what is drawn half transparent must not let the window shine through.
BLEND_KEEPING_ALPHA: Any = (moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA, moderngl.ONE, moderngl.ONE)


@dataclass(frozen=True)
class Look:
    """How the model is drawn; ``lamp_deg`` turns the light round the vertical axis.

    The gains say how many times as strong the lamp, the surroundings, highlights, gloss, the shine of grazing angles
    and what glows are; ``exposure`` goes over all. ``surroundings`` is one of :data:`.environment.KINDS`, ``bloom``
    how strongly what glows shines beyond itself. ``shadows``: parts throw them, and crevices get less light.
    ``sky_deg`` turns the surroundings alone; ones of one's own are seen ``behind`` the model, softly by ``blur``.
    ``numbers`` (material or "" for all others → numbers) shade as older games do, in place of metal and roughness.
    ``front_only`` leaves out faces that look away, so that one sees into what is closed.
    """

    shading: str = SHADED
    shown_map: str | None = None
    against: str | None = None  # the map that the shown one's difference from is looked at
    false_colours: bool = False
    wires: bool = False
    seams: bool = False
    checker: bool = False
    front_only: bool = False
    lamp_gain: float = 1.0
    ambient_gain: float = 1.0
    specular_gain: float = 1.0
    gloss_gain: float = 1.0
    fresnel_gain: float = 1.0
    glow_gain: float = 1.0
    exposure: float = 1.0
    surroundings: str = environment.STUDIO
    shadows: bool = False
    bloom: float = 0.0
    lamp_deg: float = 0.0
    sky_deg: float = 0.0
    behind: bool = True
    blur: float = 0.3
    numbers: tuple[tuple[str, Numbers], ...] = ()
    backdrop_low: tuple[float, float, float] = (0.60, 0.60, 0.60)
    backdrop_high: tuple[float, float, float] = (0.74, 0.74, 0.74)
    wire_ink: tuple[float, float, float, float] = (0.1, 0.1, 0.1, 0.35)
    seam_ink: tuple[float, float, float, float] = (0.85, 0.25, 0.1, 1.0)
    line_ink: tuple[float, float, float, float] = (0.13, 0.45, 0.3, 0.55)


@dataclass(frozen=True)
class _Piece:
    """The faces of one sheet (None: of none) on the card."""

    key: SheetKey | None
    triangle: I32
    buffer: moderngl.Buffer
    array: moderngl.VertexArray


class ModelScene:
    """The model's buffers in one context. Owns what it makes; textures belong to :class:`SheetTextures`."""

    def __init__(self, context: moderngl.Context, surface: Surface) -> None:
        self.context = context
        self.surface = surface
        self._program = context.program(source("model.vert"), source("model.frag"))
        self._lines = context.program(source("line.vert"), source("line.frag"))
        self._backdrop = Whole(context, "backdrop.frag", "backdrop.vert")
        self._owned: list[moderngl.Buffer | moderngl.VertexArray | moderngl.Texture | moderngl.Program | Whole] = [
            self._program, self._lines, self._backdrop,
        ]  # fmt: skip
        self._pieces: list[_Piece] = []
        self._shadows: Shadows | None = None
        self.show_faces(None)
        self._air: tuple[moderngl.Buffer, moderngl.VertexArray] | None = None  # lines beside the surface
        self._panorama: tuple[str, moderngl.Texture] | None = None
        self._surroundings = environment.STUDIO
        self._reflections = self._make_reflections(self._surroundings)
        self.tint = Tint(context)
        self._bloom: Bloom | None = None
        units = {"reflections": _REFLECTIONS_UNIT, "lamp_depth": _LAMP_UNIT, "open": _OPEN_UNIT}
        for name, unit in {**UNITS, **units}.items():
            self._set(name, unit)
        uniform(self._program, "irradiance").write(environment.irradiance().tobytes())

    @once
    def _wires(self) -> moderngl.VertexArray | None:
        return self._edges(self.surface.model.outline_edges)

    @once
    def _seams(self) -> moderngl.VertexArray | None:
        return self._edges(self.surface.model.seam_edges)

    def _keep(self, made: moderngl.Buffer | moderngl.VertexArray) -> None:
        self._owned.append(made)

    def show_faces(self, shown: Bool | None) -> None:
        """Draw only some faces ((T,) bool) from now on; None for all."""
        for piece in self._pieces:
            for item in (piece.buffer, piece.array):
                self._owned.remove(item)
                item.release()
        self._pieces.clear()
        if self._shadows is not None:
            self._shadows.forget()
        surface = self.surface
        for key in surface.keys:
            self._add_piece(key, surface.placement.triangles[key], shown)
        bare = np.flatnonzero(surface.sheet_of_triangle < 0).astype(np.int32)
        self._add_piece(None, bare, shown)

    def _add_piece(self, key: SheetKey | None, triangle: I32, shown: Bool | None) -> None:
        triangle = triangle if shown is None else triangle[shown[triangle]]
        if not len(triangle):
            return
        buffer = self.context.buffer(self._vertices(key, triangle, self.surface.model.uv))
        layout = (buffer, "3f 3f 4f 2f", "in_position", "in_normal", "in_tangent", "in_uv")
        array = self.context.vertex_array(self._program, [layout])
        self._keep(buffer)
        self._keep(array)
        self._pieces.append(_Piece(key, triangle, buffer, array))

    def _vertices(self, key: SheetKey | None, triangle: I32, uv: F64) -> bytes:
        model = self.surface.model
        data = np.empty((len(triangle), 3, 12), np.float32)
        data[..., :3], data[..., 3:6] = model.corners[triangle], model.normals[triangle]
        data[..., 6:10] = model.tangents[triangle]
        data[..., 10:] = np.nan_to_num(uv[triangle]) - (corner_of(key.tile) if key is not None else (0, 0))
        return data.tobytes()

    def show_uv(self, uv: F64) -> None:
        """Draw with other UVs (T, 3, 2) for a while, each face with the sheet that it lay on."""
        for piece in self._pieces:
            piece.buffer.write(self._vertices(piece.key, piece.triangle, uv))

    def _edges(self, edges: I32) -> moderngl.VertexArray | None:
        if not len(edges):
            return None
        corners = self.surface.model.corners
        return self._line_array(
            np.stack([corners[edges[:, 0], edges[:, 1]], corners[edges[:, 0], edges[:, 2]]], axis=1)
        )[1]

    def _line_array(self, ends: F64) -> tuple[moderngl.Buffer, moderngl.VertexArray]:
        """Lines (N, 2, 3) on the card."""
        buffer = self.context.buffer(ends.astype(np.float32).tobytes())
        array = self.context.vertex_array(self._lines, [(buffer, "3f", "in_position")])
        self._keep(buffer)
        self._keep(array)
        return buffer, array

    def show_lines(self, ends: F64 | None) -> None:
        """Draw lines (N, 2, 3) in the air as well; None for none."""
        for item in self._air or ():
            self._owned.remove(item)
            item.release()
        self._air = None if ends is None or not len(ends) else self._line_array(ends)

    def _surround(self, kind: str) -> None:
        """Take other surroundings; they are worked out when they are first asked for."""
        if kind == self._surroundings or not environment.prepared(kind):
            return
        self._surroundings = kind
        self._owned.remove(self._reflections)
        self._reflections.release()
        self._reflections = self._make_reflections(kind)
        uniform(self._program, "irradiance").write(environment.irradiance(kind).tobytes())

    def _make_reflections(self, kind: str) -> moderngl.Texture:
        levels = environment.reflections(kind)
        texture = self.context.texture((environment.COLUMNS, environment.ROWS), 3, dtype="f2")
        calls = calls_of(self.context)
        calls.add_levels(texture, _RGB16F, environment.LEVELS - 1)
        for level, image in enumerate(levels):
            calls.write(texture, level, 0, 0, np.ascontiguousarray(image, np.float16))
        texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        texture.repeat_y = False
        self._owned.append(texture)
        return texture

    def _set(self, name: str, value: object) -> None:
        if name in self._program:  # the compiler drops what a look does not use
            uniform(self._program, name).value = value

    def draw(
        self,
        camera: Camera,
        aspect: float,
        look: Look,
        textures: SheetTextures | None,
        size_of: Mapping[SheetKey, Extent],
    ) -> None:
        """Draw into the framebuffer in use."""
        context = self.context
        context.clear(*look.backdrop_high, 1.0, depth=1.0)
        context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        uniform(self._backdrop.program, "low").value = look.backdrop_low
        uniform(self._backdrop.program, "high").value = look.backdrop_high
        own = self._behind(look)
        self._put_behind("own", own)
        if own:
            right, up, back = camera.axes
            half = float(np.tan(np.radians(camera.field_deg) / 2))
            self._put_behind("right", tuple(right * half * aspect))
            self._put_behind("above", tuple(up * half))
            self._put_behind("back", tuple(back))
            self._put_behind("sky_turn", float(-np.radians(look.lamp_deg + look.sky_deg)))
            self._put_behind("softness", look.blur * 7.0)
            self._put_behind("exposure", look.exposure * look.ambient_gain)
        self._backdrop.draw()
        context.enable(moderngl.DEPTH_TEST)
        to_clip = _columns(camera.projection(aspect, self.surface.model.diagonal) @ camera.view())
        uniform(self._program, "to_clip").write(to_clip)
        self._set("eye", tuple(camera.eye))
        self._set("eye_direction", tuple(camera.axes[2]))
        self._set("parallel", camera.parallel)
        angle = np.radians(look.lamp_deg)
        x, y, z = _LAMP
        cos, sin = float(np.cos(angle)), float(np.sin(angle))
        lamp = (cos * x + sin * z, y, cos * z - sin * x)
        self._set("lamp", lamp)
        self._set("turn", float(-np.radians(look.lamp_deg + look.sky_deg)))
        for name in GAINS:
            self._set(name, float(getattr(look, name)))
        mode = 3 if look.checker else 2 if look.shown_map is not None else (1 if look.shading == FLAT else 0)
        self._set("look", mode)
        self._set("shown", MAP_NUMBERS[look.shown_map] if look.shown_map is not None else 0)
        self._set("other", -1 if look.against is None else MAP_NUMBERS[look.against])
        self._set("falsely", look.false_colours)
        self._surround(look.surroundings)
        self._reflections.use(_REFLECTIONS_UNIT)
        if look.front_only:
            context.enable(moderngl.CULL_FACE)
        self._set("shadows", look.shadows and mode == 0)
        if look.shadows and mode == 0:
            self._throw_shadows(camera, aspect, lamp)
            context.enable(moderngl.DEPTH_TEST)
        self._draw_pieces(textures, size_of, look)
        context.disable(moderngl.CULL_FACE)
        self.tint.draw(to_clip)
        if look.wires:
            self._draw_lines(self._wires, to_clip, look.wire_ink)
        if look.seams:
            self._draw_lines(self._seams, to_clip, look.seam_ink)
        if self._air is not None:
            self._draw_lines(self._air[1], to_clip, look.line_ink)
        context.disable(moderngl.DEPTH_TEST)
        if look.bloom > 0 and mode == 0:
            self._bloom = self._bloom or Bloom(context)
            self._set("look", _GLOW)
            self._bloom.put_over(lambda: self._draw_pieces(textures, size_of, look), look.bloom)

    def _throw_shadows(self, camera: Camera, aspect: float, lamp: tuple[float, float, float]) -> None:
        """Draw what shadows are read from, and hand it to the program."""
        if self._shadows is None:
            self._shadows = Shadows(self.context, self.surface.model.bounds, self._draw_positions)
        shadows = self._shadows
        shadows.prepare(camera, aspect, lamp)
        assert shadows.open is not None
        shadows.lamp_depth.use(_LAMP_UNIT)
        shadows.open.use(_OPEN_UNIT)
        uniform(self._program, "to_lamp").write(_columns(shadows.to_lamp))
        self._set("lamp_texel", shadows.texel)
        self._set("viewport", tuple(float(number) for number in self.context.fbo.viewport))

    def _draw_positions(self, program: moderngl.Program) -> None:
        """All faces by another program, which needs to know no more than where they are."""
        for piece in self._pieces:
            array = self.context.vertex_array(program, [(piece.buffer, "3f 36x", "in_position")])
            calls_of(self.context).draw(array, moderngl.TRIANGLES)
            array.release()

    def _set_numbers(self, look: Look, key: SheetKey | None) -> None:
        """What a material is in older games, where that is how it is shaded."""
        self._set("by_numbers", bool(look.numbers))
        if look.numbers:
            known = dict(look.numbers)
            one = known.get(key.material if key is not None else EVERY, known.get(EVERY, Numbers()))
            self._set("weights", (one.ambient, one.diffuse, one.specular, one.power))
            self._set("fresnel", (one.fresnel_min, one.fresnel_max, one.fresnel_power))

    def _behind(self, look: Look) -> bool:
        """Have a panorama ready that is seen behind the model; whether there is one."""
        if not look.behind or not environment.is_own(look.surroundings) or not environment.known(look.surroundings):
            return False
        if self._panorama is None or self._panorama[0] != look.surroundings:
            if self._panorama is not None:
                self._owned.remove(self._panorama[1])
                self._panorama[1].release()
            image = environment.behind(look.surroundings)
            rows, columns = image.shape[:2]
            texture = self.context.texture((columns, rows), 3, np.ascontiguousarray(image, np.float16), dtype="f2")
            texture.build_mipmaps()
            texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
            texture.repeat_y = False
            self._owned.append(texture)
            self._panorama = look.surroundings, texture
        self._panorama[1].use(_BEHIND_UNIT)
        self._put_behind("panorama", _BEHIND_UNIT)
        return True

    def _put_behind(self, name: str, value: object) -> None:
        if name in self._backdrop.program:  # the compiler drops what is not used
            uniform(self._backdrop.program, name).value = value

    def _draw_pieces(self, textures: SheetTextures | None, size_of: Mapping[SheetKey, Extent], look: Look) -> None:
        """All faces as the program is set."""
        for piece in self._pieces:
            key = piece.key
            painted = key is not None and textures is not None
            self._set("painted", painted)
            self._set_numbers(look, key)
            if painted:
                assert key is not None and textures is not None
                self._set("squares", (size_of[key].width / CHECKER_TEXELS, size_of[key].height / CHECKER_TEXELS))
                for name, texture in textures.of(key, size_of[key]).items():
                    texture.use(UNITS[name])
            calls_of(self.context).draw(piece.array, moderngl.TRIANGLES)

    def _draw_lines(self, lines: moderngl.VertexArray | None, to_clip: bytes, ink: tuple[float, ...]) -> None:
        if lines is None:
            return
        self.context.enable(moderngl.BLEND)
        self.context.blend_func = BLEND_KEEPING_ALPHA
        uniform(self._lines, "to_clip").write(to_clip)
        uniform(self._lines, "ink").value = ink
        self.context.depth_func = "<="  # a seam runs along a wire: at the same depth the later one shows
        calls_of(self.context).draw(lines, moderngl.LINES)
        self.context.depth_func = "<"
        self.context.disable(moderngl.BLEND)

    def release(self) -> None:
        """Give everything back to the card; harmless when done twice."""
        if self._owned:
            self.tint.release()
            if self._bloom is not None:
                self._bloom.release()
                self._bloom = None
            if self._shadows is not None:
                self._shadows.release()
                self._shadows = None
        for item in self._owned:
            item.release()
        self._owned.clear()


def _columns(matrix: F64 | Array) -> bytes:
    """A matrix as OpenGL reads it."""
    return np.ascontiguousarray(matrix.T, np.float32).tobytes()
