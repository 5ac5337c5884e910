"""Names for the array types that pass between rooms."""

from typing import Any

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
F32 = npt.NDArray[np.float32]
I64 = npt.NDArray[np.int64]
I32 = npt.NDArray[np.int32]
U64 = npt.NDArray[np.uint64]
I16 = npt.NDArray[np.int16]
U16 = npt.NDArray[np.uint16]
U8 = npt.NDArray[np.uint8]
Bool = npt.NDArray[np.bool_]
Array = npt.NDArray[Any]


def box_of(corners: F64) -> tuple[F64, F64]:
    """Lowest and highest coordinates (T, d) of triangles (T, 3, d)."""
    # Many times as fast as least and greatest along an axis of three.
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    return np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)


def triangle_areas(corners: F64) -> F64:
    """(N,) surface areas of triangles (N, 3, 3)."""
    result: F64 = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    return result


def lengths(vectors: F64) -> F64:
    """Lengths of short vectors along the last axis; component by component, which is many times as fast as a sum."""
    total = np.asarray(vectors[..., 0] * vectors[..., 0])
    for component in range(1, vectors.shape[-1]):
        total += vectors[..., component] * vectors[..., component]
    return np.sqrt(total, out=total)


def unit_rows(vectors: F64) -> F64:
    """Scale vectors along the last axis to length 1; zero vectors stay zero, and what is no number becomes zero."""
    length = lengths(vectors)
    lost = ~(length > 0)
    length[lost] = 1.0
    result: F64 = vectors / length[..., None]
    result[lost] = 0.0
    return result


def equal_rows(rows: F64) -> tuple[I64, I32]:
    """Find equal rows of (N, k) float64; NaN equals nothing but the same NaN.

    Returns
    -------
    first : (U,) int64, where each distinct row stands first, in order of appearance.
    number : (N,) int32, which of them each row equals.
    """
    # Sorting one hash a row is many times as fast as sorting rows; a clash of hashes is noticed and sorted out.
    bits = np.ascontiguousarray(rows + 0.0).view(np.uint64).reshape(len(rows), -1)
    mixed = np.zeros(len(rows), np.uint64)
    for column in range(bits.shape[1]):
        mixed = (mixed ^ bits[:, column]) * np.uint64(0x9E3779B97F4A7C15)
        mixed ^= mixed >> np.uint64(29)
    _, first, number = np.unique(mixed, return_index=True, return_inverse=True)
    if (bits != bits[first[number]]).any():
        _, first, number = np.unique(bits, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    rank = np.empty(len(order), np.int32)
    rank[order] = np.arange(len(order), dtype=np.int32)
    return first[order].astype(np.int64), rank[number.ravel()]
