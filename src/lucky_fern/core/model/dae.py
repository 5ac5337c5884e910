"""COLLADA: scenes of triangles and polygons, through pycollada.

Reference: Khronos Group, "COLLADA – Digital Asset Schema Release 1.4.1".
"""

from __future__ import annotations

import io
import warnings
from typing import Any
from urllib.parse import unquote, urlparse
from xml.parsers import expat

import numpy as np

from lucky_fern.core.arrays import F64, I64
from lucky_fern.core.colour import to_hex
from lucky_fern.core.errors import ModelError
from lucky_fern.core.limits import DEEPEST_NODES
from lucky_fern.core.markup import check_markup
from lucky_fern.core.model.assemble import RawFaces
from lucky_fern.core.model.model import Texture
from lucky_fern.words import tr

_MAPS = {"diffuse": "colour", "emission": "emissive", "bumpmap": "normal", "transparent": "opacity"}
_BROKEN = (KeyError, IndexError, TypeError, ValueError, AttributeError, OverflowError, RecursionError, AssertionError,
           MemoryError, RuntimeError, expat.ExpatError)  # fmt: skip


def read_dae(data: bytes, name: str) -> RawFaces:
    """Read all meshes of the file's scene, turned so that Y points up.

    Raises
    ------
    ModelError
        If it is damaged or holds no faces.
    """
    import collada

    try:
        check_markup(data, DEEPEST_NODES)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # about the package's own use of matrices
            # Pictures and what else cannot be found does not matter here; meshes that are damaged do.
            lax = [collada.common.DaeUnsupportedError, collada.common.DaeBrokenRefError]
            return _Reader(collada.Collada(io.BytesIO(data), ignore=lax), name).read()
    except ModelError:
        raise
    except (collada.common.DaeError, *_BROKEN) as error:
        raise ModelError(
            tr(
                "{name} is damaged or not a COLLADA file ({error}); export it again.",
                name=name,
                error=str(error)[:200],
            )
        ) from error


class _Reader:
    def __init__(self, document: Any, name: str) -> None:
        self.document, self.name = document, name
        self.points: list[F64] = []
        self.uv: list[F64] = []
        self.normals: list[F64] = []
        self.sizes: list[I64] = []
        self.material: list[I64] = []
        self.part: list[I64] = []
        self.materials: dict[str, int] = {}
        self.parts: dict[str, int] = {}
        self.colours: dict[str, str] = {}
        self.textures: list[Texture] = []
        self.skipped = 0

    def read(self) -> RawFaces:
        scene = self.document.scene
        if scene is None:
            raise ModelError(tr("{name} holds no scene; export it again with its meshes.", name=self.name))
        for bound in scene.objects("geometry"):
            for primitive in bound.primitives():
                self.primitive(primitive, bound.original.name or bound.original.id or "")
        if not self.points:
            raise ModelError(tr("{name} holds no faces; export it again with its mesh included.", name=self.name))
        points = np.concatenate(self.points) @ self.upright().T
        return RawFaces(
            name=self.name,
            positions=points,
            sizes=np.concatenate(self.sizes),
            vertices=np.arange(len(points), dtype=np.int64),
            uv=np.concatenate(self.uv),
            normals=np.concatenate(self.normals) @ self.upright().T,
            material=np.concatenate(self.material),
            materials=list(self.materials),
            part=np.concatenate(self.part),
            parts=list(self.parts),
            warnings=[f"{self.name}: {self.skipped} piece(s) made of points or lines were left out."]
            if self.skipped else [],
            colours=self.colours,
            textures=self.textures,
        )  # fmt: skip

    def upright(self) -> F64:
        """(3, 3) from the file's axes to Y up."""
        axis = str(self.document.assetInfo.upaxis or "Y_UP")
        turns = {"Z_UP": [[1, 0, 0], [0, 0, 1], [0, -1, 0]], "X_UP": [[0, -1, 0], [1, 0, 0], [0, 0, 1]]}
        return np.array(turns.get(axis, np.eye(3)), np.float64)

    def primitive(self, primitive: Any, part: str) -> None:
        kind = type(primitive).__name__
        if "Line" in kind or not len(primitive):
            self.skipped += 1
            return
        sizes = [len(face.indices) for face in primitive]
        index = np.concatenate([np.asarray(face.indices) for face in primitive]).astype(np.int64)
        usable = np.repeat(np.array(sizes) >= 3, sizes)
        index, count = index[usable], int(usable.sum())
        if not count:
            return
        self.points.append(np.asarray(primitive.vertex, np.float64)[index])
        normals = np.full((count, 3), np.nan)
        if primitive.normal is not None and len(primitive.normal):
            rows = np.concatenate([np.asarray(face.normal_indices) for face in primitive])[usable]
            normals = np.asarray(primitive.normal, np.float64)[rows.astype(np.int64)]
        self.normals.append(normals)
        uv = np.full((count, 2), np.nan)
        if primitive.texcoordset:
            rows = np.concatenate([np.asarray(face.texcoord_indices[0]) for face in primitive])[usable]
            uv = np.asarray(primitive.texcoordset[0], np.float64)[rows.astype(np.int64), :2]
        self.uv.append(uv)
        kept = np.array([size for size in sizes if size >= 3], np.int64)
        self.sizes.append(kept)
        self.material.append(np.full(len(kept), self.number_of(primitive.material)))
        self.part.append(np.full(len(kept), self.parts.setdefault(part, len(self.parts))))

    def number_of(self, material: Any) -> int:
        """A material's number; the first time, what it looks like is taken down."""
        name = getattr(material, "name", None) or getattr(material, "id", None) or "default"
        if name not in self.materials:
            self.materials[name] = len(self.materials)
            effect = getattr(material, "effect", None)
            for word, map_name in _MAPS.items():
                self.look(name, map_name, getattr(effect, word, None))
        return self.materials[name]

    def look(self, material: str, map_name: str, value: Any) -> None:
        sampler = getattr(value, "sampler", None)
        if sampler is not None:
            path = sampler.surface.image.path
            if path:
                self.textures.append(Texture(material, map_name, _file_of(path)))
        elif map_name == "colour" and isinstance(value, tuple | list) and len(value) >= 3:
            red, green, blue = (float(np.clip(one, 0, 1)) for one in value[:3])
            self.colours[material] = to_hex((red, green, blue))


def _file_of(path: str) -> str:
    """A picture's file as the model names it: addresses lose their scheme."""
    parsed = urlparse(path)
    return unquote(parsed.path).lstrip("/") if parsed.scheme == "file" else unquote(path)
