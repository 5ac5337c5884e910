"""Edgings: a motif along borders, edges or a path."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import cast

import numpy as np

from lucky_fern.core.arrays import F64, U16
from lucky_fern.core.compositing.layer_row import LayerRow
from lucky_fern.core.compositing.motifs import drawn, places_in
from lucky_fern.core.compositing.pictures import flavour_of
from lucky_fern.core.compositing.sources import Sources, Stamp, triangles_in
from lucky_fern.core.placing.path import path_of
from lucky_fern.core.placing.strip import sampled
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.places import Along
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.survey.lines import distances, sorted_lines
from lucky_fern.core.survey.runs import Runs, Sorted, beside, run_along, runs_of, sorted_runs
from lucky_fern.core.survey.survey import border_edges
from lucky_fern.words import counted, tr

_LENGTH, _WIDTH, _GAP = 0.012, 0.28, 0.5  # of the model's diagonal; of the length; of the length


@dataclass(frozen=True)
class Laid:
    """An edging worked out on a surface: its sizes in model units, its runs, and how many motifs each holds."""

    length: float
    width: float
    gap: float
    found: Sorted
    pitch: F64
    whole: F64
    reach: float  # how far from the runs anything of it lies
    short: int  # runs that are too short for a motif
    fits: float  # the longest motif that would fit into all of them

    @property
    def nbytes(self) -> int:
        return 2 * self.found.ends.nbytes + 1024


def sizes_of(sources: Sources, edging: Edging) -> tuple[float, float, float]:
    """Length, width and gap of an edging's motif in model units."""
    length = edging.length if edging.length is not None else sources.surface.model.diagonal * _LENGTH
    width = edging.width if edging.width is not None else length * _WIDTH
    return length, width, edging.gap if edging.gap is not None else length * _GAP


def laid(sources: Sources, edging: Edging) -> Laid:
    """An edging worked out; kept."""

    def work() -> Laid:
        length, width, gap = sizes_of(sources, edging)
        reach = abs(edging.offset) + width * (1 + edging.jitter)
        found = sorted_runs(_runs(sources, edging), edging.offset, reach)
        along, closed = found.length, found.closed
        fit = np.where(closed, np.round(along / (length + gap)), np.floor((along + gap) / (length + gap)))
        short = along < length * (1 - 1e-9)
        whole = np.where(short, 0, np.maximum(fit, 1))
        fits = float(along[short].min()) if short.any() else length
        return Laid(length, width, gap, found, along / np.maximum(whole, 1), whole, reach, int(short.sum()), fits)

    key = ("edging", edging.along, edging.angle, edging.offset, edging.length, edging.width, edging.gap,
           edging.jitter, edging.path)  # fmt: skip
    return sources.kept.get(key, work, lambda made: made.nbytes)


def _runs(sources: Sources, edging: Edging) -> Runs:
    surface = sources.surface
    if edging.along == "path":
        path = path_of(surface.model, cast(Along, edging.path))
        return run_along(path.points, path.normals, path.closed)
    # A motif that lies right on a seam is one on both sides of it.
    chosen = border_edges(surface, edging.along, edging.angle)
    return runs_of(surface, chosen, both=edging.offset == 0, outward=edging.offset < 0)


def too_short(sources: Sources, edging: Edging) -> str:
    """What there is to say of runs that hold no motif; nothing if there are none."""
    made = laid(sources, edging)
    if not made.short:
        return ""
    return tr("{runs} too short for a motif of {length:.3g}: {fits:.3g} would fit",
              runs=counted(made.short, "run is", "runs are"), length=made.length, fits=made.fits)  # fmt: skip


class Edged(LayerRow):
    def chunks(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet
    ) -> AbstractSet[Chunk]:
        edging = cast(Edging, layer.content)

        def find() -> AbstractSet[Chunk]:
            made = laid(sources, edging)
            reach = made.reach
            middle, radius = sources.surface.model.balls
            middle, radius = middle[sheet.triangle], radius[sheet.triangle]
            near = np.zeros(len(middle), np.bool_)
            lines = sorted_lines(made.found.ends, reach)
            # Faces by their size: a large one asks further than a small one.
            for low, high in ((0.0, 1.0), (1.0, 4.0), (4.0, 16.0), (16.0, np.inf)):
                some = (radius >= low * reach) & (radius < high * reach)
                if some.any():
                    far = float(radius[some].max()) + reach
                    near[some] = distances(lines, middle[some], far) < radius[some] + reach
            return sheet.chunks_of(near) & set(sources.scope_chunks(triangles_in(project, layer.scope), sheet))

        key = ("edging chunks", edging, triangles_in(project, layer.scope), sheet.key, sheet.size)
        return sources.kept.get(key, find, lambda _: 1024)

    def stamp(
        self, sources: Sources, project: Project, layer: Layer, map_name: str, sheet: Sheet, chunk: Chunk
    ) -> Stamp | None:
        edging, channel = cast(Edging, layer.content), layer.channels[map_name]
        chosen = triangles_in(project, layer.scope)
        own = channel.source == "picture"
        kit = None if edging.picture is None else project.pictures.get(channel.picture or edging.picture)

        def draw() -> U16:
            inside, x, y, texel = self._places(sources, edging, sheet, chunk)
            made = laid(sources, edging)
            rgba = np.zeros((*inside.shape, 4), np.uint16)
            if kit is not None:
                flavour = flavour_of(map_name if own else "colour", kit.taken)
                pyramid = sources.pictures.pyramid(kit, flavour)
                rgba[inside] = sampled(pyramid, x / made.length + 0.5, 0.5 - y / made.width,
                                       texel / made.length, texel / made.width, flavour == "colour")  # fmt: skip
            else:
                cover, high = drawn(edging.motif, x, y, made.length, made.width, edging.round, texel)
                level = (0.5 + 0.5 * edging.height * high) * 65535 + 0.5
                rgba[inside, :3] = level[:, None].astype(np.uint16)
                rgba[inside, 3] = (cover * 65535 + 0.5).astype(np.uint16)
            return sources.cut(rgba, chosen, sheet, chunk)

        digest = None if kit is None else (kit.digest, kit.taken, own and map_name)
        key = ("edged", edging, digest, chosen, sheet.key, sheet.size, chunk)
        rgba = sources.kept.get(key, draw, lambda made: made.nbytes)
        return Stamp(rgba if own else None, rgba[..., 3])

    def _places(
        self, sources: Sources, edging: Edging, sheet: Sheet, chunk: Chunk
    ) -> tuple[np.ndarray, F64, F64, F64]:  # fmt: skip
        """Texels on islands (r, c); where each lies in its motif (N,) and (N,), and how wide it is (N,)."""
        made = laid(sources, edging)
        inside, points, faces = sources.survey.spots(sheet, chunk)
        run, along, off = beside(made.found, points, faces, made.reach, edging.offset < 0 and edging.along != "path")
        x, y = np.full(len(points), np.inf), np.zeros(len(points))
        if len(made.pitch):
            places_in(run.astype(np.int64), along, off - edging.offset, made.pitch, made.whole, made.length,
                      made.width, edging.jitter, edging.seed, x, y)  # fmt: skip
        owner = sources.owners(sheet, chunk)[inside]
        return inside, x, y, _texels(sheet)[owner]


def _texels(sheet: Sheet) -> F64:
    """(N,) how wide a texel is on each face of a sheet, in model units."""
    corner, flat = sheet.model.corners[sheet.triangle], sheet.xy
    real = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    texels = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    return np.asarray(np.sqrt(real / np.maximum(texels, 1e-12)), np.float64)
