"""Turning the normals of pictures into the tangent frame of the surface that they are put on.

A normal map's x and y run along its picture's own axes. On the surface the picture may lie turned or mirrored against
the UV layout, whose frame (MikkTSpace, +Y up) the maps of sheets are stored in: so x and y are turned by the angle
between the two, texel by texel. Both frames share the surface's normal, so z stays.
"""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U16, unit_rows
from lucky_fern.core.model.gradients import axes_of
from lucky_fern.core.model.model import Model
from lucky_fern.core.sheets.grid import Chunk, span
from lucky_fern.core.sheets.sheet import Sheet


def uv_directions(model: Model, rows: I32, rotate: float, scale: tuple[float, float] = (1.0, 1.0)) -> tuple[F64, F64]:
    """How the surface runs to the right and up of a picture that lies in UV space, turned counter-clockwise.

    (N, 3) each; ``scale`` below 0 has it the other way round.
    """
    u, v = axes_of(model.corners[rows], model.uv[rows])
    angle = np.radians(rotate)
    cos, sin = float(np.cos(angle)), float(np.sin(angle))
    return (u * cos + v * sin) * np.sign(scale[0]), (v * cos - u * sin) * np.sign(scale[1])


def frames(sheet: Sheet, chunk: Chunk, rows: I64, columns: I64, owner: I32) -> tuple[F64, F64, F64]:
    """Tangent, bitangent and normal (N, 3), unit length and at right angles, at texels of a chunk.

    ``rows`` and ``columns`` (N,) count within the chunk; ``owner`` (N,) are rows of ``sheet.xy``.
    """
    down, right = span(chunk, sheet.size)
    weights = sheet.barycentrics(rows + down.start, columns + right.start, owner)
    return frames_at(sheet.model, sheet.triangle[owner], weights)


def frames_at(model: Model, triangle: I32, weights: F64) -> tuple[F64, F64, F64]:
    """Tangent, bitangent and normal (N, 3) at points of triangles given by barycentrics (N, 3)."""
    normal = unit_rows(np.einsum("nk,nkd->nd", weights, model.normals[triangle].astype(np.float64)))
    given = model.tangents[triangle].astype(np.float64)
    tangent = np.einsum("nk,nkd->nd", weights, given[..., :3])
    tangent = unit_rows(tangent - normal * (tangent * normal).sum(axis=1, keepdims=True))
    return tangent, np.cross(normal, tangent) * given[:, :1, 3], normal


def leans(normals: F64, frame: tuple[F64, F64, F64]) -> F64:
    """(N, 3) in space, how far stored normals (N, 3), -1…1, lean off the surface's own; frames as
    :func:`frames_at`.
    """
    lean: F64 = normals[:, :1] * frame[0] + normals[:, 1:2] * frame[1]
    return lean


def carried_leans(
    stored: F32, here: tuple[F64, F64, F64], there: tuple[F64, F64, F64], turn: F64 | None = None
) -> F32:
    """Normals (N, 3), stored 0…1, brought from one place of the surface to another with their lean in space.

    ``here`` and ``there`` are the frames of the two; ``turn`` (3, 3) is how space itself is turned between them. What
    is left between the two normals is the shortest rotation.
    """
    lean = leans(np.asarray(stored, np.float64) * 2 - 1, here)
    before, after = here[2], there[2]
    if turn is not None:
        lean, before = lean @ turn.T, before @ turn.T
    # Rodrigues' rotation of one normal into the other; those that point opposite ways are left as they are.
    axis = np.cross(before, after)
    cosine = (before * after).sum(axis=1, keepdims=True)
    turned = lean + np.cross(axis, lean) + np.cross(axis, np.cross(axis, lean)) / np.maximum(1 + cosine, 1e-6)
    lean = np.where(cosine > -0.999, turned, lean)
    out = np.array(stored, np.float32)
    out[:, 0] = (lean * there[0]).sum(axis=1) * 0.5 + 0.5
    out[:, 1] = (lean * there[1]).sum(axis=1) * 0.5 + 0.5
    return np.clip(out, 0, 1)


def turn_normals(rgba: U16, at: tuple[I64, I64], axes: tuple[F64, F64], frame: tuple[F64, F64, F64]) -> None:
    """Turn the normals of texels ``at`` (rows, columns) of (r, c, 4) uint16, in place.

    ``axes`` are the picture's right and up on the surface, ``frame`` the surface's own; (N, 3) each.
    """
    tangent, bitangent, normal = frame
    right, up = axes
    right = right - normal * (right * normal).sum(axis=1, keepdims=True)
    length = np.linalg.norm(right, axis=1, keepdims=True)
    sound = length[:, 0] > 1e-12 * np.maximum(np.abs(axes[0]).max(axis=1), 1e-300)
    right = np.divide(right, length, out=tangent.copy(), where=sound[:, None])
    # The other axis stands at right angles, on the side on which the picture's own up is.
    other = np.cross(normal, right)
    other *= np.where((other * up).sum(axis=1) < 0, -1.0, 1.0)[:, None]
    texel = rgba[at]
    x, y = texel[:, 0] / 32767.5 - 1, texel[:, 1] / 32767.5 - 1
    lean = right * x[:, None] + other * y[:, None]
    turned = np.stack([(lean * tangent).sum(axis=1), (lean * bitangent).sum(axis=1)], axis=1)
    texel[:, :2] = np.clip(np.rint((turned + 1) * 32767.5), 0, 65535)
    rgba[at] = texel
