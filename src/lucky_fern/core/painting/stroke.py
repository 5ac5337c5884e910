"""A stroke over the surface: how much of every texel it covers, sample by sample.

A texel is covered by a sample when its straight-line distance to it is under the radius and it faces within 90° of
the surface there, so a stroke crosses seams, tiles and materials as if they were not there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Bool, unit_rows
from lucky_fern.core.model.model import Model
from lucky_fern.core.painting.brush import Brush, sample_rows
from lucky_fern.core.painting.cover import add_samples, any_near, texel_boxes, to_nearest, touched_cells
from lucky_fern.core.painting.symmetry import Symmetry, ways_of
from lucky_fern.core.painting.tips import grain_field, pyramid
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, chunks_across, shape, span
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface

_MOST_SAMPLES = 200_000  # of one stroke; more would be a slip of the pen


class Place(NamedTuple):
    """A chunk of a sheet."""

    sheet: SheetKey
    chunk: Chunk


@dataclass(frozen=True)
class Covered:
    """What is covered at once, without a stroke, and how strongly."""

    coverage: dict[Place, F32]
    opacity: float = 1.0


@dataclass(frozen=True)
class Ground:
    """What a stroke is measured on: corners (T, 3, 3) and normals (T, 3, 3) of all triangles, balls round them."""

    corners: F64
    normals: F32
    middle: F64
    ball: F64


def surface_ground(model: Model) -> Ground:
    """The surface itself."""
    return Ground(model.corners, model.normals, *model.balls)


def sheet_ground(model: Model, material: str) -> Ground:
    """The UV space of a material, in tiles; other materials lie nowhere."""
    mine = (model.material == model.materials.index(material)) & model.has_uv
    corners = np.concatenate([model.uv, np.zeros((model.triangle_count, 3, 1))], axis=2)
    corners[~mine] = 1e9
    normals = np.zeros((model.triangle_count, 3, 3), np.float32)
    normals[..., 2] = 1
    middle = corners.mean(axis=1)
    return Ground(corners, normals, middle, np.sqrt(((corners - middle[:, None]) ** 2).sum(axis=2).max(axis=1)))


@dataclass
class _Way:
    """One of the ways that a stroke goes with its symmetry: a turn and a shift, and where its brush is."""

    turn: F64
    shift: F64
    last: tuple[F64, F64, float] | None = None
    left: float = 0.0  # of the way since the last sample


class Stroke:
    """Coverage that grows while a stroke is drawn: for each touched chunk (rows, columns) float32, 0…1."""

    def __init__(
        self, surface: Surface, size_of: Callable[[SheetKey], int], owners: Callable[[Sheet, Chunk], I32],
        brush: Brush, allowed: Bool | None = None, tip: F32 | None = None, symmetry: Symmetry | None = None,
        material: str | None = None,
    ) -> None:  # fmt: skip
        """``owners`` says which triangle owns each texel; ``allowed`` (T,) bool leaves out faces.

        ``tip`` (128, 128) is the brush's, if it has one; ``material`` the one whose UV space a brush on the sheet
        is round in: points then are (u, v, 0) and lengths in tiles.
        """
        self.surface, self.size_of, self.owners = surface, size_of, owners
        self.brush, self.allowed = brush, allowed
        self.coverage: dict[Place, F32] = {}
        self._fresh: set[Place] = set()  # what changed since it was last taken
        self.samples = 0
        flat = brush.ground == "sheet" and material is not None
        self._ground = sheet_ground(surface.model, material or "") if flat else surface_ground(surface.model)
        self._flat = flat
        ways = [(np.eye(3), np.zeros(3))] if symmetry is None or flat else ways_of(symmetry)
        self._ways = [_Way(turn, shift) for turn, shift in ways]
        self._tip, self._starts = pyramid(np.ones((1, 1), np.float32) if tip is None else tip)
        self._has_tip = tip is not None

    @property
    def opacity(self) -> float:
        return self.brush.opacity

    def go_to(self, point: F64, normal: F64, pressure: float = 1.0) -> None:
        """Draw on to a point of the surface.

        Samples lie evenly along the way, the first of a stroke at its beginning.
        """
        for way in self._ways:
            here = way.turn @ np.asarray(point, np.float64) + way.shift
            facing = unit_rows(way.turn @ np.asarray(normal, np.float64))
            self._advance(way, here, facing, pressure)

    def _advance(self, way: _Way, here: F64, facing: F64, pressure: float) -> None:
        if way.last is None:
            way.last = here, facing, pressure
            points, normals = here[None], facing[None]
            if len(self._ways) > 1:  # the other side may not be quite alike
                points, normals = self._onto(points, normals)
            self.cover(points, normals, np.array([pressure]))
            return
        before, looked, pressed = way.last
        far = float(np.linalg.norm(here - before))
        step = max(self.brush.spacing, 0.01) * self.brush.radius
        at = np.arange(step - way.left, far, step)
        way.left = far - float(at[-1]) if len(at) else way.left + far
        way.last = here, facing, pressure
        if not len(at):
            return
        share = (at / max(far, 1e-300))[:, None]
        points = before * (1 - share) + here * share
        normals = unit_rows(looked * (1 - share) + facing * share)
        points, normals = self._onto(points, normals)
        directions = np.broadcast_to(here - before, points.shape)
        self.cover(points, normals, pressed + (pressure - pressed) * share[:, 0], directions)

    def _onto(self, points: F64, normals: F64) -> tuple[F64, F64]:
        if self._flat:
            return points, normals
        return onto_surface(self.surface.model, points, normals, self.brush.radius)

    def lift(self) -> None:
        """Take the brush off: what comes next is not joined to what came before."""
        for way in self._ways:
            way.last, way.left = None, 0.0

    def end(self) -> None:
        """Draw the last sample, so that a stroke ends where the hand did."""
        for way in self._ways:
            if way.last is not None and way.left > 0:
                point, normal, pressure = way.last
                way.left = 0.0
                self.cover(point[None], normal[None], np.array([pressure]))

    def cover(self, points: F64, normals: F64, pressure: F64, directions: F64 | None = None) -> None:
        """Put samples (N, 3) with normals (N, 3) onto the surface; ``directions`` (N, 3) is where they run."""
        if self.samples + len(points) > _MOST_SAMPLES:
            return
        runs = np.zeros_like(points) if directions is None else directions
        samples = sample_rows(self.brush, points, normals, runs, pressure, self.samples)
        self.samples += len(points)
        # A tip is square: its corners lie further out.
        reach = samples[:, 9] * (1.4143 if self._has_tip else 1.0)
        rows = near_triangles(self._ground.middle, self._ground.ball, samples[:, :3], float(reach.max()))
        if self.allowed is not None:
            rows = rows[self.allowed[rows]]
        grain = grain_field() if self.brush.grain > 0 else np.ones((1, 1), np.float32)
        for key in self.surface.keys if len(rows) else ():
            sheet = self.surface.sheet(key, self.size_of(key))
            at = np.searchsorted(sheet.triangle, rows)
            at = at[(at < len(sheet.triangle)) & (sheet.triangle[np.minimum(at, len(sheet.triangle) - 1)] == rows)]
            if not len(at):
                continue
            near = at.astype(np.int32)
            boxes = texel_boxes(
                sheet.xy, sheet.needle, near, self._ground.corners, sheet.triangle, samples[:, :3], reach
            )
            across = chunks_across(sheet.size)
            for cell in np.flatnonzero(touched_cells(boxes, across, CHUNK)):
                chunk = Chunk(int(cell) // across, int(cell) % across)
                rows_, columns = span(chunk, sheet.size)
                there = (boxes[:, 0] < columns.stop) & (boxes[:, 1] >= columns.start)
                there &= (boxes[:, 2] < rows_.stop) & (boxes[:, 3] >= rows_.start)
                place = Place(key, chunk)
                known = self.coverage.get(place)
                out = np.zeros(shape(chunk, sheet.size), np.float32) if known is None else known
                if add_samples(
                    out, self.owners(sheet, chunk), near[there], boxes[there], sheet.xy, sheet.needle, sheet.triangle,
                    self._ground.corners, self._ground.normals, samples, self.brush.hardness,
                    self._tip, self._starts, self._has_tip, grain, self.brush.grain,
                    self.brush.grain_size * self.brush.radius, rows_.start, columns.start,
                ):  # fmt: skip
                    self.coverage[place] = out
                    self._fresh.add(place)

    def take_fresh(self) -> Covered:
        """What changed since this was asked last."""
        fresh, self._fresh = self._fresh, set()
        return Covered({place: self.coverage[place] for place in fresh}, self.opacity)


def near_triangles(middle: F64, ball: F64, points: F64, radius: float) -> I64:
    """Rows of the triangles whose ball comes within a radius of any point (N, 3)."""
    low, high = points.min(axis=0) - radius, points.max(axis=0) + radius
    rows = np.flatnonzero(((middle + ball[:, None] >= low) & (middle - ball[:, None] <= high)).all(axis=1))
    if len(points) > 1 and len(rows) > 64:
        rows = rows[any_near(middle[rows], ball[rows], points, radius)]
    return rows


def onto_surface(model: Model, points: F64, normals: F64, radius: float) -> tuple[F64, F64]:
    """The nearest points of the surface that face the same way, and its normals there; as given if none is near."""
    rows = near_triangles(*model.balls, points, radius)
    out, facing = points.copy(), normals.copy()
    to_nearest(model.corners[rows], model.normals[rows], points, normals, radius, out, facing)
    return out, unit_rows(facing)


def normal_near(model: Model, point: F64) -> F64:
    """(3,) the shading normal at the point of the surface nearest to a point."""
    every = np.ascontiguousarray(point[None], np.float64)
    out, found = every.copy(), np.zeros((1, 3))
    to_nearest(model.corners, model.normals, every, np.zeros((1, 3)), np.inf, out, found)
    return unit_rows(found[0])
