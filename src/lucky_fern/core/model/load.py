"""Opening a model file of any kind that is read, with everything it needs beside it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from lucky_fern.core.colour import to_hex
from lucky_fern.core.errors import ModelError
from lucky_fern.core.files import inside, read_file
from lucky_fern.core.model.assemble import RawFaces, assemble
from lucky_fern.core.model.dae import read_dae
from lucky_fern.core.model.gltf import picture_inside, read_gltf
from lucky_fern.core.model.model import Model, Texture
from lucky_fern.core.model.obj import material_libraries, read_mtl, read_obj
from lucky_fern.core.model.ply import read_ply
from lucky_fern.core.model.stl import read_stl
from lucky_fern.core.model.textures import mtl_textures
from lucky_fern.words import tr


@dataclass(frozen=True)
class ModelFiles:
    """The bytes of a model file and of the files it names, so that a project can carry them."""

    name: str
    files: dict[str, bytes]

    @property
    def data(self) -> bytes:
        return self.files[self.name]


@dataclass(frozen=True)
class ModelFormat:
    """One kind of model file: what reads it, and what brings along the files that it names."""

    read: Callable[[ModelFiles], RawFaces]
    gather: Callable[[Path, dict[str, bytes]], object] = lambda path, files: None


def gather(path: Path) -> ModelFiles:
    """Read a model file and the files it names (buffers, material libraries) from disk.

    Raises
    ------
    ModelError
        If the file is missing, unreadable, or of a kind that is not read.
    """
    if path.suffix.lower() not in FORMATS:
        raise ModelError(
            tr(
                "{name} is not a model that can be opened; choose an OBJ, GLB, glTF, PLY, STL or COLLADA file.",
                name=path.name,
            )
        )
    files = {path.name: _read(path)}
    FORMATS[path.suffix.lower()].gather(path, files)
    return ModelFiles(path.name, files)


def build(source: ModelFiles) -> Model:
    """The model from gathered bytes.

    Raises
    ------
    ModelError
        If the bytes cannot be understood; the sentence names the file and, for OBJ, the line.
    """
    return assemble(FORMATS[Path(source.name).suffix.lower()].read(source))


def _gather_libraries(path: Path, files: dict[str, bytes]) -> None:
    """Those of an OBJ; one that is missing costs nothing here: the names of materials stand in the OBJ itself."""
    for name in material_libraries(files[path.name]):
        beside = inside(path.parent, name.replace("\\", "/"))
        if beside is not None:
            files[name] = _read(beside)


def _gather_buffers(path: Path, files: dict[str, bytes]) -> None:
    """Those of a glTF, which all must be there."""

    def fetch(uri: str) -> bytes:
        beside = inside(path.parent, uri)
        if beside is None:
            raise ModelError(tr("{name} names {uri}, which is not in its own folder; put the file beside it.",
                                name=path.name, uri=uri[:200]))  # fmt: skip
        files[uri] = _read(beside)
        return files[uri]

    read_gltf(files[path.name], path.name, fetch)


def _obj(source: ModelFiles) -> RawFaces:
    return _with_libraries(read_obj(source.data, source.name), source)


def _gltf(source: ModelFiles) -> RawFaces:
    def fetch(uri: str) -> bytes:
        if uri not in source.files:
            raise ModelError(
                tr("{name} needs {uri}, which is missing; put it beside the model.", name=source.name, uri=uri)
            )
        return source.files[uri]

    return read_gltf(source.data, source.name, fetch)


def _with_libraries(raw: RawFaces, source: ModelFiles) -> RawFaces:
    """Add what an OBJ's material libraries say; those that are missing are named."""
    for library in material_libraries(source.data):
        if library not in source.files:
            raw.warnings.append(
                tr(
                    "{library}, which {name} names, is not in its folder and was not read; its colours are not "
                    "known.",
                    library=library,
                    name=source.name,
                )
            )
            continue
        for name, statements in read_mtl(source.files[library]).items():
            raw.textures += mtl_textures(name, statements)
            try:
                red, green, blue = (float(word) for word in statements.get("Kd", "").split()[:3])
            except ValueError:
                continue
            if all(map(math.isfinite, (red, green, blue))):
                raw.colours[name] = to_hex((red, green, blue))
    return raw


_GLTF = ModelFormat(_gltf, _gather_buffers)
FORMATS: dict[str, ModelFormat] = {
    ".obj": ModelFormat(_obj, _gather_libraries),
    ".glb": _GLTF,
    ".gltf": _GLTF,
    ".ply": ModelFormat(lambda source: read_ply(source.data, source.name)),
    ".stl": ModelFormat(lambda source: read_stl(source.data, source.name)),
    ".dae": ModelFormat(lambda source: read_dae(source.data, source.name)),
}
SUFFIXES = tuple(FORMATS)


def texture_bytes(source: ModelFiles, texture: Texture) -> bytes:
    """The bytes of a picture that the model's file carries itself.

    Raises
    ------
    ModelError
        If it is damaged.
    """
    assert texture.inside is not None
    return picture_inside(source.data, source.name, lambda uri: source.files[uri], texture.inside)


def load_model(path: Path) -> Model:
    """Gather and build in one step."""
    return build(gather(path))


def _read(path: Path) -> bytes:
    return read_file(path, ModelError)
