"""Edgings: a motif along borders, edges or a path."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Any, cast

import numpy as np

from lucky_fern.core.arrays import F64, I32, I64, U16, Bool
from lucky_fern.core.compositing.canvas import View
from lucky_fern.core.compositing.layer_row import LayerRow
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.compositing.motifs import drawn, places_in
from lucky_fern.core.compositing.pictures import flavour_of
from lucky_fern.core.compositing.sources import Sources, Stamp, triangles_in
from lucky_fern.core.placing.path import path_of
from lucky_fern.core.placing.strip import sampled
from lucky_fern.core.project.document import KitPicture, Layer, Project
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.places import Along
from lucky_fern.core.sheets.grid import Chunk
from lucky_fern.core.sheets.region import gathered, rect_of
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.survey.lines import distances, sorted_lines
from lucky_fern.core.survey.runs import (
    Runs,
    Sorted,
    beside,
    corners_of,
    run_along,
    runs_of,
    sorted_runs,
    stopped,
    together,
)
from lucky_fern.core.survey.survey import border_edges
from lucky_fern.words import counted, tr

_LENGTH, _WIDTH, _GAP = 0.012, 0.28, 0.5  # of the model's diagonal; of the length; of the length
_SLIVER = 0.01  # of a motif's length
_CORNER = 1.6  # of the width: a motif at a corner


@dataclass(frozen=True)
class Laid:
    """An edging worked out on a surface: its sizes in model units, its runs, and how many motifs each holds.

    ``first`` (R,) counts the motifs of the runs before each; motifs lie ``offset`` inward of runs and vary by
    ``jitter``. ``corners`` holds the motifs at corners, one a run.
    """

    length: float
    width: float
    gap: float
    found: Sorted
    pitch: F64
    whole: F64
    first: I64
    reach: float  # how far from the runs anything of it lies
    short: int  # runs that are too short for a motif
    fits: float  # the longest motif that would fit into all of them
    offset: float = 0.0
    jitter: float = 0.0
    corners: Laid | None = None

    @property
    def nbytes(self) -> int:
        return 2 * self.found.ends.nbytes + 1024 + (0 if self.corners is None else self.corners.nbytes)

    @property
    def count(self) -> int:
        """How many motifs there are, those at corners not counted."""
        return int(self.whole.sum())

    @property
    def lines(self) -> F64:
        """(N, 2, 3) everything that motifs lie along."""
        ends = self.found.ends
        return ends if self.corners is None else np.concatenate([ends, self.corners.found.ends])

    @property
    def far(self) -> float:
        """How far from its lines anything of it lies."""
        return self.reach if self.corners is None else max(self.reach, self.corners.reach)


def sizes_of(sources: Sources, edging: Edging) -> tuple[float, float, float]:
    """Length, width and gap of an edging's motif in model units."""
    length = edging.length if edging.length is not None else sources.surface.model.diagonal * _LENGTH
    width = edging.width if edging.width is not None else length * _WIDTH
    return length, width, edging.gap if edging.gap is not None else length * _GAP


def corner_size_of(sources: Sources, edging: Edging) -> float:
    """How long and wide the motif at a corner is, in model units."""
    return edging.corner_size if edging.corner_size is not None else sizes_of(sources, edging)[1] * _CORNER


def laid(sources: Sources, edging: Edging) -> Laid:
    """An edging worked out; kept."""

    def work() -> Laid:
        length, width, gap = sizes_of(sources, edging)
        reach = abs(edging.offset) + width * (1 + edging.jitter) + edging.blur
        runs, corners, room = _runs(sources, edging), None, 0.0
        if edging.corners == "motif":
            size = corner_size_of(sources, edging)
            room = (size + gap) / 2
            corners = _at_corners(runs, edging, size)
        if edging.corners != "bend":
            runs = stopped(runs, edging.corner_angle)
        found = sorted_runs(runs, edging.offset, reach, room)
        along, closed = found.length, found.closed
        if edging.motif == "line":
            length, whole, short = float(along.max(initial=length)), np.ones(len(along)), along <= 0
        else:
            fit = np.where(closed, np.round(along / (length + gap)), np.floor((along + gap) / (length + gap)))
            short = along < length * (1 - 1e-9)
            whole = np.where(short, 0, np.maximum(fit, 1))
        some = short & (along > _SLIVER * length)  # what corners leave nothing of holds none, however short
        fits = float(along[some].min()) if some.any() else length
        first = (np.cumsum(whole) - whole).astype(np.int64)
        pitch = np.maximum(along, 1e-300) / np.maximum(whole, 1)
        return Laid(length, width, gap, found, pitch, whole, first, reach, int(short.sum()), fits,
                    edging.offset, edging.jitter, corners)  # fmt: skip

    looks = ("motif", "picture", "height", "round", "seed", "corner_picture", "corner_motif", "whole")
    key = ("edging", edging.motif == "line",
           *(getattr(edging, name) for name in Edging.__struct_fields__ if name not in looks))  # fmt: skip
    return sources.kept.get(key, work, lambda made: made.nbytes)


def _at_corners(runs: Runs, edging: Edging, size: float) -> Laid:
    """The motifs at corners."""
    reach = size + edging.blur
    found = sorted_runs(corners_of(runs, edging.corner_angle, edging.offset, size), 0.0, reach)
    count = len(found.length)
    return Laid(size, size, 0.0, found, np.full(count, size), np.ones(count), np.arange(count), reach, 0, size)


def _runs(sources: Sources, edging: Edging) -> Runs:
    surface = sources.surface
    if edging.along == "path":
        paths = [path_of(surface.model, cast(Along, path)) for path in edging.paths]
        return together([run_along(path.points, path.normals, path.closed) for path in paths])
    # A motif that lies right on a seam is one on both sides of it.
    chosen = border_edges(surface, edging.along, edging.angle)
    return runs_of(surface, chosen, both=edging.offset == 0, outward=edging.offset < 0)


def too_short(sources: Sources, edging: Edging) -> str:
    """What there is to say of runs that hold no motif; nothing if there are none."""
    made = laid(sources, edging)
    if not made.short or edging.motif == "line":
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
            reach = made.far
            middle, radius = sources.surface.model.balls
            middle, radius = middle[sheet.triangle], radius[sheet.triangle]
            near = np.zeros(len(middle), np.bool_)
            lines = sorted_lines(made.lines, reach)
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
        own = channel.pictured
        kits = [None if name is None else project.pictures.get(name)
                for name in (channel.picture or edging.picture, edging.corner_picture)]  # fmt: skip

        def draw() -> U16:
            made = laid(sources, edging)
            rgba = self._drawn(sources, edging, edging.motif, kits[0], made, own, map_name, sheet, chunk)
            if made.corners is not None:
                over = self._drawn(
                    sources, edging, edging.corner_motif, kits[1], made.corners, own, map_name, sheet, chunk
                )  # fmt: skip
                shows = over[..., 3] > rgba[..., 3]
                rgba[shows] = over[shows]
            return sources.cut(rgba, chosen, sheet, chunk)

        digests = tuple(None if kit is None else (kit.digest, kit.taken, own and map_name) for kit in kits)
        key = ("edged", edging, digests, chosen, sheet.key, sheet.size, chunk)
        rgba = sources.kept.get(key, draw, lambda made: made.nbytes)
        return Stamp(rgba if own else None, rgba[..., 3])

    def _drawn(
        self, sources: Sources, edging: Edging, motif: str, kit: KitPicture | None, made: Laid, own: bool,
        map_name: str, sheet: Sheet, chunk: Chunk,
    ) -> U16:  # fmt: skip
        """(r, c, 4) uint16 the motifs of some runs on a chunk."""
        inside, x, y, _ = self._places(sources, edging, made, sheet, chunk)
        texel = _texels(sheet)[sources.owners(sheet, chunk)[inside]]
        rgba = np.zeros((*inside.shape, 4), np.uint16)
        if kit is not None:
            flavour = flavour_of(map_name if own else "colour", kit.taken)
            pyramid = sources.pictures.pyramid(kit, flavour)
            rgba[inside] = sampled(pyramid, x / made.length + 0.5, 0.5 - y / made.width,
                                   texel / made.length, texel / made.width, flavour == "colour")  # fmt: skip
        else:
            cover, high = drawn(motif, x, y, made.length, made.width, edging.round, texel, edging.blur)
            level = (0.5 + 0.5 * edging.height * high) * 65535 + 0.5
            rgba[inside, :3] = level[:, None].astype(np.uint16)
            rgba[inside, 3] = (cover * 65535 + 0.5).astype(np.uint16)
        return rgba

    def _places(
        self, sources: Sources, edging: Edging, made: Laid, sheet: Sheet, chunk: Chunk
    ) -> tuple[np.ndarray, F64, F64, I64]:  # fmt: skip
        """Texels on islands (r, c); where each lies in its motif (N,) and (N,), and its number (N,) or -1."""
        inside, points, faces = sources.survey.spots(sheet, chunk)
        outward = made.offset < 0 and edging.along != "path"
        run, along, off = beside(made.found, points, faces, made.reach, outward)
        x, y, number = np.full(len(points), np.inf), np.zeros(len(points)), np.full(len(points), -1)
        if len(made.pitch):
            places_in(run.astype(np.int64), along, off - made.offset, made.pitch, made.whole, made.length,
                      made.width, made.jitter, edging.seed, x, y, number)  # fmt: skip
            number = np.where(number >= 0, made.first[run] + number, -1)
        return inside, x, y, number

    def _motifs(self, sources: Sources, edging: Edging, sheet: Sheet, chunk: Chunk) -> list[I32]:
        """(r, c) int32 the numbers of the motifs along runs, and of those at corners; -1 for none. Kept."""

        def work() -> list[I32]:
            found = []
            for made in _both(sources, edging):
                inside, _, _, number = self._places(sources, edging, made, sheet, chunk)
                numbers: I32 = np.full(inside.shape, -1, np.int32)
                numbers[inside] = number
                found.append(numbers)
            return found

        key = ("motifs", edging, sheet.key, sheet.size, chunk)
        return sources.kept.get(key, work, lambda made: sum(one.nbytes for one in made))

    # --- masks that take whole motifs ----------------------------------------------------------------------------

    def mask(self, layer: Layer, view: View) -> U16 | None:
        edging = cast(Edging, layer.content)
        if not edging.whole or layer.mask is None:
            return super().mask(layer, view)
        shown = _shown(view.sources, view.project, layer)
        if shown is None:
            return None

        def piece(chunk: Chunk) -> U16:
            out: U16 = np.zeros(view.sources.owners(view.sheet, chunk).shape, np.uint16)
            for number, seen in zip(self._motifs(view.sources, edging, view.sheet, chunk), shown, strict=True):
                out[(number >= 0) & seen[number]] = 65535
            return out

        return gathered(view.rect, view.sheet.size, np.zeros((), np.uint16), piece)

    def spreads_mask(self, content: Any) -> bool:
        return cast(Edging, content).whole


def _both(sources: Sources, edging: Edging) -> list[Laid]:
    made = laid(sources, edging)
    return [made] if made.corners is None else [made, made.corners]


def _shown(sources: Sources, project: Project, layer: Layer) -> list[Bool] | None:
    """(M + 1,) bool for the motifs along runs, and for those at corners: whether the mask shows most of each."""
    edging, row = cast(Edging, layer.content), Edged()

    def make() -> list[Bool] | None:
        found = [(made, np.zeros((2, made.count + 1), np.int64)) for made in _both(sources, edging)]
        for sheet in sources.surface.sheets(project.size_of):
            if not layer.scope.holds_sheet(sheet.key):
                continue
            for chunk in sorted(row.chunks(sources, project, layer, "colour", sheet)):
                values = mask_values(sources, project, layer, sheet, rect_of(chunk, sheet.size))
                if values is None:
                    return None  # it is off, or holds nothing
                for made, sums in found:
                    inside, x, y, number = row._places(sources, edging, made, sheet, chunk)
                    own = (number >= 0) & (np.abs(x) <= made.length / 2) & (np.abs(y) <= made.width / 2)
                    real = (_texels(sheet)[sources.owners(sheet, chunk)[inside]] / made.width) ** 2 * 1e6
                    weight = np.maximum(real[own], 1).astype(np.int64)  # of the surface, however fine its texels are
                    np.add.at(sums[0], number[own], weight * values[inside][own])
                    np.add.at(sums[1], number[own], weight * 65535)
        return [2 * sums[0] > sums[1] for _, sums in found]

    key = ("whole motifs", layer.id, layer.mask, layer.scope, sources.grounds.sizes(project))
    return sources.kept.like(key, (edging, sources.grounds.of_mask(project, layer)), make,
                             lambda made: 64 if made is None else sum(one.nbytes for one in made))  # fmt: skip


def _texels(sheet: Sheet) -> F64:
    """(N,) how wide a texel is on each face of a sheet, in model units."""
    corner, flat = sheet.model.corners[sheet.triangle], sheet.xy
    real = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    texels = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    return np.asarray(np.sqrt(real / np.maximum(texels, 1e-12)), np.float64)
