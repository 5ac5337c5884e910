"""Paint that comes from elsewhere on the surface: cloned from a source, or smeared along the stroke."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, Bool, unit_rows
from lucky_fern.core.compositing.still import Still
from lucky_fern.core.maps import MAPS, SHAPE
from lucky_fern.core.painting.brush import rights
from lucky_fern.core.painting.ground import Ground, surface_ground
from lucky_fern.core.painting.stroke import Covered, Place, Stroke
from lucky_fern.core.placing.leaning import carried_leans, frames_at
from lucky_fern.core.sheets.grid import CHUNK, Chunk, SheetKey, span, to_texels
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import corner_of, tile_of


class Anchor(NamedTuple):
    """A point (3,) of the surface and its normal (3,); (u, v, 0) and (0, 0, 1) for brushes that are round there."""

    point: F64
    normal: F64


class _Texels(NamedTuple):
    """Some texels of a chunk: rows and columns (N,), and where they lie, (N, 3) each.

    ``triangle`` (N,) and ``weights`` (N, 3) say the same by the model's triangles.
    """

    rows: I64
    columns: I64
    points: F64
    normals: F64
    triangle: I32
    weights: F64


class _Where:
    """From texels to places on a ground, and back."""

    def __init__(self, surface: Surface, ground: Ground, still: Still, material: str | None) -> None:
        self.surface, self.still, self.material = surface, still, material
        self.flat = not ground.curved and ground.eye is None
        self.ground = ground if ground.eye is None else surface_ground(surface.model)

    def texels(self, place: Place, wanted: Bool) -> _Texels:
        """Those of a chunk that are wanted ((r, c) bool) and lie on an island."""
        sheet = self.still.sheet(place.sheet)
        owner = self.still.sources.owners(sheet, place.chunk)
        rows, columns = np.nonzero(wanted & (owner >= 0))
        owns: I32 = owner[rows, columns]
        down, right = span(place.chunk, sheet.size)
        weights = sheet.barycentrics(rows + down.start, columns + right.start, owns)
        triangles = sheet.triangle[owns]
        points = np.einsum("nk,nkd->nd", weights, self.ground.corners[triangles])
        normals = np.einsum("nk,nkd->nd", weights, self.ground.normals[triangles].astype(np.float64))
        return _Texels(rows, columns, points, normals, triangles, weights)

    def read(
        self,
        names: tuple[str, ...],
        texels: _Texels,
        points: F64,
        normals: F64,
        reach: float,
        turn: F64 | None = None,
    ) -> tuple[list[F32], Bool]:
        """Values of maps ((N, n) each) at places of the ground, and (N,) whether there is any surface.

        They are for ``texels``: normals are turned into their frames, after space as ``turn`` (3, 3) says.
        """
        found = np.ones(len(points), np.bool_)
        uv = points[:, :2]
        material = np.full(len(points), self.surface.materials.index(self.material) if self.material else 0)
        if not self.flat:
            rows, weights = self.surface.nearest.find(points, normals, reach)
            found = rows >= 0
            uv = np.einsum("nk,nkd->nd", weights, self.surface.model.uv[rows])
            material = self._material_of[self.surface.model.material[rows]]
        values = [np.zeros((len(points), MAPS[name].components), np.float32) for name in names]
        there = np.zeros(len(points), np.bool_)
        for key, mine in self._by_sheet(uv, material, found):
            x, y = to_texels(uv[mine] - corner_of(key.tile), self.still.project.size_of(key)).T
            for number, name in enumerate(names):
                values[number][mine], there[mine] = self.still.read(name, key, x, y)
        if SHAPE in names and there.any():
            if self.flat:
                rows, weights = self._flat_places(uv, material, there)
            mine = np.flatnonzero(there & (rows >= 0))
            model, number = self.surface.model, names.index(SHAPE)
            here = frames_at(model, rows[mine], weights[mine])
            target = frames_at(model, texels.triangle[mine], texels.weights[mine])
            values[number][mine] = carried_leans(values[number][mine], here, target, turn)
        return values, there

    def _flat_places(self, uv: F64, material: I64, there: Bool) -> tuple[I32, F64]:
        """The triangles (N,) under places in UV space, -1 for none, and barycentrics (N, 3) there."""
        rows, weights = np.full(len(uv), -1, np.int32), np.zeros((len(uv), 3))
        for key, mine in self._by_sheet(uv, material, there):
            sheet = self.still.sheet(key)
            x, y = to_texels(uv[mine] - corner_of(key.tile), sheet.size).T
            column, row = (
                np.clip(x, 0, sheet.size.width - 1).astype(np.int64),
                np.clip(y, 0, sheet.size.height - 1).astype(np.int64),
            )
            for chunk in {Chunk(int(r), int(c)) for r, c in zip(row // CHUNK, column // CHUNK, strict=True)}:
                inside = (row // CHUNK == chunk.row) & (column // CHUNK == chunk.column)
                owners = self.still.sources.owners(sheet, chunk)
                owner = owners[row[inside] - chunk.row * CHUNK, column[inside] - chunk.column * CHUNK]
                at = mine[inside][owner >= 0]
                rows[at] = sheet.triangle[owner[owner >= 0]]
                weights[at] = sheet.barycentrics(
                    row[inside][owner >= 0], column[inside][owner >= 0], owner[owner >= 0]
                )
        return rows, weights

    @property
    def _material_of(self) -> I64:
        """Number in ``surface.materials`` of each of the model's; -1 for those without a sheet."""
        known = {name: number for number, name in enumerate(self.surface.materials)}
        return np.array([known.get(name, -1) for name in self.surface.model.materials], np.int64)

    def _by_sheet(self, uv: F64, material: I64, found: Bool) -> Iterator[tuple[SheetKey, I64]]:
        usable = found & np.isfinite(uv).all(axis=1) & (material >= 0)
        cell = np.floor(np.where(usable[:, None], uv, 0.0) + 1e-9).astype(np.int64)
        code = (material * 100 + cell[:, 0]) * 1000 + cell[:, 1]
        for one in np.unique(code[usable]):
            mine = np.flatnonzero(usable & (code == one))
            at = mine[0]
            column, row = int(cell[at, 0]), int(cell[at, 1])
            if 0 <= column <= 9 and row >= 0:
                key = SheetKey(self.surface.materials[int(material[at])], tile_of(column, row))
                if key in self.surface.keys:
                    yield key, mine


class Clone:
    """Paint that shows what lies at the same way from a source as the stroke is from its own anchor."""

    def __init__(self, stroke: Stroke, still: Still, maps: tuple[str, ...], source: Anchor, target: Anchor,
                 material: str | None = None) -> None:  # fmt: skip
        self.maps = maps
        self._reach = max(2 * stroke.brush.radius, 1e-9)
        self._where = _Where(stroke.surface, stroke.ground, still, material)
        normals = unit_rows(np.array([source.normal, target.normal]))
        right = rights(normals)
        frames = np.stack([right, np.cross(normals, right), normals], axis=1)  # (2, 3, 3) rows are axes
        self._turn: F64 = np.eye(3) if self._where.flat else frames[0].T @ frames[1]
        self._source, self._target = source.point, target.point
        self._values: dict[tuple[Place, str], F32] = {}
        self._state: dict[Place, np.ndarray] = {}  # 0 not asked yet, 1 has a source, 2 has none

    def limit(self, covered: Covered) -> Covered:
        """Work out what newly covered texels get; those that have no source are left out."""
        kept = {}
        for place, share in covered.coverage.items():
            state = self._state.setdefault(place, np.zeros(share.shape, np.uint8))
            texels = self._where.texels(place, (share > 0) & (state == 0))
            points = self._source + (texels.points - self._target) @ self._turn.T
            values, there = self._where.read(
                self.maps, texels, points, texels.normals @ self._turn.T, self._reach,
                None if self._where.flat else self._turn.T,
            )  # fmt: skip
            state[texels.rows, texels.columns] = np.where(there, 1, 2)
            for name, part in zip(self.maps, values, strict=True):
                whole = self._values.setdefault((place, name), np.zeros((*share.shape, part.shape[1]), np.float32))
                whole[texels.rows, texels.columns] = part
            kept[place] = np.where(state == 1, share, np.float32(0))
        return Covered(kept, covered.opacity)

    def at(self, place: Place, name: str) -> F32:
        return self._values[place, name]


class Smear(Stroke):
    """A stroke that drags along what it goes over; as paint it gives what came of that."""

    maps: tuple[str, ...] = ()

    def wet(self, still: Still, maps: tuple[str, ...], strength: float, material: str | None = None) -> Smear:
        """Begin on a stack as it stands; ``strength`` 0…1 is how much of what is dragged stays at each sample."""
        self.maps, self._strength = maps, strength
        self._still = Still(still.sources, still.project, still.under, still.with_it)  # its own, whose chunks change
        self._where = _Where(self.surface, self.ground, self._still, material)
        self._touched: dict[Place, F32] = {}
        return self

    def cover(self, points: F64, normals: F64, pens: F64, directions: F64 | None = None) -> None:
        step = max(self.brush.spacing, 0.01) * self.brush.radius
        for n in range(len(points)):
            self.coverage = {}
            one = slice(n, n + 1)
            super().cover(points[one], normals[one], pens[one], None if directions is None else directions[one])
            far = 0.0 if directions is None else float(np.linalg.norm(directions[n]))
            if directions is not None and far > 0:
                self._drag(directions[n] / far * step)
        self.coverage = self._touched

    def _drag(self, step: F64) -> None:
        changes = []
        for place, share in self.coverage.items():
            texels = self._where.texels(place, share > 0)
            values, there = self._where.read(
                self.maps, texels, texels.points - step, texels.normals, 2 * self.brush.radius
            )  # fmt: skip
            part = np.where(there, share[texels.rows, texels.columns] * self._strength, 0)[:, None]
            changes.append((place, texels, values, part.astype(np.float32)))
        for place, texels, values, part in changes:  # all look at what was there before any of them
            at = (texels.rows, texels.columns)
            for name, new in zip(self.maps, values, strict=True):
                chunk = self._still.chunk(name, place.sheet, place.chunk)
                chunk[at] += (new - chunk[at]) * part
            touched = self._touched.setdefault(place, np.zeros(self.coverage[place].shape, np.float32))
            touched[at] = np.where(part[:, 0] > 0, 1, touched[at])
            self._fresh.add(place)

    def take_fresh(self) -> Covered:
        """What was smeared since this was asked last."""
        fresh, self._fresh = self._fresh, set()
        return Covered({place: self._touched[place] for place in fresh if place in self._touched}, self.opacity)

    def at(self, place: Place, name: str) -> F32:
        return self._still.chunk(name, place.sheet, place.chunk)
