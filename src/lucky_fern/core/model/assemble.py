"""From what a file says to a finished model: weld, repair, cut, and fill in what is missing."""

import re
from dataclasses import dataclass, field, replace

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, I64, U8, Array, Bool, equal_rows, unit_rows
from lucky_fern.core.errors import ModelError
from lucky_fern.core.limits import FARTHEST_POINT, FARTHEST_UV, LONGEST_NAME, MOST_POINTS
from lucky_fern.core.model.model import Model, Texture, groups, shared_edges
from lucky_fern.core.model.polygons import triangulate
from lucky_fern.core.model.tangents import mikk_tangents, smooth_normals
from lucky_fern.words import counted, tr


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
    tangents: F32 | None = None  # (N, 4) of corners, as the file gives them; NaN where it gives none


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
    raw.materials, raw.parts = _readable(raw.materials), _readable(raw.parts)
    raw.textures = [replace(one, material=_readable([one.material])[0]) for one in raw.textures]
    raw.colours = {_readable([name])[0]: colour for name, colour in raw.colours.items()}
    if not len(raw.sizes):
        raise ModelError(tr("{name} holds no faces; export it again with its mesh included.", name=raw.name))
    if max(len(raw.positions), len(raw.vertices)) > MOST_POINTS:
        raise ModelError(
            tr(
                "{name} has more than {MOST_POINTS:.0f} million points; make it simpler first.",
                name=raw.name,
                MOST_POINTS=MOST_POINTS / 1e6,
            )
        )
    raw.positions[np.abs(raw.positions) > FARTHEST_POINT] = np.nan
    corner, polygon = triangulate(np.nan_to_num(raw.positions), raw.sizes, raw.vertices)
    positions, welded = _weld_points(raw.positions)
    triangles = welded[raw.vertices[corner]]

    point = positions[triangles]
    finite: Bool = np.asarray(np.isfinite(point).all(axis=(1, 2)), np.bool_)
    point = np.where(finite[:, None, None], point, 0.0)
    area = np.linalg.norm(np.cross(point[:, 1] - point[:, 0], point[:, 2] - point[:, 0]), axis=1)
    longest = np.linalg.norm(np.roll(point, -1, axis=1) - point, axis=2).max(axis=1)
    flat = finite & ~(area > 1e-12 * longest**2)
    if (~finite).any():
        warnings.append(
            tr(
                "{faces} with a position that is not a number (NaN or infinite) {left_out}; export {name} "
                "again to get them back.",
                faces=_faces(polygon[~finite]),
                left_out=_left_out(polygon[~finite]),
                name=raw.name,
            )
        )
    if flat.any():
        warnings.append(
            tr(
                "{triangles} without area {were} left out.",
                triangles=counted(flat.sum(), "triangle"),
                were=_were(flat.sum()),
            )
        )
    keep = finite & ~flat
    if not keep.any():
        raise ModelError(tr("{name} has no face with an area; check the export of the mesh.", name=raw.name))
    corner, polygon, triangles = corner[keep], polygon[keep], triangles[keep]
    positions = np.where(np.isfinite(positions), positions, 0.0)

    uv = raw.uv[corner]
    uv[~np.isfinite(uv).all(axis=(1, 2))] = np.nan
    far = np.abs(np.nan_to_num(uv)).max(axis=(1, 2)) > FARTHEST_UV
    if far.any():
        uv[far] = np.nan
        warnings.append(
            tr(
                "{triangles} of {name} had UVs far beyond all tiles; they were dropped. Unwrap those faces "
                "at the Model station.",
                triangles=counted(int(far.sum()), "triangle"),
                name=raw.name,
            )
        )
    normals = _complete_normals(positions, triangles, raw.normals[corner])
    part, parts = _parts(triangles, raw.part[polygon], raw.parts)
    material, materials = _compact(raw.material[polygon], raw.materials)
    for name in sorted({name for name in raw.materials if raw.materials.count(name) > 1}):
        warnings.append(
            tr(
                "{count} materials of {name} are called '{name_2}' and are taken as one; give each a name of "
                "its own if they should have sheets of their own.",
                count=raw.materials.count(name),
                name=raw.name,
                name_2=name,
            )
        )

    return Model(
        name=raw.name,
        positions=positions,
        triangles=triangles.astype(np.int32),
        uv=uv,
        normals=normals,
        tangents=_complete_tangents(mikk_tangents(positions, triangles, uv, normals), raw, corner, normals),
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


def _readable(names: list[str]) -> list[str]:
    """Names without what no text can hold, and not longer than a person would read."""
    cleaned = [re.sub("[\\x00-\\x1f\\x7f\\ud800-\\udfff]", "_", name) for name in names]
    return [name if len(name) <= LONGEST_NAME else name[: LONGEST_NAME - 1] + "…" for name in cleaned]


def _were(number: int) -> str:
    return "was" if number == 1 else "were"


def _faces(polygon: Array) -> str:
    return counted(len(np.unique(polygon)), "face")


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


def _complete_tangents(made: F32, raw: RawFaces, corner: I32, normals: F32) -> F32:
    """The file's own corner tangents, where it gives sound ones: those that its normal maps were made for."""
    if raw.tangents is None:
        return made
    given = raw.tangents[corner].astype(np.float64)
    along = given[..., :3] - normals * (given[..., :3] * normals).sum(axis=2, keepdims=True)
    length = np.linalg.norm(along, axis=2)
    sound = np.isfinite(given).all(axis=2) & (length > 0.1)
    # All of a triangle or none: it lies one way round.
    sound = (
        sound.all(axis=1) & (np.sign(given[..., 3]) == np.sign(given[:, :1, 3])).all(axis=1) & (given[:, 0, 3] != 0)
    )
    out = made.copy()
    out[sound, :, :3] = along[sound] / length[sound][..., None]
    out[sound, :, 3] = np.sign(given[sound, :, 3])
    return out


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
