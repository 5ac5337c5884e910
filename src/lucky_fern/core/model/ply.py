"""PLY: polygons with colours and UVs on points or on faces.

Reference: G. Turk, "The PLY Polygon File Format", 1994. UVs have no agreed names there; the common ones are known.
"""

from __future__ import annotations

import re

import numpy as np

from lucky_fern.core.arrays import F64, I64, U8, Array, Bool
from lucky_fern.core.errors import ModelError
from lucky_fern.core.limits import MOST_POINTS
from lucky_fern.core.model.assemble import RawFaces
from lucky_fern.core.model.ply_rows import Element, Lists, read_rows
from lucky_fern.words import tr

_LONGEST_HEADER = 1 << 16
_WORDS = {b"ply", b"format", b"comment", b"obj_info", b"element", b"property", b"end_header"}
_BROKEN = (ValueError, UnicodeDecodeError, EOFError, TypeError, KeyError, IndexError, AttributeError, MemoryError,
           OverflowError, RuntimeError, StopIteration)  # fmt: skip
_UV_NAMES = (("texture_u", "texture_v"), ("s", "t"), ("u", "v"), ("tx", "ty"))


def read_ply(data: bytes, name: str) -> RawFaces:
    """Read the faces of a PLY file.

    Raises
    ------
    ModelError
        If it is damaged or holds no faces (a cloud of points, say).
    """
    try:
        elements = read_rows(*_checked(data, name))
    except ModelError:
        raise
    except _BROKEN as error:
        raise ModelError(
            tr("{name} is damaged or not a PLY file ({error}); export it again.", name=name, error=error)
        ) from error
    vertex, faces = elements.get("vertex"), elements.get("face")
    if vertex is None or not {"x", "y", "z"} <= vertex.columns.keys():
        raise ModelError(tr("{name} holds no points; export it again with its mesh included.", name=name))
    key = next((n for n in ("vertex_indices", "vertex_index") if faces is not None and n in faces.columns), None)
    if faces is None or key is None or not faces.rows:
        raise ModelError(tr("{name} holds points without faces; export it again as a mesh.", name=name))
    try:
        sizes, corners = faces.lists(key)
        corners = corners.astype(np.int64)
    except _BROKEN as error:
        raise ModelError(
            tr("{name} keeps its faces in a way that is not read ({error}); export it again.", name=name, error=error)
        ) from error
    usable = sizes >= 3
    warnings = []
    if not usable.all():
        warnings.append(tr("{sum} face(s) with fewer than three corners were left out.", sum=int((~usable).sum())))
    kept = np.flatnonzero(usable)
    if not len(kept):
        raise ModelError(tr("{name} holds no faces with three corners; export it again as a mesh.", name=name))
    vertices: I64 = corners[np.repeat(usable, sizes)]
    if vertices.min() < 0 or vertices.max() >= vertex.rows:
        raise ModelError(
            tr(
                "{name}: a face names point {max}, but there are {data}.",
                name=name,
                max=int(vertices.max()),
                data=vertex.rows,
            )
        )
    positions = _columns(vertex, ("x", "y", "z"))
    normals = np.full((len(vertices), 3), np.nan)
    if {"nx", "ny", "nz"} <= vertex.columns.keys():
        normals = _columns(vertex, ("nx", "ny", "nz"))[vertices]
    colours = _colours(vertex)
    return RawFaces(
        name=name,
        positions=positions,
        sizes=sizes[kept],
        vertices=vertices,
        uv=_uv(vertex, faces, usable, sizes, vertices),
        normals=normals,
        material=np.zeros(len(kept), np.int64),
        materials=["default"],
        part=np.zeros(len(kept), np.int64),
        parts=[""],
        warnings=warnings,
        corner_colours=None if colours is None else colours[vertices],
    )


def _checked(data: bytes, name: str) -> tuple[list[bytes], bytes]:
    """The lines of the header, and what follows it; one that promises more than the file holds is refused.

    Lines that are none of the format's (comments without their word, as some programs write them) are left out.
    """
    end = re.search(rb"(?m)^end_header[ \t]*\r?\n", data[:_LONGEST_HEADER])
    if data[:3] != b"ply" or end is None:
        raise ModelError(tr("{name} is damaged or not a PLY file (it has no header); export it again.", name=name))
    head, body = data[: end.end()], data[end.end() :]
    lines = head.replace(b"\r\n", b"\n").split(b"\n")
    kept = [line for line in lines if line.split()[:1] and line.split()[0] in _WORDS]
    asked = 0
    for line in kept:
        words = line.split()
        if words[0] == b"element":
            count = int(words[2])
            if not 0 <= count <= MOST_POINTS:
                raise ModelError(
                    tr(
                        "{name} says that it has {count} of '{decode}'; up to {MOST_POINTS} are read.",
                        name=name,
                        count=count,
                        decode=words[1].decode(errors="replace"),
                        MOST_POINTS=MOST_POINTS,
                    )
                )
            asked += count
    if asked > len(body):  # whatever an element is, it takes a byte
        raise ModelError(
            tr(
                "{name} is cut off: it says that it holds {asked} rows. Copy or export it again.",
                name=name,
                asked=asked,
            )
        )
    return kept, body


def _columns(element: Element, names: tuple[str, ...]) -> F64:
    return np.stack([element.numbers(name).astype(np.float64) for name in names], axis=1)


def _uv(vertex: Element, faces: Element, usable: Bool, sizes: I64, vertices: I64) -> F64:
    """(N, 2) of each corner: those on faces first, then those on points; NaN where there are none."""
    found = faces.columns.get("texcoord")
    if isinstance(found, Lists) and (found.counts[usable] == 2 * sizes[usable]).all():
        return found.items[np.repeat(usable, found.counts)].astype(np.float64).reshape(-1, 2)
    for pair in _UV_NAMES:
        if set(pair) <= vertex.columns.keys():
            return _columns(vertex, pair)[vertices]
    return np.full((len(vertices), 2), np.nan)


def _colours(vertex: Element) -> U8 | None:
    """(V, 4) sRGB-encoded colours of points; None where the file has none."""
    for names in (("red", "green", "blue"), ("r", "g", "b")):
        if set(names) <= vertex.columns.keys():
            planes = [vertex.numbers(name) for name in names]
            alpha = next((n for n in ("alpha", "a") if n in vertex.columns), None)
            planes.append(np.full(vertex.rows, 255, np.uint8) if alpha is None else vertex.numbers(alpha))
            return np.stack([_as_bytes(plane) for plane in planes], axis=1)
    return None


def _as_bytes(plane: Array) -> U8:
    """Floats count from 0 to 1, wider integers to their largest."""
    if plane.dtype.kind == "f":
        return np.asarray(np.clip(plane * 255 + 0.5, 0, 255), np.uint8)
    if plane.dtype.itemsize > 1:
        return np.asarray(plane.astype(np.float64) / np.iinfo(plane.dtype).max * 255 + 0.5, np.uint8)
    return plane.astype(np.uint8)
