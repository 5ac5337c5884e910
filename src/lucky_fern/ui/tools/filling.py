"""The fill and gradient tools: what they fill, and filling it."""

from __future__ import annotations

from lucky_fern.core import easel, taking
from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.compositing.reading import texel_at
from lucky_fern.core.painting.fill import fill_alike, fill_faces, fill_outline, shaded
from lucky_fern.core.painting.stroke import Covered
from lucky_fern.core.selecting.meant import faces_meant
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.words import tr

FILLS = ("face", "island", "part", "material", "tile", "selection", "colour", tr("colour everywhere"))


class Filling:
    """``fill`` is one of :data:`FILLS`; ``boxed`` draws rectangles on the sheet instead of going round freely."""

    def __init__(self, work: Work, looking: Looking, faces: Faces, painting: Painting) -> None:
        self.work, self.looking, self.faces, self.painting = work, looking, faces, painting
        self.fill = "island"
        self.tolerance = 0.08
        self.radial = False
        self.boxed = False

    def at(self, hit: SurfaceHit, other: bool) -> None:
        """Fill what is under a point."""
        studio = self.work.studio
        if studio is None:
            return
        sources, size_of = studio.sources, studio.project.size_of
        key = sheet_of(studio.surface, hit)
        if not self.fill.startswith("colour"):
            coverage = fill_faces(studio.surface, size_of, sources.owners, self._faces(hit))
        elif key is None:
            return
        else:
            shown = self.looking.shown_map or "colour"
            row, column = texel_at(*local_uv(hit, key), size_of(key))
            coverage = fill_alike(
                studio.surface, size_of, sources.owners, lambda one: taking.whole_map(studio, one, shown),
                key, row, column, self.tolerance, self.fill == "colour",
            )  # fmt: skip
        self._put(Covered(coverage, self.painting.brush.opacity), other)

    def gradient(self, hit: SurfaceHit, start: F64, end: F64, other: bool) -> None:
        """Fill what is under a point, running out from one place to another: (3,) in space, (2,) in UV space."""
        studio = self.work.studio
        if studio is None:
            return
        surface, size_of, owners = studio.surface, studio.project.size_of, studio.sources.owners
        coverage = fill_faces(surface, size_of, owners, self._faces(hit))
        coverage = shaded(surface, size_of, owners, coverage, start, end, self.radial)
        self._put(Covered(coverage, self.painting.brush.opacity, soft=True), other)

    def outline(self, key: SheetKey, outline: F64, other: bool) -> None:
        """Fill an outline (N, 2) drawn in the UV space of a sheet."""
        studio = self.work.studio
        if studio is not None:
            size = studio.project.size_of(key)
            coverage = fill_outline(studio.surface, key, size, studio.sources.owners, outline)
            self._put(Covered(coverage, self.painting.brush.opacity), other)

    def _faces(self, hit: SurfaceHit) -> Bool:
        studio = self.work.studio
        assert studio is not None
        what = "face" if self.fill.startswith("colour") else self.fill
        return faces_meant(studio.model, studio.surface, hit, what, self.faces.chosen)

    def _put(self, covered: Covered, other: bool) -> None:
        studio, painting = self.work.studio, self.painting
        if not covered.coverage or studio is None:
            self.work.said.emit(tr("There is nothing there to fill."), True)
            return
        layer = painting.target()
        if layer is None:
            return
        away = painting.erasing != other
        if painting.on_mask:
            easel.painted_mask(studio, layer, away)
        self.work.end_gesture()
        painting.put(layer, covered, away, None)
        self.work.end_gesture()
        self.work.refresh()
