"""Cutting and flattening pieces with xatlas; run as a program it does so for another process.

xatlas holds the interpreter while it works, for a minute on 100 000 triangles: whoever has a window asks a process
of its own, which can be ended at any time.
"""

from __future__ import annotations

import io
import sys
from typing import IO

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, Array

_PER_UNIT = 256.0  # texels a unit while it is cut; what comes out is divided by it again


def flatten_piece(points: F64, triangles: I64) -> tuple[F64, I32]:
    """Flatten one piece: points (V, 3) about their middle, and triangles (T, 3).

    Returns
    -------
    uv : (T, 3, 2) in the units of the points, each chart somewhere by itself.
    chart : (T,) int32, which chart each triangle is on.
    """
    import xatlas

    extent = max(float(np.abs(points).max()), 1e-300)  # pieces of any size are cut alike
    atlas = xatlas.Atlas()
    atlas.add_mesh((points / extent).astype(np.float32), triangles.astype(np.uint32))
    options = xatlas.PackOptions()
    options.texels_per_unit, options.padding, options.max_chart_size = _PER_UNIT, 1, 0
    atlas.generate(pack_options=options)
    _, indices, uvs = atlas.get_mesh(0)
    faces = np.asarray(indices, np.int64).reshape(-1, 3)
    uv = np.asarray(uvs, np.float64) * (atlas.width, atlas.height) / _PER_UNIT * extent
    return uv[faces], _connected(faces, len(uv))


def _connected(faces: I64, count: int) -> I32:
    """(T,) int32, numbers of what hangs together over points; light, as this runs in a process of its own."""
    label = np.arange(count)
    while True:
        lowest = label[faces].min(axis=1)
        before = label.copy()
        for corner in range(3):
            np.minimum.at(label, faces[:, corner], lowest)
        label = label[label]
        if np.array_equal(label, before):
            return np.asarray(np.unique(label[faces[:, 0]], return_inverse=True)[1], np.int32)


def _serve(asked: IO[bytes], answers: IO[bytes]) -> None:
    """Pieces come as two arrays each, after their number; each is answered by two arrays."""
    for _ in range(int(receive(asked))):
        points = receive(asked)
        for array in flatten_piece(points, receive(asked)):
            send(answers, array)
        answers.flush()


def send(stream: IO[bytes], array: Array) -> None:
    """Write an array to a pipe: its length in bytes, then it as NumPy saves it."""
    data = io.BytesIO()
    np.save(data, array, allow_pickle=False)
    stream.write(len(data.getvalue()).to_bytes(8, "little") + data.getvalue())


def receive(stream: IO[bytes]) -> Array:
    """Read what :func:`send` wrote.

    Raises
    ------
    EOFError, ValueError
        If the other side has ended.
    """
    length = int.from_bytes(stream.read(8), "little")
    array: Array = np.load(io.BytesIO(stream.read(length)), allow_pickle=False)
    return array


if __name__ == "__main__":
    _serve(sys.stdin.buffer, sys.stdout.buffer)
