"""What was painted stays with the surface when the layout changes: redrawn through the old one."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from lucky_fern.core.arrays import F32, F64, I32, Array, Bool
from lucky_fern.core.compositing.between import read_between
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.maps import directs
from lucky_fern.core.placing.leaning import carried_leans, frames_at
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.painted import chunk_layout, decode_chunk, encode_chunk, place_name, place_of
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.sheets.grid import CHUNK, Chunk, Extent, SheetKey, shape, span, to_texels
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.udim import tile_of

Painted = dict[str, PaintedSheet]


class Carrier:
    """Brings painted sheets from an old layout of a model to a new one."""

    def __init__(self, old: Surface, new: Surface, size_of: Callable[[SheetKey], Extent], blobs: Blobs) -> None:
        self.old, self.new, self.size_of, self.blobs = old, new, size_of, blobs
        self.sources = Sources(old, blobs)
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

    def _map(self, painted: Painted, name: str, sizes: dict[SheetKey, Extent]) -> dict[SheetKey, dict[str, str]]:
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
                    inner[arrived] = self._sampled(painted, name, key, size, chunk, owner, arrived)
                if texels[..., -1].any():
                    chunks[place_name(chunk)] = self.blobs.add(encode_chunk(texels))
                else:
                    chunks.pop(place_name(chunk), None)
            if chunks:
                found[key] = chunks
        return found

    def _left(self, key: SheetKey, size: Extent) -> Bool | None:
        """(rows, columns) bool, texels of the old layout whose surface has gone elsewhere."""
        if key not in self.old.keys:
            return None
        sheet = self.old.sheet(key, size)
        moved = self.moved[sheet.triangle]
        out = np.zeros(size.shape, np.bool_)
        for chunk in sheet.chunks_of(moved):
            owner = sheet.owners(chunk)
            out[span(chunk, size)] = (owner >= 0) & moved[np.maximum(owner, 0)]
        return out

    def _read(self, sheet: PaintedSheet, key: SheetKey, name: str, uv: F64, island: I32) -> Array:
        """(N, n) painted texels at places (N, 2) of a tile, mixed by their coverage so that no rim is born."""
        dtype, count = chunk_layout(name)
        there = self.old.sheet(key, sheet.size)

        def fetch(chunk: Chunk) -> F32:
            rows, columns = shape(chunk, sheet.size)
            digest = sheet.maps[name].get(place_name(chunk))
            if digest is None:
                return np.zeros((rows, columns, count), np.float32)

            def decoded() -> F32:
                texels = decode_chunk(self.blobs[digest], name)[:rows, :columns].astype(np.float32)
                texels[..., :-1] *= texels[..., -1:]
                return texels

            return self.sources.kept.get(("carried", digest, rows, columns), decoded, lambda made: made.nbytes)

        # Where texel meets texel nothing is to be mixed: what only moved by whole texels keeps its bytes.
        x, y = (np.where(np.abs(v - np.round(v)) < 1e-6, np.round(v), v) + 0.5
                for v in to_texels(uv, sheet.size).T - 0.5)  # fmt: skip
        values, found = read_between(self.sources, there, fetch, x, y, island, count)
        if not found.all():  # a sliver that owns no texel: whatever lies beside it
            values[~found] = read_between(self.sources, there, fetch, x[~found], y[~found], None, count)[0]
        values[:, :-1] /= np.maximum(values[:, -1:], 1e-6)
        return np.asarray((values + 0.5).astype(dtype))

    def _sampled(
        self, painted: Painted, name: str, key: SheetKey, size: Extent, chunk: tuple[int, int],
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
        material, island = self.old.model.material[triangle], self.old.model.islands[triangle].astype(np.int32)
        tile = np.floor(self.old.model.uv[triangle].mean(axis=1)).astype(np.int64)
        code = np.column_stack([material, tile])
        for number, u, v in np.unique(code, axis=0).tolist():
            from_key = SheetKey(self.old.model.materials[number], tile_of(u, v))
            before = painted.get(str(from_key))
            if before is not None and name in before.maps and from_key in self.old.keys:
                here = (code == (number, u, v)).all(axis=1)
                out[here] = self._read(before, from_key, name, uv[here] - (u, v), island[here])
        if directs(name):
            top = np.float32(65535 if np.dtype(dtype).itemsize == 2 else 255)
            were, are = (frames_at(model, triangle, weights) for model in (self.old.model, self.new.model))
            turned = carried_leans(np.asarray(out[:, :3], np.float32) / top, were, are)
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
