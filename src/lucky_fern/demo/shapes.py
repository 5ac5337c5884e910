"""Building blocks for the sample models: grids, lathes, tubes and boxes with laid-out UVs, written as OBJ."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F64, I64
from lucky_fern.core.model.polygons import triangulate
from lucky_fern.core.model.tangents import smooth_normals

Rect = tuple[float, float, float, float]  # left, bottom, right, top in UV space


class Shape:
    """Faces gathered part by part; lengths in metres, Y up, UV origin lower left."""

    def __init__(self) -> None:
        self.points: list[F64] = []
        self.uvs: list[F64] = []
        self.faces: list[tuple[str, list[int], list[int]]] = []
        self._point_count = 0
        self._uv_count = 0

    def grid(self, part: str, points: F64, uv: F64) -> None:
        """A (rows, columns, 3) grid of points with (rows, columns, 2) UVs; rows go up, columns right."""
        rows, columns = points.shape[:2]
        at = self._point_count + np.arange(rows * columns).reshape(rows, columns)
        at_uv = self._uv_count + np.arange(rows * columns).reshape(rows, columns)
        self._add(points.reshape(-1, 3), uv.reshape(-1, 2))
        for r in range(rows - 1):
            for c in range(columns - 1):
                square = [(r, c), (r, c + 1), (r + 1, c + 1), (r + 1, c)]
                # At a pole or a bow two corners meet: the square is a triangle there, or nothing.
                corners = [
                    corner for k, corner in enumerate(square)
                    if not np.allclose(points[corner], points[square[k - 1]], atol=1e-6)
                ]  # fmt: skip
                if len(corners) < 3:
                    continue
                self.faces.append((part, [int(at[k]) for k in corners], [int(at_uv[k]) for k in corners]))

    def face(self, part: str, points: Sequence[Sequence[float]], uv: Sequence[Sequence[float]]) -> None:
        """One polygon, counter-clockwise seen from outside."""
        start, start_uv = self._point_count, self._uv_count
        self._add(np.array(points, np.float64), np.array(uv, np.float64))
        count = len(points)
        self.faces.append((part, list(range(start, start + count)), list(range(start_uv, start_uv + count))))

    def _add(self, points: F64, uv: F64) -> None:
        self.points.append(points)
        self.uvs.append(uv)
        self._point_count += len(points)
        self._uv_count += len(uv)

    def lathe(self, part: str, profile: Sequence[tuple[float, float]], rect: Rect, steps: int = 96) -> None:
        """Turn a profile of (radius, y), listed upwards, round the Y axis; the seam lies at the back (−Z)."""
        outline = np.array(profile, np.float64)
        length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(outline, axis=0), axis=1))])
        angle = np.linspace(-np.pi, np.pi, steps + 1)
        radius, y = outline[:, :1], outline[:, 1:]
        points = np.stack(
            [radius * np.sin(angle), np.broadcast_to(y, (len(outline), steps + 1)), radius * np.cos(angle)],
            axis=-1,
        )
        u = rect[0] + (rect[2] - rect[0]) * (angle + np.pi) / (2 * np.pi)
        v = rect[1] + (rect[3] - rect[1]) * length / length[-1]
        self.grid(part, points, np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1))

    def disc(
        self, part: str, centre: F64, right: F64, up: F64, radius: float, uv: tuple[float, float], uv_radius: float,
        steps: int = 48, inner: float = 0.0, lift: float = 0.0,
    ) -> None:  # fmt: skip
        """A flat disc (or ring) that faces right × up; ``lift`` raises its inner edge."""
        angle = np.linspace(0, 2 * np.pi, steps + 1)
        spoke = np.cos(angle)[:, None] * right + np.sin(angle)[:, None] * up
        flat = np.stack([np.cos(angle), np.sin(angle)], axis=1)
        if inner <= 0:
            self.face(part, (centre + radius * spoke)[:-1].tolist(), (np.array(uv) + uv_radius * flat)[:-1].tolist())
            return
        towards = np.cross(right, up)
        points = np.stack([centre + radius * spoke, centre + inner * spoke + lift * towards])
        uvs = np.array(uv) + np.stack([uv_radius * flat, uv_radius * inner / radius * flat])
        self.grid(part, points, uvs)

    def tube(self, part: str, path: F64, radius: float, rect: Rect, steps: int = 12, closed: bool = False) -> None:
        """A round tube along a path (n, 3); u runs along it, v round it."""
        ahead = np.roll(path, -1, axis=0) - np.roll(path, 1, axis=0)
        if not closed:
            ahead[0], ahead[-1] = path[1] - path[0], path[-1] - path[-2]
        ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
        side = np.zeros_like(path)
        last = np.array([0.0, 1.0, 0.0]) if abs(ahead[0, 1]) < 0.9 else np.array([1.0, 0.0, 0.0])
        for k, direction in enumerate(ahead):  # carried along, so that the tube does not twist
            last = last - direction * (last @ direction)
            last /= np.linalg.norm(last)
            side[k] = last
        other = np.cross(ahead, side)
        if closed:
            path, side, other = (np.concatenate([x, x[:1]]) for x in (path, side, other))
        angle = np.linspace(0, 2 * np.pi, steps + 1)[:, None, None]
        points = path + radius * (np.cos(angle) * side + np.sin(angle) * other)
        along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
        u = rect[0] + (rect[2] - rect[0]) * along / along[-1]
        v = np.linspace(rect[1], rect[3], steps + 1)
        # Rows run round the tube against the turn of side → other, so that faces look outwards.
        self.grid(part, points[::-1], np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1))

    def box(self, part: str, low: Sequence[float], high: Sequence[float], faces: dict[str, Rect]) -> None:
        """An upright box; a face for each named side (front +Z, back, right +X, left, top, bottom)."""
        (x0, y0, z0), (x1, y1, z1) = low, high
        sides = {
            "front": [(x0, y0, z1), (x1, y0, z1), (x1, y1, z1), (x0, y1, z1)],
            "back": [(x1, y0, z0), (x0, y0, z0), (x0, y1, z0), (x1, y1, z0)],
            "right": [(x1, y0, z1), (x1, y0, z0), (x1, y1, z0), (x1, y1, z1)],
            "left": [(x0, y0, z0), (x0, y0, z1), (x0, y1, z1), (x0, y1, z0)],
            "top": [(x0, y1, z1), (x1, y1, z1), (x1, y1, z0), (x0, y1, z0)],
            "bottom": [(x0, y0, z0), (x1, y0, z0), (x1, y0, z1), (x0, y0, z1)],
        }
        for side, (u0, v0, u1, v1) in faces.items():
            self.face(part, sides[side], [(u0, v0), (u1, v0), (u1, v1), (u0, v1)])

    def write(self, path: Path, material: str, crease_deg: float = 35.0) -> None:
        """Write the shape as OBJ with normals, one ``o`` a part, and a plain MTL beside it."""
        points, uv = np.concatenate(self.points), np.concatenate(self.uvs)
        sizes = np.array([len(face[1]) for face in self.faces], np.int64)
        vertices = np.concatenate([face[1] for face in self.faces]).astype(np.int64)
        normals = self._normals(points, sizes, vertices, crease_deg)
        kept, normal_row = np.unique(np.round(normals, 5) + 0.0, axis=0, return_inverse=True)
        lines = [f"# Otterwick sample, made by script\nmtllib {path.stem}.mtl"]
        # Rounded to a tenth of a micrometre, so that the two ends of a lathe's seam are one point.
        lines += [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in np.round(points, 7) + 0.0]
        lines += [f"vt {u:.6f} {v:.6f}" for u, v in uv]
        lines += [f"vn {x:.5g} {y:.5g} {z:.5g}" for x, y, z in kept]
        corner, now = 0, ""
        for part, at, at_uv in sorted(self._numbered(), key=lambda face: face[0]):
            if part != now:
                now = part
                lines.append(f"o {part}\nusemtl {material}")
            corner = at_uv[1]
            rows = normal_row.ravel()[corner : corner + len(at)]
            lines.append(
                "f " + " ".join(f"{v + 1}/{t + 1}/{n + 1}" for v, t, n in zip(at, at_uv[0], rows, strict=True))
            )
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")
        path.with_suffix(".mtl").write_text(f"newmtl {material}\nKd 0.8 0.8 0.8\n", encoding="utf-8")

    def _numbered(self) -> list[tuple[str, list[int], tuple[list[int], int]]]:
        """Faces with the number of their first corner."""
        out, corner = [], 0
        for part, at, at_uv in self.faces:
            out.append((part, at, (at_uv, corner)))
            corner += len(at)
        return out

    @staticmethod
    def _normals(points: F64, sizes: I64, vertices: I64, crease_deg: float) -> F64:
        """(corners, 3) smooth normals of polygon corners."""
        corners, _ = triangulate(points, sizes, vertices)
        welded = np.unique(np.round(points, 7), axis=0, return_inverse=True)[1].ravel()
        base = np.zeros((int(welded.max()) + 1, 3))
        base[welded] = points
        normals = smooth_normals(base, welded[vertices[corners]].astype(np.int32), crease_deg)
        result = np.zeros((len(vertices), 3))
        result[corners.ravel()] = normals.reshape(-1, 3)
        return result


def arc(
    centre: tuple[float, float], radius: float, start_deg: float, end_deg: float, steps: int = 8
) -> list[tuple[float, float]]:
    """Points on a circle in the plane of a profile."""
    angles = np.radians(np.linspace(start_deg, end_deg, steps + 1))
    return [(centre[0] + radius * float(np.cos(a)), centre[1] + radius * float(np.sin(a))) for a in angles]
