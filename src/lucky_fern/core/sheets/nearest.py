"""The point of the surface nearest to a point in space, for many points at once."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, box_of, unit_rows
from lucky_fern.core.compiled import kernel
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.cells import cell_of, sort_boxes

_FINEST = 96  # cells along the longest side, at most


class Nearest:
    """A model's triangles sorted into a grid of cells.

    Triangles are asked cell by cell in growing shells round a point, until none further out can lie nearer.
    """

    def __init__(self, model: Model) -> None:
        self._corners, self._normals = model.corners, model.normals
        low, high = box_of(model.corners)
        self._low = low.min(axis=0)
        longest = float(max(np.ptp(model.bounds, axis=0).max(), 1e-12))
        count = int(np.clip(np.sqrt(model.triangle_count / 2), 1, _FINEST))
        self._step = longest / count
        self._cells = np.maximum(np.ceil(np.ptp(model.bounds, axis=0) / self._step), 1).astype(np.int64)
        first = cell_of((low - self._low) / self._step - 1e-9, self._cells)
        last = cell_of((high - self._low) / self._step + 1e-9, self._cells)
        self._starts, self._items = sort_boxes(first, last, self._cells)

    def find(self, points: F64, normals: F64 | None, reach: float = np.inf) -> tuple[I32, F64]:
        """The nearest triangles within a reach, and where on them.

        Parameters
        ----------
        points : (N, 3). normals : (N, 3) the surface must face the same way (within 90°); None: any way.

        Returns
        -------
        (N,) int32 rows of the model, -1 where nothing is in reach; (N, 3) float64 barycentrics.
        """
        points = np.ascontiguousarray(points, np.float64)
        facing = np.zeros_like(points) if normals is None else np.ascontiguousarray(normals, np.float64)
        rows, weights = np.full(len(points), -1, np.int32), np.zeros((len(points), 3))
        _search(
            points, facing, float(reach), self._corners, self._normals, self._low, self._step, self._cells,
            self._starts, self._items, rows, weights,
        )  # fmt: skip
        return rows, weights

    def onto(self, points: F64, normals: F64, reach: float) -> tuple[F64, F64]:
        """Points (N, 3) brought onto the surface and its normals there; as given where none is in reach."""
        rows, weights = self.find(points, normals, reach)
        found = rows >= 0
        out, facing = points.copy(), normals.copy()
        out[found] = np.einsum("nk,nkd->nd", weights[found], self._corners[rows[found]])
        facing[found] = np.einsum("nk,nkd->nd", weights[found], self._normals[rows[found]].astype(np.float64))
        return out, unit_rows(facing)


@kernel
def _closest(p: F64, c: F64) -> tuple[float, float]:
    """Barycentrics (of b and c) of the point of a triangle (3, 3) nearest to p.

    Reference: C. Ericson, "Real-Time Collision Detection", 2005, section 5.1.5.
    """
    abx, aby, abz = c[1, 0] - c[0, 0], c[1, 1] - c[0, 1], c[1, 2] - c[0, 2]
    acx, acy, acz = c[2, 0] - c[0, 0], c[2, 1] - c[0, 1], c[2, 2] - c[0, 2]
    px, py, pz = p[0] - c[0, 0], p[1] - c[0, 1], p[2] - c[0, 2]
    d1, d2 = abx * px + aby * py + abz * pz, acx * px + acy * py + acz * pz
    if d1 <= 0.0 and d2 <= 0.0:
        return 0.0, 0.0
    px, py, pz = p[0] - c[1, 0], p[1] - c[1, 1], p[2] - c[1, 2]
    d3, d4 = abx * px + aby * py + abz * pz, acx * px + acy * py + acz * pz
    if d3 >= 0.0 and d4 <= d3:
        return 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        return d1 / (d1 - d3), 0.0
    px, py, pz = p[0] - c[2, 0], p[1] - c[2, 1], p[2] - c[2, 2]
    d5, d6 = abx * px + aby * py + abz * pz, acx * px + acy * py + acz * pz
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        return 0.0, d2 / (d2 - d6)
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return 1.0 - w, w
    total = va + vb + vc
    return vb / total, vc / total


@kernel
def _search(
    points: F64, facing: F64, reach: float, corners: F64, normals: F32, low: F64, step: float, cells: I64,
    starts: I64, items: I32, rows: I32, weights: F64,
) -> None:  # fmt: skip
    cell = np.empty(3, np.int64)
    for n in range(len(points)):
        p, f = points[n], facing[n]
        any_way = f[0] == 0.0 and f[1] == 0.0 and f[2] == 0.0
        best = reach * reach
        outside = 0  # shells to pass before the grid begins
        for k in range(3):
            cell[k] = int(np.floor((p[k] - low[k]) / step))
            outside = max(outside, -cell[k], cell[k] - cells[k] + 1)
        last = outside + max(cells[0], cells[1], cells[2])
        for shell in range(outside, last + 1):
            # Whatever lies in this shell or further out is at least so far away.
            least = (shell - 1) * step
            if least > 0.0 and least * least > best:
                break
            for x in range(max(cell[0] - shell, 0), min(cell[0] + shell, cells[0] - 1) + 1):
                for y in range(max(cell[1] - shell, 0), min(cell[1] + shell, cells[1] - 1) + 1):
                    on_rim = abs(x - cell[0]) == shell or abs(y - cell[1]) == shell
                    z, stride = cell[2] - shell, 1 if on_rim else max(2 * shell, 1)
                    while z <= cell[2] + shell:
                        if 0 <= z < cells[2]:
                            at = (x * cells[1] + y) * cells[2] + z
                            for i in range(starts[at], starts[at + 1]):
                                t = items[i]
                                wb, wc = _closest(p, corners[t])
                                wa = 1.0 - wb - wc
                                far = 0.0
                                for k in range(3):
                                    d = wa * corners[t, 0, k] + wb * corners[t, 1, k] + wc * corners[t, 2, k] - p[k]
                                    far += d * d
                                if far >= best:
                                    continue
                                if not any_way:
                                    same = 0.0
                                    for k in range(3):
                                        same += f[k] * (
                                            wa * normals[t, 0, k] + wb * normals[t, 1, k] + wc * normals[t, 2, k]
                                        )
                                    if same <= 0.0:
                                        continue
                                best = far
                                rows[n] = t
                                weights[n, 0], weights[n, 1], weights[n, 2] = wa, wb, wc
                        z += stride
