"""What a recipe looks like: a small picture of it on a block with edges, corners, and faces all round."""

from __future__ import annotations

import tempfile
from functools import cache
from pathlib import Path

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64, U8, unit_rows
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.maps import MAPS
from lucky_fern.core.placing.leaning import uv_directions
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Project, Wash
from lucky_fern.core.recipes import put_recipe
from lucky_fern.core.sheets.grid import to_texels
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.rays import Rays

SHEET = 512  # texels
_FINER = 2  # rays to a pixel, each way
_FAR = 6.0  # where a speck lies that makes lengths those of a thing so many times as large
_UNDER: dict[str, str | float] = {"colour": "#7f9b8f", "roughness": 0.5, "metallic": 0.0}  # what wear lies on
_EYE = np.array([0.62, 0.46, 1.0])
_LAMP = np.array([0.25, 0.8, 0.55])
_SKY, _GROUND = 1.05, 0.28


def look_of(recipe: Project, contents: Blobs, size: int = 120) -> U8:
    """(size, size, 4) uint8 sRGB, straight alpha: a recipe on a block, lit from above.

    Raises
    ------
    LuckyFernError
        If it cannot be put on.
    """
    model_file = _block()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "block.obj"
        path.write_text(model_file)
        studio = Studio.new(path, sheet_size=SHEET)
    studio.execute(AddLayer("Under", Wash(), {name: Channel(value) for name, value in _UNDER.items()}))
    for kit in recipe.pictures.values():
        studio.blobs.add(contents[kit.digest])
    studio.execute(put_recipe(recipe))
    return _drawn(studio, size)


@cache
def _block() -> str:
    """A block with a smaller one on its front, and a speck far beside it; an OBJ file with every face an island."""
    boxes = [((0, 0, 0), (1, 1, 1)), ((0.22, 0.22, 1), (0.78, 0.66, 1.22))]
    lines, count, cell = [], 0, 0
    for low, high in boxes:
        a, b = np.array(low, float), np.array(high, float)
        for axis in range(3):
            for side in (0, 1):
                u, v = (axis + 1) % 3, (axis + 2) % 3
                corners = []
                for s, t in ((0, 0), (1, 0), (1, 1), (0, 1)) if side else ((0, 0), (0, 1), (1, 1), (1, 0)):
                    point = a.copy()
                    point[axis] = (a, b)[side][axis]
                    point[u], point[v] = (a, b)[s][u], (a, b)[t][v]
                    corners.append((point, s * (b - a)[u], t * (b - a)[v]))
                row, column = divmod(cell, 4)
                cell += 1
                for point, s, t in corners:
                    lines.append("v " + " ".join(f"{one:.6f}" for one in point))
                    lines.append(f"vt {(column + 0.04 + 0.92 * s) / 4:.6f} {(row + 0.04 + 0.92 * t) / 4:.6f}")
                lines.append("f " + " ".join(f"{count + k}/{count + k}" for k in (1, 2, 3, 4)))
                count += 4
    for x, y in ((0, 0), (0.01, 0), (0, 0.01)):
        lines.append(f"v {-_FAR + x} {y} 0.5")
        lines.append(f"vt {0.98 + x} {0.98 + y}")
    lines.append("f " + " ".join(f"{count + k}/{count + k}" for k in (1, 2, 3)))
    return "\n".join(lines) + "\n"


def _drawn(studio: Studio, size: int) -> U8:
    model, (sheet,) = studio.model, studio.surface.sheets(studio.project.size_of)
    maps = {}
    for name, spec in MAPS.items():
        if name not in ("height", "occlusion"):
            found = composite_sheet(studio.sources, studio.project, name, sheet, 8)
            maps[name] = found.reshape(*sheet.size.shape, spec.components) / 255.0
    eye = _EYE / np.linalg.norm(_EYE)
    right = unit_rows(np.cross([0.0, 1.0, 0.0], eye)[None])[0]
    up = np.cross(eye, right)
    step = 1.75 / (size * _FINER)
    rows, columns = np.mgrid[0 : size * _FINER, 0 : size * _FINER]
    half = size * _FINER / 2
    aside = ((columns.ravel() + 0.5 - half) * step)[:, None] * right
    across = ((half - rows.ravel() - 0.5) * step)[:, None] * up
    origins = np.array([0.5, 0.49, 0.56]) + aside + across + eye * 4
    row, u, v, _ = Rays(model).first(origins, np.broadcast_to(-eye, origins.shape), 20.0)
    met = row >= 0
    at, weight = row[met], np.stack([1 - u[met] - v[met], u[met], v[met]], axis=1)
    flat = np.einsum("nk,nkd->nd", weight, model.uv[at])
    where = (to_texels(flat, sheet.size) - 0.5).astype(np.float32)
    seen = {name: _sampled(values, where) for name, values in maps.items()}
    facing = model.face_normals[at].astype(np.float64)
    along = uv_directions(model, at, 0.0)
    lean = seen["normal"] * 2 - 1
    normal = unit_rows(lean[:, :1] * along[0] + lean[:, 1:2] * along[1] + lean[:, 2:3] * facing)
    colour = _lit(seen, normal, eye)
    out = np.zeros((len(row), 4))
    alpha = seen["opacity"][:, 0]
    out[met, :3], out[met, 3] = colour * alpha[:, None], alpha
    fine = out.reshape(size * _FINER, size * _FINER, 4)
    small = cv2.resize(fine, (size, size), interpolation=cv2.INTER_AREA)
    clear = np.maximum(small[..., 3:], 1e-6)
    straight = np.concatenate([encode_srgb(small[..., :3] / clear), small[..., 3:]], axis=2)
    return np.asarray(np.rint(straight * 255), np.uint8)


def _sampled(values: F64, where: F32) -> F64:
    found = cv2.remap(values.astype(np.float32), where[None, :, 0], where[None, :, 1], cv2.INTER_LINEAR,
                      borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    return np.asarray(found, np.float64).reshape(len(where), -1)


def _lit(seen: dict[str, F64], normal: F64, eye: F64) -> F64:
    """(N, 3) linear light from a lamp and a sky: Lambert; Blinn's highlights (1977), Schlick's Fresnel (1994)."""
    lamp = _LAMP / np.linalg.norm(_LAMP)
    base, metal, rough = decode_srgb(seen["colour"]), seen["metallic"], seen["roughness"]
    straight = np.clip(normal @ lamp, 0, 1)[:, None]
    sky = _GROUND + (_SKY - _GROUND) * (0.5 + 0.5 * normal[:, 1:2])
    diffuse = base * (1 - metal) * (0.45 * sky + 0.95 * straight)
    grazing = 1 - np.clip(normal @ eye, 0, 1)[:, None]
    mirror = 0.04 * (1 - metal) + base * metal
    mirror = mirror + (1 - rough) * (1 - mirror) * grazing**5
    back = 2 * normal * (normal @ eye)[:, None] - eye
    shine = _GROUND + (_SKY - _GROUND) * np.clip(0.5 + (0.5 + 1.5 * (1 - rough)) * back[:, 1:2], 0, 1)
    sharp = 2 / np.maximum(rough, 0.08) ** 4
    halfway = (lamp + eye) / np.linalg.norm(lamp + eye)
    highlight = np.clip(normal @ halfway, 0, 1)[:, None] ** sharp * (sharp + 2) / 40
    light: F64 = (
        diffuse + mirror * (shine + np.minimum(highlight, 4) * straight) + 1.2 * decode_srgb(seen["emissive"])
    )
    return light
