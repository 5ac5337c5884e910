"""Tangents against an independent implementation of MikkTSpace, written from its description, corner by corner.

M. S. Mikkelsen, "Simulation of Wrinkled Surfaces Revisited" (2008), chapter 3: corners that are equal in position,
normal and UV are one; faces that share an edge between such corners and lie the same way round in UV space form a
group at a corner; faces without area in UV space join any group; the tangent is the angle-weighted mean of the faces'
directions of growing u, each first brought into the corner normal's plane.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gltf_samples import small_glb
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.tangents import mikk_tangents


def unit(v: np.ndarray) -> np.ndarray:
    return v / np.linalg.norm(v)


def described(points: np.ndarray, triangles: np.ndarray, uv: np.ndarray, normals: np.ndarray) -> np.ndarray:
    """(T, 3, 4), NaN where nothing is said; plain loops on purpose."""
    count = len(triangles)
    uv, normals = uv.astype(np.float32), normals.astype(np.float32)
    name = [
        [(int(triangles[t, c]), normals[t, c].tobytes(), (uv[t, c] + np.float32(0)).tobytes()) for c in range(3)]
        for t in range(count)
    ]
    area = np.zeros(count)
    grow = np.zeros((count, 3))
    for t in range(count):
        d1, d2 = (uv[t, 1] - uv[t, 0]).astype(float), (uv[t, 2] - uv[t, 0]).astype(float)
        e1, e2 = points[triangles[t, 1]] - points[triangles[t, 0]], points[triangles[t, 2]] - points[triangles[t, 0]]
        area[t] = d1[0] * d2[1] - d1[1] * d2[0]
        grow[t] = (e1 * d2[1] - e2 * d1[1]) * (1 if area[t] > 0 else -1)
    edges: dict[object, list[int]] = {}
    for t in range(count):
        for c in range(3):
            edges.setdefault(frozenset((name[t][c], name[t][(c + 1) % 3])), []).append(t)
    side = [None if area[t] == 0 else area[t] > 0 for t in range(count)]
    out = np.full((count, 3, 4), np.nan)
    for t in range(count):
        for c in range(3):
            if side[t] is None:
                continue
            # The faces that hang together round this corner and lie the same way round.
            group, waiting = {t}, [t]
            while waiting:
                at = waiting.pop()
                for k in range(3):
                    pair = frozenset((name[at][k], name[at][(k + 1) % 3]))
                    if name[t][c] not in pair or len(edges[pair]) != 2:
                        continue
                    for other in edges[pair]:
                        if other not in group and side[other] in (side[t], None):
                            group.add(other)
                            waiting.append(other)
            total, normal = np.zeros(3), normals[t, c].astype(float)
            for one in group:
                if side[one] is None:
                    continue
                k = name[one].index(name[t][c])
                corner = points[triangles[one]]

                def flat(v: np.ndarray, normal: np.ndarray = normal) -> np.ndarray:
                    return unit(v - normal * (v @ normal))

                a, b = flat(corner[(k + 1) % 3] - corner[k]), flat(corner[(k + 2) % 3] - corner[k])
                along = grow[one] - normal * (grow[one] @ normal)
                if np.linalg.norm(along) > 0:
                    total += unit(along) * np.arccos(np.clip(a @ b, -1, 1))
            if np.linalg.norm(total) > 1e-6:
                out[t, c, :3], out[t, c, 3] = unit(total), 1 if side[t] else -1
    return out


def sheet(
    rng: np.random.Generator, cells: int, scale: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """A bumpy grid in pieces: some cells' UVs mirrored, moved away, or squashed to nothing."""
    n = cells + 1
    x, y = np.meshgrid(np.arange(n), np.arange(n))
    points = np.stack([x, y, 0.6 * rng.random((n, n))], axis=-1).reshape(-1, 3) * scale
    triangles, uv = [], []
    for r in range(cells):
        for k in range(cells):
            a, b, c, d = r * n + k, r * n + k + 1, (r + 1) * n + k + 1, (r + 1) * n + k
            for three in ((a, b, c), (a, c, d)):
                flat = np.array([[p % n, p // n] for p in three], float) / cells
                how = rng.integers(0, 8)
                if how == 0:
                    flat = flat * (-1, 1) + (3, 0)
                elif how == 1:
                    flat = flat + 5
                elif how == 2:
                    flat = np.repeat(flat[:1], 3, axis=0)
                triangles.append(three)
                uv.append(flat)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(triangles), 3, 1))
    return points, np.array(triangles, np.int32), np.array(uv), normals


@settings(max_examples=40, deadline=None)
@given(seed=st.integers(0, 10_000), cells=st.integers(1, 4), scale=st.sampled_from([1e-7, 1.0, 1e6]))
def test_tangents_are_those_of_the_description(seed: int, cells: int, scale: float) -> None:
    points, triangles, uv, normals = sheet(np.random.default_rng(seed), cells, scale)
    found, wanted = mikk_tangents(points, triangles, uv, normals), described(points, triangles, uv, normals)
    told = np.isfinite(wanted).all(axis=2)
    assert np.abs(found[told] - wanted[told]).max(initial=0) < 1e-4
    assert np.allclose(np.linalg.norm(found[..., :3], axis=2), 1, atol=1e-5)


def test_faces_without_uv_area_split_no_fan_and_mirror_nothing() -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [-1, 0.5, 0]], float)
    triangles = np.array([[0, 1, 2], [0, 2, 3], [0, 3, 4]], np.int32)
    uv = np.array([[[0, 0], [1, 0], [1, 1]], [[0, 0], [1, 1], [1, 1]], [[0, 0], [1, 1], [0, 1]]], float)
    found = mikk_tangents(points, triangles, uv, np.tile(np.array([0, 0, 1], np.float32), (3, 3, 1)))
    assert (found[..., 3] == 1).all()  # the flat one goes along
    assert np.allclose(found[0, 0], found[1, 0]) and np.allclose(found[0, 0], found[2, 0])


@pytest.mark.parametrize("side", [1.0, -1.0])
def test_tangents_that_a_gltf_brings_are_kept(tmp_path: Path, side: float) -> None:
    given_ = np.tile(np.array([0.6, 0.8, 0, side], "<f4"), (4, 1))
    normals = np.tile(np.array([0, 0, 1], "<f4"), (4, 1))
    (tmp_path / "a.glb").write_bytes(small_glb(NORMAL=normals, TANGENT=given_))
    assert np.allclose(load_model(tmp_path / "a.glb").tangents, given_[0], atol=1e-6)
    (tmp_path / "b.glb").write_bytes(small_glb(NORMAL=normals))
    assert np.allclose(load_model(tmp_path / "b.glb").tangents, [1, 0, 0, 1], atol=1e-6)
