"""What is measured from the model, texel by texel, chunk by chunk, when something asks for it.

Nothing here is ever stale: a survey belongs to one surface, which never changes, and what is kept on disk goes by the
contents that it was measured from.
"""

from __future__ import annotations

import hashlib
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from lucky_fern.core.arrays import F32, F64, Bool, unit_rows
from lucky_fern.core.once import once
from lucky_fern.core.sheets.grid import Chunk, SheetKey, shape
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.survey.falls import climbed, drips, rounded_normals
from lucky_fern.core.survey.lines import Lines, distances, sorted_lines
from lucky_fern.core.survey.rays import Rays
from lucky_fern.core.survey.shelf import Shelf, packed, rounded, unpacked
from lucky_fern.core.survey.surfels import Surfels, lean, surfels_of, too_many

_ROUND = 40.0  # degrees up to which faces count as those of one round thing
_REVISION = 2  # of how things are measured; another one makes what was kept worthless


class Survey:
    """Measures one surface; safe to use from several threads. Values are (r, c) float32, 0 outside every island."""

    def __init__(self, surface: Surface, shelf: Shelf | None = None) -> None:
        self.surface = surface
        self._shelf = shelf
        self._lock = threading.Lock()
        self._along: dict[str, bytes] = {}
        self._record: dict[str, bytes] | None = None
        self.measuring = ("", float("-inf"))  # what was measured last, and when (time.monotonic)
        self._surfels: dict[float, Surfels] = {}
        self._lines: dict[tuple[str, float, float], Lines] = {}
        self._edges: dict[float, Bool] = {}  # those that shed water
        self._sheets: dict[SheetKey, str] = {}  # what lies on each, as a digest

    # --- where texels lie -------------------------------------------------------------------------------------

    def places(self, sheet: Sheet, chunk: Chunk) -> tuple[Bool, F64, F64, F64]:
        """Texels of a chunk on islands (r, c); their points, shading normals and faces' normals (N, 3)."""
        points = sheet.surface_points(chunk)
        inside: Bool = points.triangle >= 0
        faces = self.surface.model.face_normals[points.triangle[inside]]
        return inside, points.position[inside], unit_rows(points.normal[inside]), faces

    def spots(self, sheet: Sheet, chunk: Chunk) -> tuple[Bool, F64, F64]:
        """The same without shading normals, which take most of the time."""
        owner = sheet.owners(chunk)
        inside: Bool = owner >= 0
        faces = self.surface.model.face_normals[sheet.triangle[owner[inside]]]
        return inside, sheet.positions(chunk, owner)[inside], faces

    def _filled(self, inside: Bool, values: F64) -> F32:
        out = np.zeros(inside.shape, np.float32)
        out[inside] = values
        return out

    # --- measures ---------------------------------------------------------------------------------------------

    def lean(self, sheet: Sheet, chunk: Chunk, reach: float) -> F32:
        """How the surface bends: see :func:`~.surfels.lean`; above 0 on what stands out, below 0 in corners."""

        def measure() -> F32:
            inside, points, normals, _ = self.places(sheet, chunk)
            if not len(points):
                return np.zeros(inside.shape, np.float32)
            return self._filled(inside, lean(self.pieces(points, reach), points, normals, reach))

        return self._kept(("lean", reach), sheet, chunk, measure)

    def pieces(self, points: F64, reach: float) -> Surfels:
        """The surface in pieces: all of it at once, or only what lies near where that would be too much."""
        model = self.surface.model
        if too_many(self._area, model.bounds, reach):
            box = np.stack([points.min(axis=0), points.max(axis=0)])
            return surfels_of(model.corners, model.face_normals, reach, box)
        with self._lock:
            if reach not in self._surfels:
                if len(self._surfels) > 2:
                    self._surfels.pop(next(iter(self._surfels)))
                self._surfels[reach] = surfels_of(model.corners, model.face_normals, reach)
            return self._surfels[reach]

    @once
    def _area(self) -> float:
        c = self.surface.model.corners
        return float(np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum() / 2)

    def covered(self, sheet: Sheet, chunk: Chunk, reach: float, rays: int) -> F32:
        """How much of the hemisphere over each face is covered within ``reach``."""

        def measure() -> F32:
            inside, points, faces = self.spots(sheet, chunk)
            return self._filled(inside, self.rays.covered(points, faces, reach, rays))

        return self._kept(("covered", reach, rays), sheet, chunk, measure)

    def thin(self, sheet: Sheet, chunk: Chunk, reach: float, rays: int) -> F32:
        """1 − the mean way through the solid below, in shares of ``reach``."""

        def measure() -> F32:
            inside, points, faces = self.spots(sheet, chunk)
            return self._filled(inside, 1 - self.rays.thickness(points, faces, reach, rays) / reach)

        return self._kept(("thin", reach, rays), sheet, chunk, measure)

    @once
    def rays(self) -> Rays:
        return Rays(self.surface.model)

    def near_border(self, sheet: Sheet, chunk: Chunk, reach: float, of: str, angle: float) -> F32:
        """1 on borders (``islands``, ``parts``, ``sharp``, ``open``), 0 at ``reach``; ``angle`` in degrees."""
        inside, points, _ = self.spots(sheet, chunk)
        key = (of, angle if of == "sharp" else 0.0, reach)
        with self._lock:
            if key not in self._lines:
                if len(self._lines) > 7:
                    self._lines.pop(next(iter(self._lines)))
                self._lines[key] = sorted_lines(border_lines(self.surface, of, angle), reach)
            lines = self._lines[key]
        return self._filled(inside, 1 - distances(lines, points, reach) / reach)

    def drips(
        self, sheet: Sheet, chunk: Chunk, reach: float, width: float, angle: float, down: F64, seed: int
    ) -> F32:
        """Streaks that run down from sharp edges and open borders; see :mod:`~.falls`. ``down`` is a unit vector."""

        def measure() -> F32:
            owner = sheet.owners(chunk)
            inside: Bool = owner >= 0
            points = sheet.positions(chunk, owner)[inside]
            found = climbed(
                self.surface, self._rounded, points, sheet.triangle[owner[inside]], self._shedding(angle), down, reach
            )
            return self._filled(inside, drips(found, points, reach, width, seed))

        return self._kept(("drips", reach, width, angle, tuple(down.tolist()), seed), sheet, chunk, measure)

    @once
    def _rounded(self) -> F64:
        return rounded_normals(self.surface.model, _ROUND)

    def _shedding(self, angle: float) -> Bool:
        with self._lock:
            if angle not in self._edges:
                if len(self._edges) > 3:
                    self._edges.pop(next(iter(self._edges)))
                sharp, open_ = (border_edges(self.surface, of, angle) for of in ("sharp", "open"))
                self._edges[angle] = sharp | open_
            return self._edges[angle]

    # --- what is kept -----------------------------------------------------------------------------------------

    def _kept(self, what: tuple[Any, ...], sheet: Sheet, chunk: Chunk, measure: Callable[[], F32]) -> F32:
        name = hashlib.sha256(
            repr((_REVISION, self._model, self._on(sheet.key), sheet.size, chunk, what)).encode()
        ).hexdigest()
        size = shape(chunk, sheet.size)
        along = self._along.get(name)
        found = unpacked(along, size) if along is not None else None
        if found is None and self._shelf is not None:
            found = self._shelf.find(name, size)
        if found is None:
            self.measuring = (str(what[0]), time.monotonic())
            found = rounded(measure())
            self.measuring = (str(what[0]), time.monotonic())
            if self._shelf is not None:
                self._shelf.keep(name, found)
        if self._record is not None:
            self._record[name] = packed(found)
        return found

    @contextmanager
    def recording(self) -> Iterator[dict[str, bytes]]:
        """All that is asked for meanwhile, by whomever, under names that tell what it was measured from."""
        record: dict[str, bytes] = {}
        self._record = record
        try:
            yield record
        finally:
            self._record = None

    def take_along(self, measured: dict[str, bytes]) -> None:
        """Use what was recorded before, wherever it was: its names tell whether it is of this surface."""
        self._along = measured

    @once
    def _model(self) -> str:
        """A digest of the surface in space."""
        model = self.surface.model
        return hashlib.sha256(
            np.ascontiguousarray(model.corners).tobytes() + np.ascontiguousarray(model.normals).tobytes()
        ).hexdigest()

    def _on(self, key: SheetKey) -> str:
        """A digest of how a sheet's faces lie on it."""
        if key not in self._sheets:
            rows = self.surface.placement.triangles[key]
            parts = (rows.tobytes(), np.ascontiguousarray(self.surface.model.uv[rows]).tobytes())
            self._sheets[key] = hashlib.sha256(str(key).encode() + b"".join(parts)).hexdigest()
        return self._sheets[key]


def border_edges(surface: Surface, of: str, angle: float = 30.0) -> Bool:
    """(T, 3) bool, the edges of a kind, each as seen from the face that it is of.

    ``islands``: both sides of every UV seam, and open borders; ``parts``: between faces of two parts; ``sharp``:
    where faces bend by ``angle`` degrees or more; ``open``: where the surface ends.
    """
    model, beyond = surface.model, surface.beyond
    neighbour = beyond.neighbour
    other = np.maximum(neighbour, 0)
    if of == "islands":
        return beyond.border.copy()
    if of == "parts":
        return np.asarray((neighbour >= 0) & (model.part[other] != model.part[:, None]), np.bool_)
    if of == "sharp":
        cosine = np.einsum("tkd,td->tk", model.face_normals[other], model.face_normals)
        return np.asarray((neighbour >= 0) & (cosine <= np.cos(np.radians(angle)) + 1e-9), np.bool_)
    return np.asarray(neighbour < 0, np.bool_)


def border_lines(surface: Surface, of: str, angle: float = 30.0) -> F64:
    """(N, 2, 3) the edges of a kind, in space; see :func:`border_edges`."""
    triangle, corner = np.nonzero(border_edges(surface, of, angle))
    c = surface.model.corners
    return np.stack([c[triangle, corner], c[triangle, (corner + 1) % 3]], axis=1)


def numbers_of(surface: Surface, by: str) -> tuple[list[str], Any]:
    """What faces belong to: names, and (T,) int rows of them; by part, island or piece that hangs together."""
    model = surface.model
    if by == "part":
        return list(model.parts), model.part
    if by == "island":
        islands = np.asarray(model.islands)
        return [f"island {number}" for number in range(int(islands.max(initial=-1)) + 1)], islands
    pieces = _pieces(surface)
    return [f"piece {number}" for number in range(int(pieces.max(initial=-1)) + 1)], pieces


def _pieces(surface: Surface) -> Any:
    """(T,) int, the number of the piece that each face hangs together with over edges, in order of appearance."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    neighbour, count = surface.beyond.neighbour, surface.model.triangle_count
    triangle, corner = np.nonzero(neighbour >= 0)
    links = coo_matrix((np.ones(len(triangle), np.int8), (triangle, neighbour[triangle, corner])), (count, count))
    _, label = connected_components(links, directed=False)
    _, start, number = np.unique(label, return_index=True, return_inverse=True)
    return np.argsort(np.argsort(start))[number.ravel()]
