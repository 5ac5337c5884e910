"""The model: plain arrays, one row per triangle, that every other room reads."""

from dataclasses import dataclass, field

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, Bool, unit_rows
from lucky_fern.core.model.tree import Tree, tree_of
from lucky_fern.core.once import once
from lucky_fern.words import counted


@dataclass(frozen=True)
class Texture:
    """A picture that a model's file names: for which map of which material.

    ``component`` says which of the picture's planes holds the map ("r", "g", "b", "a"; "" for the whole picture).
    ``file`` is the name as the model's file has it; ``inside`` the number of a picture that it carries itself.
    """

    material: str
    map: str
    file: str
    component: str = ""
    inside: int | None = None


@dataclass(frozen=True)
class Model:
    """A triangulated model with per-corner UVs and normals.

    Attributes
    ----------
    positions : (V, 3) float64, units of the file, right-handed, Y up; equal points are one row.
    triangles : (T, 3) int32, rows of ``positions``, counter-clockwise seen from outside.
    uv : (T, 3, 2) float64, origin lower left; NaN on triangles that have none.
    normals : (T, 3, 3) float32, unit length.
    tangents : (T, 3, 4) float32, xyz unit length and w the sign of the bitangent (MikkTSpace).
    material, part : (T,) int32, rows of ``materials`` and ``parts``.
    polygon : (T,) int32, number of the face of the file that the triangle was cut from.
    colours : material → ``#rrggbb`` that the file gives it, where it gives one.
    corner_colours : (T, 3, 4) uint8, sRGB-encoded straight colours of the corners, where the file has such.
    textures : pictures that the file names for its materials.
    repeats : materials whose UVs repeat → what ``file``, the model as it came, calls them; here all of them lies on
        one tile, cut along the borders of tiles.
    warnings : sentences about what was repaired or will matter.
    """

    name: str
    positions: F64
    triangles: I32
    uv: F64
    normals: F32
    tangents: F32
    material: I32
    materials: tuple[str, ...]
    part: I32
    parts: tuple[str, ...]
    polygon: I32
    warnings: tuple[str, ...] = field(default=())
    colours: dict[str, str] = field(default_factory=dict)
    corner_colours: U8 | None = None
    textures: tuple[Texture, ...] = ()
    repeats: dict[str, str] = field(default_factory=dict)
    file: "Model | None" = None

    @property
    def triangle_count(self) -> int:
        return len(self.triangles)

    @once
    def corners(self) -> F64:
        """(T, 3, 3) float64 positions of the corners."""
        return self.positions[self.triangles]

    @once
    def tree(self) -> Tree:
        """Boxes over the triangles, for rays."""
        return tree_of(self.corners)

    @once
    def balls(self) -> tuple[F64, F64]:
        """Middle (T, 3) and radius (T,) of a ball round each triangle: what is far away is passed over quickly."""
        middle = self.corners.mean(axis=1)
        return middle, np.sqrt(((self.corners - middle[:, None]) ** 2).sum(axis=2).max(axis=1))

    @once
    def face_normals(self) -> F64:
        """(T, 3) float64 unit normals of the flat triangles."""
        c = self.corners
        return unit_rows(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]))

    @once
    def has_uv(self) -> Bool:
        """(T,) bool, which triangles have a place in UV space."""
        return np.asarray(np.isfinite(self.uv).all(axis=(1, 2)), np.bool_)

    @property
    def uv_warnings(self) -> tuple[str, ...]:
        """What there is to say about faces that have no place in UV space, as the layout is now."""
        bare = int((~self.has_uv).sum())
        if bare == self.triangle_count:
            return (f"{self.name} has no UVs, so there is nothing to paint on yet. Unwrap it at the Model station.",)
        if bare:
            return (f"{counted(bare, 'triangle')} of {self.name} have no UVs and stay unpainted.",)
        return ()

    @once
    def bounds(self) -> F64:
        """(2, 3) float64 lowest and highest corner of the used positions."""
        used = self.positions[np.unique(self.triangles)] if len(self.triangles) else np.zeros((1, 3))
        return np.stack([used.min(axis=0), used.max(axis=0)])

    @property
    def diagonal(self) -> float:
        """Length of the bounding box's diagonal, in units of the file; at least a tiny positive number."""
        return max(float(np.linalg.norm(self.bounds[1] - self.bounds[0])), 1e-12)

    @once
    def outline_edges(self) -> I32:
        """(E, 3) int32 rows (triangle, corner, corner) of every edge that the file's faces have.

        The diagonals that cut polygons into triangles are left out.
        """
        edges = _edges(self.triangles)
        low, high = edges[:, 2].astype(np.int64), edges[:, 3].astype(np.int64)
        span = int(self.triangles.max(initial=0)) + 1
        key = (self.polygon[edges[:, 0]].astype(np.int64) * span + low) * span + high
        _, inverse, count = np.unique(key, return_inverse=True, return_counts=True)
        kept = edges[count[inverse] == 1]
        return np.stack([kept[:, 0], kept[:, 1], (kept[:, 1] + 1) % 3], axis=1).astype(np.int32)

    @once
    def islands(self) -> I32:
        """(T,) int32, the number of the UV island of each triangle, in order of appearance; -1 without UVs.

        An island ends where the layout folds back over itself, too, as that of mirrored halves does.
        """
        labels = groups(self.triangle_count, self._uv_links[0])
        labels[~self.has_uv] = -1
        _, start, number = np.unique(labels, return_index=True, return_inverse=True)
        rank = np.argsort(np.argsort(start)).astype(np.int32)
        result = rank[number.ravel()]
        if not self.has_uv.all():
            bare = rank[0]  # -1 sorts first
            result = np.where(result == bare, -1, result - (result > bare))
        return np.asarray(result, np.int32)

    @property
    def folds(self) -> I32:
        """(N, 2) int32, pairs of triangles that share an edge in UV space and lie on the same side of it."""
        return self._uv_links[1]

    @once
    def joined_edges(self) -> I32:
        """(E, 2) int32 rows (triangle, corner) of the edges over which an island goes on, both sides of each."""
        first, second, corner_a, corner_b = shared_edges(self.triangles)[:4]
        on = self._going_on[0]
        sides = [np.stack([one[on], corner[on]], axis=1) for one, corner in ((first, corner_a), (second, corner_b))]
        return np.concatenate(sides).astype(np.int32)

    @once
    def _uv_links(self) -> tuple[I32, I32]:
        """Pairs (N, 2) of triangles with a common edge in UV space: going on across it, and folded back over it."""
        first, second = shared_edges(self.triangles)[:2]
        pairs = np.stack([first, second], axis=1).astype(np.int32)
        on, fold = self._going_on
        return pairs[on], pairs[fold]

    @once
    def _going_on(self) -> tuple[Bool, Bool]:
        """(P,) bool each, of the pairs of :func:`shared_edges`: whether the layout goes on, or folds back, there."""
        first, second, corner_a, corner_b, next_a, next_b = shared_edges(self.triangles)
        uv = np.nan_to_num(self.uv, nan=-1e6)
        together = (np.abs(uv[first, corner_a] - uv[second, next_b]) <= 1e-6).all(axis=1)
        together &= (np.abs(uv[first, next_a] - uv[second, corner_b]) <= 1e-6).all(axis=1)
        together &= self.material[first] == self.material[second]
        a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
        twice = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
        flat = np.abs(twice) <= 1e-10 * np.abs(np.stack([a, b])).max(axis=(0, 2)) ** 2
        side = np.where(flat, 0, np.sign(twice))
        fold = together & (side[first] * side[second] < 0)
        return together & ~fold, fold

    @once
    def pieces(self) -> I32:
        """(T,) int32, numbers of what hangs together over edges."""
        first, second = shared_edges(self.triangles)[:2]
        return groups(self.triangle_count, np.stack([first, second], axis=1))

    @once
    def seam_edges(self) -> I32:
        """(E, 3) int32 rows (triangle, corner, corner): shared edges whose two sides are apart in UV space."""
        first, second, corner_a, corner_b, next_a, next_b = shared_edges(self.triangles)
        uv = np.nan_to_num(self.uv, nan=-1e6)
        apart = (np.abs(uv[first, corner_a] - uv[second, next_b]) > 1e-6).any(axis=1)
        apart |= (np.abs(uv[first, next_a] - uv[second, corner_b]) > 1e-6).any(axis=1)
        apart |= self.material[first] != self.material[second]
        return np.stack([first[apart], corner_a[apart], next_a[apart]], axis=1).astype(np.int32)


def _edges(triangles: I32) -> I32:
    """(3T, 4) int32 rows (triangle, corner, lower vertex, higher vertex)."""
    count = len(triangles)
    triangle = np.repeat(np.arange(count, dtype=np.int32), 3)
    corner = np.tile(np.arange(3, dtype=np.int32), count)
    a, b = triangles[triangle, corner], triangles[triangle, (corner + 1) % 3]
    return np.stack([triangle, corner, np.minimum(a, b), np.maximum(a, b)], axis=1).astype(np.int32)


def edge_counts(vertices: I32) -> I32:
    """(T, 3) int32, how many triangles (T, 3) use the edge that starts at each corner."""
    edges = _edges(vertices)
    key = edges[:, 2].astype(np.int64) * (int(vertices.max(initial=0)) + 1) + edges[:, 3]
    _, inverse, count = np.unique(key, return_inverse=True, return_counts=True)
    return np.asarray(count[inverse].reshape(vertices.shape), np.int32)


Pairs = tuple[I32, I32, I32, I32, I32, I32]


def shared_edges(vertices: I32) -> Pairs:
    """Pairs of triangles that run along the same edge in opposite directions.

    Parameters
    ----------
    vertices : (T, 3) int32, vertex numbers; equal numbers are the same vertex.

    Returns
    -------
    first, second : (P,) int32 triangles of each pair.
    corner_a, corner_b : (P,) int32, the corner at which the edge starts in each of the two.
    next_a, next_b : (P,) int32, the corner at which it ends; the start of one is the end of the other.
    """
    ends = np.roll(vertices, -1, axis=1).ravel()
    starts = vertices.ravel()
    backward = starts > ends
    key = np.minimum(starts, ends).astype(np.int64) * (int(vertices.max(initial=0)) + 1) + np.maximum(starts, ends)
    key = key * 2 + backward  # forward ones of an edge before backward ones
    order = np.argsort(key, kind="stable")
    key = key[order]
    # Manifold neighbours lie next to each other: one forward, one backward, and nobody else.
    same = np.flatnonzero((key[1:] - key[:-1] == 1) & (key[1:] % 2 == 1))
    first, second = order[same], order[same + 1]
    corner_a, corner_b = (first % 3).astype(np.int32), (second % 3).astype(np.int32)
    return (
        (first // 3).astype(np.int32), (second // 3).astype(np.int32), corner_a, corner_b,
        (corner_a + 1) % 3, (corner_b + 1) % 3,
    )  # fmt: skip


def groups(count: int, pairs: I32 | I64) -> I32:
    """(count,) int32, numbers of what hangs together over pairs (N, 2)."""
    from scipy.sparse import coo_matrix  # slow to load, and not needed before the window shows
    from scipy.sparse.csgraph import connected_components

    graph = coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    return np.asarray(connected_components(graph, directed=False)[1], np.int32)


def corner_groups(vertices: I32, pairs: Pairs, linked: Bool) -> I32:
    """Number the fans of corners that meet at a vertex and hang together over shared edges.

    Parameters
    ----------
    vertices : (T, 3) int32 vertex numbers.
    pairs : what :func:`shared_edges` says of them.
    linked : (P,) bool, for each pair, whether the fan goes on across it.

    Returns
    -------
    (T, 3) int32 group numbers; corners of one group share a vertex.
    """
    first, second, corner_a, corner_b, next_a, next_b = (values[linked] for values in pairs)
    left = np.concatenate([first * 3 + corner_a, first * 3 + next_a])
    right = np.concatenate([second * 3 + next_b, second * 3 + corner_b])
    return groups(vertices.size, np.stack([left, right], axis=1)).reshape(vertices.shape)


def corner_angles(corners: F64) -> F64:
    """(T, 3) float64 inner angles in radians of triangles given as (T, 3, 3) positions."""
    forward = unit_rows(np.roll(corners, -1, axis=1) - corners)
    backward = unit_rows(np.roll(corners, 1, axis=1) - corners)
    result: F64 = np.arccos(np.clip((forward * backward).sum(axis=2), -1.0, 1.0))
    return result
