"""STL: bare triangles, in text or binary; no UVs, no names that matter."""

from __future__ import annotations

import io

import numpy as np

from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.assemble import RawFaces


def read_stl(data: bytes, name: str) -> RawFaces:
    """Read the triangles of an STL file.

    Raises
    ------
    ModelError
        If it is damaged or empty.
    """
    from trimesh.exchange.stl import HeaderError, load_stl

    try:
        found = load_stl(io.BytesIO(data))
        pieces = list(found["geometry"].values()) if "geometry" in found else [found]
        corners = np.concatenate(
            [np.asarray(one["vertices"], np.float64)[np.asarray(one["faces"], np.int64)] for one in pieces]
        )
    except (HeaderError, ValueError, KeyError, IndexError, UnicodeDecodeError, TypeError) as error:
        raise ModelError(f"{name} is damaged or not an STL file; export it again.") from error
    if not len(corners):
        raise ModelError(f"{name} holds no faces; export it again with its mesh included.")
    count = len(corners)
    return RawFaces(
        name=name,
        positions=corners.reshape(-1, 3),
        sizes=np.full(count, 3, np.int64),
        vertices=np.arange(3 * count, dtype=np.int64),
        uv=np.full((3 * count, 2), np.nan),
        normals=np.full((3 * count, 3), np.nan),
        material=np.zeros(count, np.int64),
        materials=["default"],
        part=np.zeros(count, np.int64),
        parts=[""],
    )
