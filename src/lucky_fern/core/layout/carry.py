"""What was painted stays with the surface when the layout changes: redrawn through the old one."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, Array, Bool
from lucky_fern.core.placing.leaning import carried_leans, frames_at
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.painted import chunk_layout, decode_chunk, encode_chunk, place_name, place_of
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK, SheetKey, shape, span
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import tile_of

Painted = dict[str, PaintedSheet]


class Carrier:
    """Brings painted sheets from an old layout of a model to a new one."""

    def __init__(self, old: Surface, new: Surface, size_of: Callable[[SheetKey], int], blobs: Blobs) -> None:
        self.old, self.new, self.size_of, self.blobs = old, new, size_of, blobs
        names_old = np.array(old.model.materials, object)[old.model.material]
        names_new = np.array(new.model.materials, object)[new.model.material]
        same = (names_old == names_new) & (
            np.isclose(old.model.uv, new.model.uv, rtol=0, atol=1e-9, equal_nan=True).all(axis=(1, 2))
        )
        self.moved: Bool = ~same

    def sheets(self, painted: Painted) -> Painted:
        """Painted sheets as the new layout has them; chunks in which nothing moved keep their bytes."""
        if not self.moved.any():
            return painted
        names = {name for sheet in painted.values() for name in sheet.maps}
        sizes = {key: painted[str(key)].size if str(key) in painted else self.size_of(key) for key in self.new.keys}
        out: dict[str, dict[str, dict[str, str]]] = {}
        for name in names:
            for key, chunks in self._map(painted, name, sizes).items():
                out.setdefault(str(key), {})[name] = chunks
        # Sheets that are gone hold nothing of the new layout.
        return {text: PaintedSheet(sizes[key], out[text]) for key in self.new.keys
                if (text := str(key)) in out and any(out[text].values())}  # fmt: skip

    def _map(self, painted: Painted, name: str, sizes: dict[SheetKey, int]) -> dict[SheetKey, dict[str, str]]:
        whole = {text: self._whole(sheet, name) for text, sheet in painted.items() if sheet.maps.get(name)}
        dtype, count = chunk_layout(name)
        found: dict[SheetKey, dict[str, str]] = {}
        for key in self.new.keys:
            size = sizes[key]
            sheet = self.new.sheet(key, size)
            before = painted[str(key)].maps.get(name, {}) if str(key) in painted else {}
            left = self._left(key, size)
            chunks = dict(before)
            moved_here = self.moved[sheet.triangle]
            touched = sheet.chunks_of(moved_here) | {place_of(place) for place in before}
            for chunk in touched:
                owner = sheet.owners(chunk)
                arrived = (owner >= 0) & moved_here[np.maximum(owner, 0)]
                gone = left[span(chunk, size)] if left is not None else np.zeros_like(arrived)
                if not arrived.any() and not (gone.any() and place_name(chunk) in before):
                    continue
                texels = np.zeros((CHUNK, CHUNK, count), dtype)
                if place_name(chunk) in before:
                    texels[:] = decode_chunk(self.blobs[before[place_name(chunk)]], name)
                rows, columns = shape(chunk, size)
                inner = texels[:rows, :columns]
                inner[gone] = 0
                if arrived.any():
                    inner[arrived] = self._sampled(whole, name, key, size, chunk, owner, arrived)
                if texels[..., -1].any():
                    chunks[place_name(chunk)] = self.blobs.add(encode_chunk(texels))
                else:
                    chunks.pop(place_name(chunk), None)
            if chunks:
                found[key] = chunks
        return found

    def _left(self, key: SheetKey, size: int) -> Bool | None:
        """(size, size) bool, texels of the old layout whose surface has gone elsewhere."""
        if key not in self.old.keys:
            return None
        sheet = self.old.sheet(key, size)
        moved = self.moved[sheet.triangle]
        out = np.zeros((size, size), np.bool_)
        for chunk in sheet.chunks_of(moved):
            owner = sheet.owners(chunk)
            out[span(chunk, size)] = (owner >= 0) & moved[np.maximum(owner, 0)]
        return out

    def _whole(self, sheet: PaintedSheet, name: str) -> Array:
        """(size, size, n) all painted texels of a map of a sheet."""
        dtype, count = chunk_layout(name)
        out = np.zeros((sheet.size, sheet.size, count), dtype)
        for place, digest in sheet.maps[name].items():
            chunk = place_of(place)
            rows, columns = shape(chunk, sheet.size)
            out[span(chunk, sheet.size)] = decode_chunk(self.blobs[digest], name)[:rows, :columns]
        return out

    def _sampled(
        self, whole: dict[str, Array], name: str, key: SheetKey, size: int, chunk: tuple[int, int],
        owner: I32, arrived: Bool,
    ) -> Array:  # fmt: skip
        """(N, n) texels for the places of a chunk whose surface came from elsewhere."""
        sheet = self.new.sheet(key, size)
        rows, columns = np.nonzero(arrived)
        mine = owner[arrived]
        points = np.stack([columns + chunk[1] * CHUNK + 0.5, rows + chunk[0] * CHUNK + 0.5], axis=1)
        weights = _barycentric(sheet.xy[mine], points)
        triangle = sheet.triangle[mine]
        uv = np.einsum("nk,nkd->nd", weights, self.old.model.uv[triangle])
        dtype, count = chunk_layout(name)
        out = np.zeros((len(points), count), dtype)
        material = self.old.model.material[triangle]
        tile = np.floor(self.old.model.uv[triangle].mean(axis=1)).astype(np.int64)
        code = np.column_stack([material, tile])
        for number, u, v in np.unique(code, axis=0).tolist():
            text = str(SheetKey(self.old.model.materials[number], tile_of(u, v)))
            if text in whole:
                here = (code == (number, u, v)).all(axis=1)
                out[here] = _bilinear(whole[text], uv[here] - (u, v))
        if name == "normal":
            top = np.float32(65535 if np.dtype(dtype).itemsize == 2 else 255)
            before, after = (frames_at(model, triangle, weights) for model in (self.old.model, self.new.model))
            turned = carried_leans(np.asarray(out[:, :3], np.float32) / top, before, after)
            out[:, :3] = np.rint(turned * top)
        return out


def _barycentric(corners: F64, points: F64) -> F64:
    """(N, 3) weights of points (N, 2) in triangles (N, 3, 2), not reaching outside."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    ab, ac, ap = b - a, c - a, points - a
    area = ab[:, 0] * ac[:, 1] - ab[:, 1] * ac[:, 0]
    safe = np.where(area == 0, np.inf, area)
    wb = (ap[:, 0] * ac[:, 1] - ap[:, 1] * ac[:, 0]) / safe
    wc = (ab[:, 0] * ap[:, 1] - ab[:, 1] * ap[:, 0]) / safe
    weights = np.clip(np.stack([1 - wb - wc, wb, wc], axis=1), 0, 1)
    result: F64 = weights / weights.sum(axis=1, keepdims=True)
    return result


def _bilinear(texels: Array, uv: F64) -> Array:
    """(N, n) painted texels at places (N, 2) of a tile; values weighted by their coverage, so that no rim is born."""
    size = texels.shape[0]
    x, y = np.clip(uv[:, 0] * size - 0.5, 0, size - 1), np.clip((1 - uv[:, 1]) * size - 0.5, 0, size - 1)
    # Where texel meets texel nothing is to be mixed: what only moved by whole texels keeps its bytes.
    x, y = (np.where(np.abs(v - np.round(v)) < 1e-6, np.round(v), v) for v in (x, y))
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    right, low = np.minimum(left + 1, size - 1), np.minimum(top + 1, size - 1)
    fx, fy = (x - left)[:, None].astype(np.float32), (y - top)[:, None].astype(np.float32)
    total = np.zeros((len(uv), texels.shape[2]), np.float32)
    for r, wr in ((top, 1 - fy), (low, fy)):
        for c, wc in ((left, 1 - fx), (right, fx)):
            part: F32 = texels[r, c].astype(np.float32)
            part[:, :-1] *= part[:, -1:]
            total += part * wr * wc
    out = total.copy()
    out[:, :-1] /= np.maximum(total[:, -1:], 1e-6)
    return np.asarray((out + 0.5).astype(texels.dtype))
