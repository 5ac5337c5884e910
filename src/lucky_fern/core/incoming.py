"""What comes in with a model: pictures that its materials name as first washes, and newer versions of it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path, PurePath
from typing import Any

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError, LuckyFernError
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.maps import MAPS
from lucky_fern.core.model.load import ModelFiles, build, gather, texture_bytes
from lucky_fern.core.model.model import Model, Texture
from lucky_fern.core.model.stored import REVISION, encode_model
from lucky_fern.core.model.textures import find_picture
from lucky_fern.core.pictures.naming import UDIM_MARK, UV_MARK, Taken, tile_name
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.pictures.sequences import gather_sequence
from lucky_fern.core.project.commands import (
    AddLayer,
    KeepSlide,
    ReplaceModel,
    SetChannel,
    SetContent,
    SetMaskEntry,
    Several,
)
from lucky_fern.core.project.document import Channel, ModelSource, Project, Wash
from lucky_fern.core.project.kinds import Carrying, Place
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import Chunk, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio, read_picture_file, read_sequence
from lucky_fern.words import tr

_COMPONENT = {"r": 0, "g": 1, "b": 2, "a": 3}
_PROBE = 128  # texels across a sheet when two versions of a model are compared
_NEAR = 1e-3  # of the diagonal; surface that lies further from where it was has moved


def first_washes(studio: Studio, folder: Path) -> list[Texture]:
    """A wash for each material that names pictures, with those pictures on the right maps.

    Pictures are looked for in ``folder``, in folders that are usual beside it, and inside the model's file.
    What could not be read is told in the studio's notes.

    Returns
    -------
    The textures whose files are nowhere; :func:`point_at` takes them from elsewhere.
    """
    missing: list[Texture] = []
    for texture in studio.model.textures:
        if texture.inside is None and _where(folder, texture) is None:
            missing.append(texture)
            continue
        try:
            _give(studio, texture, folder)
        except LuckyFernError as error:
            studio.notes.append(str(error))
    return missing


def point_at(studio: Studio, texture: Texture, path: Path) -> None:
    """Take the picture of a texture from a file that a person names.

    Raises
    ------
    PictureError
        If it cannot be read.
    """
    _give(studio, replace_file(texture, path.name), path.parent)


def replace_file(texture: Texture, name: str) -> Texture:
    """A texture whose picture lies elsewhere than its model says."""
    return Texture(texture.material, texture.map, name, texture.component)


def _where(folder: Path, texture: Texture) -> Path | None:
    """The file of a texture; of a sequence, its folder with the pattern."""
    plain = texture.file.replace("\\", "/")
    if UDIM_MARK in plain or UV_MARK in plain:
        for place in (folder / PurePath(plain).parent, folder, folder / "textures"):
            try:
                gather_sequence(place, PurePath(plain).name)
            except LuckyFernError:
                continue
            return place / PurePath(plain).name
        return None
    return find_picture(folder, plain)


def _give(studio: Studio, texture: Texture, folder: Path) -> None:
    """Bring a texture's picture into the kit and onto its map."""
    taken: Taken = "colour" if MAPS[texture.map].encoded and not texture.component else "data"
    if texture.inside is not None:
        assert studio.project.model is not None
        files = {name: studio.blobs[digest] for name, digest in studio.project.model.files.items()}
        data = texture_bytes(ModelFiles(studio.project.model.name, files), texture)
        _onto(studio, texture, _kept(studio, data, texture.file, texture, taken))
        return
    path = _where(folder, texture)
    assert path is not None
    tiles = {key.tile for key in studio.surface.keys if key.material == texture.material}
    pattern = path.name if UDIM_MARK in path.name or UV_MARK in path.name else None
    named = tile_name(path.name)
    if pattern is None and named is not None and len(tiles) > 1:
        pattern = named.pattern
    if pattern is not None and not texture.component:
        found = gather_sequence(path.parent, pattern)
        contents = {
            tile: (data, read_picture(data, picture.name, taken))
            for tile, (data, picture) in read_sequence(found).items()
        }
        _onto(studio, texture, studio.keep_sequence(found, contents), by_tile=True)
        return
    _onto(studio, texture, _kept(studio, read_picture_file(path)[0], path.name, texture, taken))


def _kept(studio: Studio, data: bytes, name: str, texture: Texture, taken: Taken) -> str:
    """A picture in the kit; where one plane of it is meant, that plane as a grey picture of its own."""
    picture = read_picture(data, name, taken)
    if texture.component:
        plane: Any = picture.rgba[..., _COMPONENT[texture.component]][..., None]
        name = f"{PurePath(name).stem} {texture.map}.png"
        data = encode_png(np.ascontiguousarray(plane))
        picture = read_picture(data, name, "data")
    studio.notes += [f"{name}: {note}" for note in picture.notes]
    return studio.keep_picture(data, picture)


def _onto(studio: Studio, texture: Texture, picture: str, by_tile: bool = False) -> None:
    """Put a picture onto a map of the first wash of its material, made if it is not there."""
    name = tr("{material} from the file", material=texture.material)
    scope = Scope() if len(studio.model.materials) == 1 else Scope(materials=(texture.material,))
    channel = Channel("picture", picture=picture)
    by = "tiles" if by_tile else "uv"
    for layer in studio.project.walk():
        if layer.name == name and getattr(layer.content, "by", "") == by:
            studio.execute(SetChannel(layer.id, texture.map, channel))
            return
    studio.execute(AddLayer(name, Wash(by="tiles" if by_tile else "uv"), {texture.map: channel}, scope=scope))


# --- a newer version of the model ---------------------------------------------------------------------------------


@dataclass(frozen=True)
class Replacement:
    """A newer model made ready: the command that puts it in place, and what is to be told."""

    command: Several
    notes: tuple[str, ...]


def prepare_replacement(studio: Studio, path: Path) -> Replacement:
    """Read a newer version of the model; paint stays by UV, decals by pose, selections by where their faces lie.

    A layout that was made here is kept where the newer version has the same faces with the same UVs. Where the
    newer one is the older one in other units (inches for metres, say), poses are converted.

    Raises
    ------
    ModelError
        If the file cannot be used.
    CommandError
        If it has no UVs while there is paint to keep.
    """
    files = gather(path)
    new = build(files)
    contents = {name: studio.blobs.add(data) for name, data in files.files.items()}
    source = ModelSource(files.name, contents, studio.blobs.add(encode_model(new)), REVISION)
    notes: list[str] = []
    old_source = studio.project.model
    if old_source is not None and old_source.layout is not None:
        if _same_faces(studio.base, new):
            source = replace(source, layout=old_source.layout)
            new = studio.model
        else:
            notes.append(tr("the layout that was made here does not fit the new version and is left behind"))
    old = studio.model
    scale = _other_units(old, new)
    if scale is not None:
        notes.append(
            tr(
                "it is {scale:.4g}× as large as before, the same in other units: placed pictures are converted",
                scale=scale,
            )
        )
    gone = [name for name in old.materials if name not in new.materials]
    if gone:
        notes.append(
            tr(
                "it has no material {gone} any more; what is painted there waits till it is back",
                gone=", ".join(gone),
            )
        )
    fresh = [name for name in new.materials if name not in old.materials]
    if fresh:
        notes.append(tr("new material: {fresh}", fresh=", ".join(fresh)))
    lost = [name for name in old.parts if name not in new.parts]
    if lost:
        notes.append(tr("it has no part {lost} any more; scopes that name it show nothing", lost=", ".join(lost[:4])))
    notes += _moved(studio.surface, Surface(new), scale or 1.0)
    selections = {name: _carried(old, new, faces, scale or 1.0) for name, faces in studio.project.selections.items()}
    first = ReplaceModel(source, selections)
    also = _converted(studio.project, scale) if scale is not None else ()
    return Replacement(Several((first, *also), named=first.title), tuple(notes))


def _other_units(old: Model, new: Model) -> float | None:
    """How many times as large the new model is, if it is larger or smaller by one factor all round."""
    was, now = (np.ptp(model.bounds, axis=0) for model in (old, new))
    thick = was > 1e-6 * was.max()
    ratio = now[thick] / was[thick]
    scale = float(np.median(ratio))
    if not np.isfinite(ratio).all() or scale <= 0 or abs(scale - 1) < 0.02 or np.ptp(ratio) > 0.02 * scale:
        return None
    about = old.bounds[0] * scale
    # Only grown about somewhere else it would be another model.
    return scale if np.allclose(about, new.bounds[0], rtol=0, atol=0.02 * float(now.max())) else None


def _converted(project: Project, scale: float) -> tuple[SetContent | SetMaskEntry | SetChannel | KeepSlide, ...]:
    """Poses and heights in model units, in the units of a model ``scale`` times as large."""

    scaling = _Scaling(scale)
    made: list[SetContent | SetMaskEntry | SetChannel | KeepSlide] = []
    for layer in project.walk():
        content = layer.content
        if content.holds_layers or content.painted is not None:
            continue
        other = content.carried(scaling)
        if other is not content:
            made.append(SetContent(layer.id, other))
        height = layer.channels.get("height")
        if height is not None and height.relief is not None and height.relief.unit == "units":
            relief = replace(height.relief, strength=height.relief.strength * scale)
            made.append(SetChannel(layer.id, "height", replace(height, relief=relief)))
    for number, mask in project.masks.items():
        for at, entry in enumerate(mask.entries):
            shape = entry.shape.carried(scaling)
            if shape is not entry.shape:
                made.append(SetMaskEntry(number, at, replace(entry, shape=shape)))
    for name, slide in project.slides.items():
        made.append(KeepSlide(name, replace(slide, place=slide.place.scaled(scale))))
    return tuple(made)


class _Scaling(Carrying):
    """Everything in units of which there are so many times as many."""

    def __init__(self, by: float) -> None:
        self.by = by

    def place(self, place: Place) -> Place:
        return place.scaled(self.by)

    def length(self, units: float) -> float:
        return units * self.by


def _same_faces(old: Model, new: Model) -> bool:
    return (
        old.triangles.shape == new.triangles.shape
        and np.allclose(old.uv, new.uv, rtol=0, atol=1e-6, equal_nan=True)
        and old.materials == new.materials
    )


def _moved(old: Surface, new: Surface, scale: float) -> list[str]:
    """How much of the painted ground lies elsewhere on the new model than on the old one."""
    keys = [key for key in old.keys if key in new.keys]
    gone = [str(key) for key in old.keys if key not in new.keys]
    notes = [tr("nothing lies on {gone} any more", gone=", ".join(gone))] if gone else []
    every = moved = bare = 0
    where: dict[str, int] = {}
    near = _NEAR * max(old.model.diagonal, new.model.diagonal)
    for key in keys:
        was, now = old.sheet(key, square(_PROBE)), new.sheet(key, square(_PROBE))
        first, second = was.surface_points(Chunk(0, 0)), now.surface_points(Chunk(0, 0))
        both = (first.triangle >= 0) & (second.triangle >= 0)
        far = both & (np.linalg.norm(first.position * scale - second.position, axis=2) > near)
        every += int((first.triangle >= 0).sum())
        moved += int(far.sum())
        bare += int(((first.triangle >= 0) & (second.triangle < 0)).sum())
        owner = new.model.part[second.triangle[far]]
        for part in np.unique(owner).tolist():
            name = new.model.parts[part]
            where[name] = where.get(name, 0) + int((owner == part).sum())
    if every and moved / every > 0.001:
        names = ", ".join(sorted(where, key=lambda name: -where[name])[:4])
        notes.append(
            tr(
                "{moved:.1%} of what can be painted lies elsewhere than before ({names})",
                moved=moved / every,
                names=names,
            )
        )
    if every and bare / every > 0.001:
        notes.append(tr("{bare:.1%} of what could be painted has no surface any more", bare=bare / every))
    if not notes and every:
        notes.append(tr("all paint lies where it lay"))
    return notes


def _carried(old: Model, new: Model, packed: str, scale: float) -> str:
    """A selection on another version: faces whose middle lies nearest to one that was selected."""
    from scipy.spatial import cKDTree

    try:
        chosen = unpack_faces(packed, old.triangle_count)
    except CommandError:
        return packed
    if old.triangles.shape == new.triangles.shape and np.array_equal(old.triangles, new.triangles):
        return pack_faces(chosen)
    distance, nearest = cKDTree(old.corners.mean(axis=1) * scale).query(new.corners.mean(axis=1))
    reach = np.sqrt(np.linalg.norm(np.cross(
        new.corners[:, 1] - new.corners[:, 0], new.corners[:, 2] - new.corners[:, 0]), axis=1))  # fmt: skip
    inside: Bool = chosen[nearest] & (distance <= np.maximum(reach, _NEAR * new.diagonal))
    return pack_faces(inside)
