"""A view on loan: what is seen of the colour map through a lens goes out as a picture, and what was changed in it is
thrown back through the same lens.
"""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F32, F64, I32, U8
from lucky_fern.core.colour import DECODE_8, encode_srgb
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.lending import difference
from lucky_fern.core.openraster_files import returned
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.preparing.rims import spread
from lucky_fern.core.preparing.run import encoded
from lucky_fern.core.project.commands import LendView, TakeViewBack
from lucky_fern.core.project.loans import LentView
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.grid import Extent, to_texels
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.rays import Rays
from lucky_fern.core.udim import corner_of
from lucky_fern.words import tr

MOST = 4096  # pixels of the longer side
KINDS = (".png",)
_FINER = 2  # rays a pixel, each way
_STRIP = 1 << 18  # rays


def lend_view(studio: Studio, name: str, place: Throw, size: tuple[int, int], file: str = "") -> LendView:
    """The edit that notes that a view is lent: ``size`` (width, height) pixels of what a throw's lens sees.

    Raises
    ------
    CommandError
        If the picture would be too large, or sees nothing of the model.
    """
    wide, high = size
    if not (1 <= wide <= MOST and 1 <= high <= MOST):
        raise CommandError(tr("a view is lent with up to {most} pixels a side", most=MOST))
    depth = 4 * studio.model.diagonal
    place = replace(place, height=place.width * high / wide, depth=depth, angle_limit=89.0, fade=0.0)
    place.check()
    rgba = seen(studio, place, size)
    if not rgba[..., 3].any():
        raise CommandError(tr("nothing of the model is seen from there; turn the view to it"))
    before = studio.project.lent_views.get(name)
    view = LentView(place, studio.blobs.add(encoded(rgba)), file)
    if before is not None:  # a new picture of the same name goes on with the same layer only through the same lens
        view = replace(view, picture=before.picture, layer=before.layer) if before.place == place else view
    return LendView(name, view)


def seen(studio: Studio, place: Throw, size: tuple[int, int]) -> U8:
    """(rows, columns, 4) uint8, the colour map as a lens sees it, unlit, sRGB-encoded; clear beside the model.

    A pixel is the mean, as light, of a few rays through it.
    """
    wide, high = size[0] * _FINER, size[1] * _FINER
    frame, model = pose_frame(place), studio.model
    height = place.height or place.width * high / wide
    x = ((np.arange(wide) + 0.5) / wide - 0.5) * place.width
    far = 4 * model.diagonal
    rays, colours = Rays(model), _Colours(studio)
    light = np.zeros((high, wide, 4), np.float32)
    step = max(_STRIP // wide // _FINER, 1) * _FINER
    for top in range(0, high, step):
        rows = np.arange(top, min(top + step, high))
        y = (0.5 - (rows + 0.5) / high) * height
        points = frame.origin + x[None, :, None] * frame.right + y[:, None, None] * frame.up
        if place.lens is not None:
            eye = frame.origin + frame.towards * place.lens
            ways = (points - eye).reshape(-1, 3)
            origins = np.broadcast_to(eye, ways.shape)
        else:
            ways = np.broadcast_to(-frame.towards, (len(rows) * wide, 3))
            origins = points.reshape(-1, 3) + frame.towards * far
        ways = ways / np.linalg.norm(ways, axis=1, keepdims=True)
        face, u, v, _ = rays.first(np.asarray(origins), ways, 1e9 * model.diagonal)
        hit = face >= 0
        facing = np.einsum("nd,nd->n", model.face_normals[face[hit]], ways[hit]) < 0
        shown = light[rows[0] : rows[-1] + 1].reshape(-1, 4)
        at = np.flatnonzero(hit)[facing]
        shown[at] = colours.at(face[at], u[at], v[at])
    mean = light.reshape(size[1], _FINER, size[0], _FINER, 4).mean(axis=(1, 3))
    alpha = mean[..., 3:]
    colour = np.divide(mean[..., :3], alpha, out=np.zeros_like(mean[..., :3]), where=alpha > 0)
    out = np.empty((size[1], size[0], 4), np.uint8)
    out[..., :3] = np.rint(encode_srgb(colour) * 255)
    out[..., 3] = np.rint(alpha[..., 0] * 255)
    return out


class _Colours:
    """The colour map of all sheets, as light, read where faces are hit."""

    def __init__(self, studio: Studio) -> None:
        self._studio = studio
        self._maps: dict[int, U8] = {}

    def at(self, face: I32, u: F64, v: F64) -> F32:
        """(N, 4) linear colour and 1 on faces, by the weights of second and third corners; 0 where no sheet is."""
        studio, model = self._studio, self._studio.model
        corners = model.uv[face]
        uv = corners[:, 0] * (1 - u - v)[:, None] + corners[:, 1] * u[:, None] + corners[:, 2] * v[:, None]
        out = np.zeros((len(face), 4), np.float32)
        sheet = studio.surface.sheet_of_triangle[face]
        for number in np.unique(sheet[sheet >= 0]).tolist():
            key = studio.surface.keys[number]
            if number not in self._maps:
                surface = studio.surface.sheet(key, studio.project.size_of(key))
                whole = composite_sheet(studio.sources, studio.project, "colour", surface, 8)
                self._maps[number] = np.asarray(whole, np.uint8)
            pixels, mine = self._maps[number], np.flatnonzero(sheet == number)
            high, wide = pixels.shape[:2]
            column, row = to_texels(uv[mine] - corner_of(key.tile), Extent(wide, high)).T - 0.5
            x0, y0 = np.floor(column).astype(np.int64), np.floor(row).astype(np.int64)
            fx, fy = (column - x0)[:, None], (row - y0)[:, None]
            total = np.zeros((len(mine), 3))
            for dx, dy, weight in ((0, 0, (1 - fx) * (1 - fy)), (1, 0, fx * (1 - fy)), (0, 1, (1 - fx) * fy),
                                   (1, 1, fx * fy)):  # fmt: skip
                some = pixels[np.clip(y0 + dy, 0, high - 1), np.clip(x0 + dx, 0, wide - 1)]
                total += DECODE_8[some] * weight
            out[mine, :3], out[mine, 3] = total, 1.0
        return out


def take_view_back(studio: Studio, name: str, data: bytes, file: str) -> TakeViewBack | None:
    """The edit that throws back what changed in a lent view; None if nothing did.

    Raises
    ------
    CommandError, PictureError
        If nothing of that name is lent, or the file is damaged or of other proportions.
    """
    view = studio.project.lent_views.get(name)
    if view is None:
        known = ", ".join([*studio.project.loans, *studio.project.lent_views]) or tr("none")
        raise CommandError(tr("nothing is lent as {name!r}; on loan are {known}", name=name, known=known))
    sent = read_picture(studio.blobs[view.lent], "lent.png", "data").rgba.astype(np.uint8)
    values, changed = difference(np.ascontiguousarray(sent[..., :3]), returned(data, file), file, "colour")
    changed &= sent[..., 3] == 255  # beside the model, and along its outline, is nothing that could have changed
    if not changed.any() and not view.picture:
        return None
    rgba = np.dstack([values, np.where(changed, np.uint8(255), np.uint8(0))]).astype(np.uint8)
    rgba = np.asarray(spread(rgba), np.uint8)  # what lies beside shines through nowhere
    picture = view.picture or _free(studio, f"{name} from elsewhere.png")
    kit = studio.prepare_picture(encoded(rgba), Picture(picture, rgba, True, about=tr("what changed elsewhere")))
    return TakeViewBack(name, picture, kit)


def _free(studio: Studio, name: str) -> str:
    path, found, number = Path(name), name, 2
    while found in studio.project.pictures or found in studio.project.sequences:
        found, number = f"{path.stem} {number}{path.suffix}", number + 1
    return found


def looked(
    eye: tuple[float, ...], at: tuple[float, ...], up: tuple[float, ...], angle: float, size: tuple[int, int]
) -> Throw:
    """The throw through a lens at ``eye`` that looks ``at`` a point and sees ``angle`` degrees from top to bottom.

    Raises
    ------
    CommandError
        If eye and point are one, or the angle is none.
    """
    towards = np.asarray(eye, np.float64) - np.asarray(at, np.float64)
    lens = float(np.linalg.norm(towards))
    if not lens > 0:
        raise CommandError(tr("'eye' and 'at' are the same point"))
    if not 0 < angle < 180:
        raise CommandError(tr("'angle' runs from 0 to 180 degrees"))
    x, y, z = (float(value) for value in towards / lens)
    high = 2 * lens * math.tan(math.radians(angle) / 2)
    point = (float(at[0]), float(at[1]), float(at[2]))
    return Throw(point, (x, y, z), (float(up[0]), float(up[1]), float(up[2])), high * size[0] / size[1], lens=lens)
