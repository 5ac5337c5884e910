"""A stroke over the surface: how much of every texel it covers, sample by sample.

A texel is covered by a sample when its straight-line distance to it is under the radius and it faces within 90° of
the surface there, so a stroke crosses seams, tiles and materials as if they were not there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Bool, unit_rows
from lucky_fern.core.painting.brush import Brush, Pen, sample_rows
from lucky_fern.core.painting.cover import Laying, Mesh, Underfoot, add_samples, texel_boxes, touched_cells
from lucky_fern.core.painting.ground import Ground, screen_ground, sheet_ground, surface_ground
from lucky_fern.core.painting.symmetry import Symmetry, ways_of
from lucky_fern.core.painting.tips import grain_field, pyramid
from lucky_fern.core.parallel import for_each
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, shape, span
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface

_MOST_SAMPLES = 200_000  # of one stroke; more would be a slip of the pen


class Place(NamedTuple):
    """A chunk of a sheet."""

    sheet: SheetKey
    chunk: Chunk


@dataclass(frozen=True)
class Covered:
    """What is covered at once, and how strongly; ``tints`` in degrees of hue where the paint varies.

    ``soft``: half covered texels are meant, on pixel art too, as in a gradient.
    """

    coverage: dict[Place, F32]
    opacity: float = 1.0
    tints: dict[Place, F32] = field(default_factory=dict)
    soft: bool = False


@dataclass
class _Way:
    """One of the ways that a stroke goes with its symmetry: a turn and a shift, and where its brush is."""

    turn: F64
    shift: F64
    last: tuple[F64, F64, Pen] | None = None
    left: float = 0.0  # of the way since the last sample


class Stroke:
    """Coverage that grows while a stroke is drawn: for each touched chunk (rows, columns) float32, 0…1."""

    def __init__(
        self, surface: Surface, size_of: Callable[[SheetKey], Extent], owners: Callable[[Sheet, Chunk], I32],
        brush: Brush, allowed: Bool | None = None, tip: F32 | None = None, symmetry: Symmetry | None = None,
        material: str | None = None, eye: Eye | None = None,
    ) -> None:  # fmt: skip
        """``owners`` says which triangle owns each texel; ``allowed`` (T,) bool leaves out faces.

        ``tip`` (128, 128) is the brush's, if it has one; ``material`` the one whose UV space a brush on the sheet
        is round in: points then are (u, v, 0) and lengths in tiles. ``eye`` is who looks at the screen on which a
        brush may be round: its lengths then are those at the eye's target.
        """
        self.surface, self.size_of, self.owners = surface, size_of, owners
        self.brush, self.allowed = brush, allowed
        self.coverage: dict[Place, F32] = {}
        self._fresh: set[Place] = set()  # what changed since it was last taken
        self.samples = 0
        self.tints: dict[Place, F32] = {}
        self.ground: Ground
        if brush.ground == "sheet" and material is not None:
            self.ground = sheet_ground(surface.model, material)
        elif brush.ground == "screen" and eye is not None:
            self.ground = screen_ground(surface.model, eye)
        else:
            self.ground = surface_ground(surface.model)
        alone = symmetry is None or not self.ground.curved
        ways = [(np.eye(3), np.zeros(3))] if alone or symmetry is None else ways_of(symmetry)
        self._ways = [_Way(turn, shift) for turn, shift in ways]
        self._with = (allowed, tip, symmetry, material, eye)
        self._tip, self._starts = pyramid(np.ones((1, 1), np.float32) if tip is None else tip)
        self._has_tip = tip is not None
        self._grain = grain_field() if brush.grain > 0 else np.ones((1, 1), np.float32)

    @property
    def opacity(self) -> float:
        return self.brush.opacity

    def go_to(self, point: F64, normal: F64, pen: Pen | float = 1.0) -> None:
        """Draw on to a point of the surface with a pen, or with a pressure alone.

        Samples lie evenly along the way, the first of a stroke at its beginning.
        """
        held = pen if isinstance(pen, Pen) else Pen(pen)
        placed, facing = self.ground.place(np.asarray(point, np.float64), np.asarray(normal, np.float64))
        for way in self._ways:
            self._advance(way, way.turn @ placed + way.shift, way.turn @ facing, held)

    def _advance(self, way: _Way, here: F64, facing: F64, pen: Pen) -> None:
        if way.last is None:
            way.last = here, facing, pen
            points, normals = here[None], facing[None]
            if len(self._ways) > 1:  # the other side may not be quite alike
                points, normals = self._onto(points, normals)
            self.cover(points, normals, np.array([pen]))
            return
        before, looked, held = way.last
        far = float(np.linalg.norm(here - before))
        step = max(self.brush.spacing, 0.01) * self.brush.radius
        at = np.arange(step - way.left, far, step)
        way.left = far - float(at[-1]) if len(at) else way.left + far
        way.last = here, facing, pen
        if not len(at):
            return
        share = (at / max(far, 1e-300))[:, None]
        points = before * (1 - share) + here * share
        normals = unit_rows(looked * (1 - share) + facing * share)
        points, normals = self._onto(points, normals)
        directions = np.broadcast_to(here - before, points.shape)
        self.cover(points, normals, np.array(held) * (1 - share) + np.array(pen) * share, directions)

    def _onto(self, points: F64, normals: F64) -> tuple[F64, F64]:
        if not self.ground.curved:
            return points, normals
        return self.surface.nearest.onto(points, normals, self.brush.radius)

    def lift(self) -> None:
        """Take the brush off: what comes next is not joined to what came before."""
        for way in self._ways:
            way.last, way.left = None, 0.0

    def end(self) -> None:
        """Draw the last sample, so that a stroke ends where the hand did."""
        for way in self._ways:
            if way.last is not None and way.left > 0:
                point, normal, pen = way.last
                way.left = 0.0
                self.cover(point[None], normal[None], np.array([pen]))

    def cover(self, points: F64, normals: F64, pens: F64, directions: F64 | None = None) -> None:
        """Put samples (N, 3) with normals (N, 3) onto the ground.

        ``pens`` (N, 3) is how each is pressed and held (see :class:`.brush.Pen`), ``directions`` (N, 3) where the
        stroke runs there.
        """
        if self.samples + len(points) > _MOST_SAMPLES:
            return
        runs = np.zeros_like(points) if directions is None else directions
        samples = sample_rows(self.brush, points, normals, runs, pens, self.samples)
        self.samples += len(points)
        # A tip is square: its corners lie further out.
        tall = samples[:, 11]
        reach = samples[:, 9] * (np.hypot(1, tall) if self._has_tip else np.maximum(tall, 1)) * 1.0002
        ground, even = self.ground, not len(self.ground.weights)
        rows = ground.near(samples[:, :3], float(reach.max()))
        if self.allowed is not None:
            rows = rows[self.allowed[rows]]
        todo: list[Callable[[], None]] = []
        for key in self.surface.keys if len(rows) else ():
            sheet = self.surface.sheet(key, self.size_of(key))
            at = np.searchsorted(sheet.triangle, rows)
            at = at[(at < len(sheet.triangle)) & (sheet.triangle[np.minimum(at, len(sheet.triangle) - 1)] == rows)]
            if not len(at):
                continue
            near = at.astype(np.int32)
            boxes = texel_boxes(
                sheet.xy, sheet.needle, near, ground.corners, sheet.triangle, samples[:, :3], reach, even
            )
            across, down = sheet.size.across, sheet.size.down
            for cell in np.flatnonzero(touched_cells(boxes, across, down, CHUNK)):
                chunk = Chunk(int(cell) // across, int(cell) % across)
                todo.append(partial(self._cover_chunk, sheet, chunk, near, boxes, samples))
        for_each(lambda work: work(), todo)

    def _cover_chunk(self, sheet: Sheet, chunk: Chunk, near: I32, boxes: I64, samples: F64) -> None:
        """Add samples to one chunk; ``near`` are rows of the sheet and ``boxes`` (N, 4) the texels they may cover."""
        brush, ground = self.brush, self.ground
        rows, columns = span(chunk, sheet.size)
        there = (boxes[:, 0] < columns.stop) & (boxes[:, 1] >= columns.start)
        there &= (boxes[:, 2] < rows.stop) & (boxes[:, 3] >= rows.start)
        place = Place(sheet.key, chunk)
        known, tint = self.coverage.get(place), self.tints.get(place)
        out = np.zeros(shape(chunk, sheet.size), np.float32) if known is None else known
        if tint is None:
            tint = np.zeros(out.shape if brush.hue_jitter > 0 else (0, 0), np.float32)
        least = 0.0 if brush.facing == 90 else float(np.cos(np.radians(brush.facing)))
        mesh = Mesh(near[there], boxes[there], sheet.xy, sheet.needle, sheet.triangle)
        underfoot = Underfoot(ground.corners, ground.normals, ground.weights)
        laying = Laying(
            float(brush.hardness), least, self._tip, self._starts, self._has_tip, self._grain, float(brush.grain),
            float(brush.grain_size * brush.radius),
        )  # fmt: skip
        owner = self.owners(sheet, chunk)
        changed = add_samples(out, tint, owner, mesh, underfoot, samples, laying, (rows.start, columns.start))
        for other in sheet.other_owners(chunk, mesh.items):  # texels that this surface has, but not for itself
            other[owner < 0] = -1
            changed |= add_samples(out, tint, other, mesh, underfoot, samples, laying, (rows.start, columns.start))
        if changed:
            self.coverage[place] = out
            if tint.size:
                self.tints[place] = tint
            self._fresh.add(place)

    def again(self, brush: Brush) -> Stroke:
        """A new stroke like this one with another brush (on the same ground)."""
        return Stroke(self.surface, self.size_of, self.owners, brush, *self._with)

    def bare(self, place: Place) -> F32:
        """The coverage of a chunk where there is none."""
        return np.zeros(shape(place.chunk, self.size_of(place.sheet)), np.float32)

    def take_fresh(self) -> Covered:
        """What changed since this was asked last."""
        fresh, self._fresh = self._fresh, set()
        tints = {place: self.tints[place] for place in fresh if place in self.tints}
        return Covered({place: self.coverage[place] for place in fresh}, self.opacity, tints)
