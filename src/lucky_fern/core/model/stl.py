"""STL: bare triangles, in text or binary; no UVs, no names that matter."""

from __future__ import annotations

import re

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.assemble import RawFaces
from lucky_fern.words import tr


def read_stl(data: bytes, name: str) -> RawFaces:
    """Read the triangles of an STL file.

    Raises
    ------
    ModelError
        If it is damaged or empty.
    """
    try:
        corners = _binary(data) if _is_binary(data) else _text(data)
    except (ValueError, KeyError, IndexError, UnicodeDecodeError, TypeError) as error:
        raise ModelError(tr("{name} is damaged or not an STL file; export it again.", name=name)) from error
    if not len(corners):
        raise ModelError(tr("{name} holds no faces; export it again with its mesh included.", name=name))
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


def _is_binary(data: bytes) -> bool:
    """Whether the count of triangles fits the length; files that begin with "solid" may be either."""
    if len(data) < 84:
        return False
    count = int.from_bytes(data[80:84], "little")
    # The last triangle's unused word may be cut off: nothing of the mesh is missing then.
    return 84 + 50 * count - 2 <= len(data) and not (data[:5] == b"solid" and b"facet" in data[:1024])


def _binary(data: bytes) -> F64:
    """(T, 3, 3) corners; 50 bytes a triangle after a header of 84 (3D Systems, "StereoLithography Interface")."""
    count = int.from_bytes(data[80:84], "little")
    padded = data[84 : 84 + 50 * count].ljust(50 * count, b"\0")
    rows = np.frombuffer(padded, np.uint8).reshape(count, 50)[:, 12:48]
    return np.ascontiguousarray(rows).view("<f4").reshape(count, 3, 3).astype(np.float64)


def _text(data: bytes) -> F64:
    """(T, 3, 3) corners of the text form; names may be in any encoding."""
    found = re.findall(r"(?i)^\s*vertex\s+(\S+)\s+(\S+)\s+(\S+)", data.decode("latin-1"), re.MULTILINE)
    if not found or b"facet" not in data.lower():
        raise ValueError(tr("it holds no triangles"))
    corners = np.array(found, np.float64)
    return corners[: len(corners) // 3 * 3].reshape(-1, 3, 3)
