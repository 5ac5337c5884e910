"""From what a file says to a finished model: weld, repair, cut, and fill in what is missing."""

from dataclasses import dataclass, field

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, Array, equal_rows, unit_rows
from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.model import Model, Texture, groups, shared_edges
from lucky_fern.core.model.polygons import triangulate
from lucky_fern.core.model.tangents import mikk_tangents, smooth_normals


@dataclass
class RawFaces:
    """What a reader found, polygon by polygon; corner arrays run polygon after polygon.

    ``uv`` (N, 2) and ``normals`` (N, 3) hold NaN where the file gives none; ``corner_colours`` (N, 4) uint8 are
    sRGB-encoded, straight; ``textures`` are what each material names for each map.
    """

    name: str
    positions: F64
    sizes: I64
    vertices: I64
    uv: F64
    normals: F64
    material: I64
    materials: list[str]
    part: I64
    parts: list[str]
    warnings: list[str] = field(default_factory=list)
    colours: dict[str, str] = field(default_factory=dict)
    corner_colours: U8 | None = None
    textures: list[Texture] = field(default_factory=list)


def assemble(raw: RawFaces) -> Model:
    """Build the model.

    Faces with a NaN position and triangles without area are dropped with a warning; normals that are
    missing are computed; parts without a name are numbered by connection.

    Raises
    ------
    ModelError
        If nothing is left to show.
    """
    warnings = list(raw.warnings)
    if not len(raw.sizes):
        raise ModelError(f"{raw.name} holds no faces; export it again with its mesh included.")
    corner, polygon = triangulate(raw.positions, raw.sizes, raw.vertices)
    positions, welded = _weld_points(raw.positions)
    triangles = welded[raw.vertices[corner]]

    point = positions[triangles]
    finite = np.isfinite(point).all(axis=(1, 2))
    area = np.linalg.norm(np.cross(point[:, 1] - point[:, 0], point[:, 2] - point[:, 0]), axis=1)
    longest = np.linalg.norm(np.roll(point, -1, axis=1) - point, axis=2).max(axis=1)
    flat = finite & ~(area > 1e-12 * longest**2)
    if (~finite).any():
        warnings.append(
            f"{_faces(polygon[~finite])} with a position that is not a number (NaN or infinite) "
            f"{_left_out(polygon[~finite])}; export {raw.name} again to get them back."
        )
    if flat.any():
        warnings.append(f"{_count(flat.sum(), 'triangle')} without area {_were(flat.sum())} left out.")
    keep = finite & ~flat
    if not keep.any():
        raise ModelError(f"{raw.name} has no face with an area; check the export of the mesh.")
    corner, polygon, triangles = corner[keep], polygon[keep], triangles[keep]
    positions = np.where(np.isfinite(positions), positions, 0.0)

    uv = raw.uv[corner]
    uv[~np.isfinite(uv).all(axis=(1, 2))] = np.nan
    normals = _complete_normals(positions, triangles, raw.normals[corner])
    part, parts = _parts(triangles, raw.part[polygon], raw.parts)
    material, materials = _compact(raw.material[polygon], raw.materials)
    for name in sorted({name for name in raw.materials if raw.materials.count(name) > 1}):
        warnings.append(
            f"{raw.materials.count(name)} materials of {raw.name} are called '{name}' and are taken as one; "
            "give each a name of its own if they should have sheets of their own."
        )

    without = int((~np.isfinite(uv).all(axis=(1, 2))).sum())
    if without == len(triangles):
        warnings.append(
            f"{raw.name} has no UVs, so there is nothing to paint on yet. Unwrap it at the Model station."
        )
    elif without:
        warnings.append(f"{_count(without, 'triangle')} of {raw.name} have no UVs and stay unpainted.")
    return Model(
        name=raw.name,
        positions=positions,
        triangles=triangles.astype(np.int32),
        uv=uv,
        normals=normals,
        tangents=mikk_tangents(positions, triangles, uv, normals),
        material=material,
        materials=materials,
        part=part,
        parts=parts,
        polygon=polygon,
        warnings=tuple(warnings),
        colours={name: colour for name, colour in raw.colours.items() if name in materials},
        corner_colours=None if raw.corner_colours is None else raw.corner_colours[corner],
        textures=tuple(texture for texture in raw.textures if texture.material in materials),
    )


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}{'' if number == 1 else 's'}"


def _were(number: int) -> str:
    return "was" if number == 1 else "were"


def _faces(polygon: Array) -> str:
    return _count(len(np.unique(polygon)), "face")


def _left_out(polygon: Array) -> str:
    return f"{_were(len(np.unique(polygon)))} left out"


def _weld_points(positions: F64) -> tuple[F64, I32]:
    """Equal points become one; ((V, 3) points, (N,) row of each input point)."""
    first, number = equal_rows(positions)
    return positions[first] + 0.0, number


def _complete_normals(positions: F64, triangles: I32, given: F64) -> F32:
    """The file's corner normals, made unit length; computed where they are missing or zero."""
    given = unit_rows(np.nan_to_num(given))
    missing = np.linalg.norm(given, axis=2) < 0.5
    if missing.any():
        given[missing] = smooth_normals(positions, triangles)[missing]
    return given.astype(np.float32)


def _parts(triangles: I32, part: I64, names: list[str]) -> tuple[I32, tuple[str, ...]]:
    """Named parts as the file has them; without any name, connected pieces in order of appearance."""
    if any(names):
        return _compact(part, [name or "unnamed" for name in names])
    first, second = shared_edges(triangles)[:2]
    labels = groups(len(triangles), np.stack([first, second], axis=1))
    return labels, tuple(f"part {index + 1}" for index in range(int(labels.max()) + 1))


def _compact(index: I64, names: list[str]) -> tuple[I32, tuple[str, ...]]:
    """Drop names that no triangle uses and merge equal ones, keeping the order of the file."""
    order: dict[str, int] = {}
    for used in np.unique(index):
        order.setdefault(names[used], len(order))
    table = np.array([order.get(name, 0) for name in names], np.int32)
    return table[index], tuple(order)
