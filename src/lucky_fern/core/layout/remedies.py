"""What mends a finding: edits of the layout, each with the words for its button."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lucky_fern.core.arrays import Bool
from lucky_fern.core.layout.arrange import proportions
from lucky_fern.core.layout.check import STRETCHED
from lucky_fern.core.layout.findings import Finding, Kind
from lucky_fern.core.layout.flatten import best_direction
from lucky_fern.core.layout.islands import Layout
from lucky_fern.core.layout.measure import measure
from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.layouts import (
    AlongAxis,
    AsBox,
    EvenDensity,
    Inside,
    Pack,
    Proportions,
    Transform,
    TurnOver,
    Unstack,
    Unwrap,
    Wrap,
)
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

_ONE_WAY = 0.5  # cosine to their common direction, of faces that a flat picture shows well


_BOXLIKE = 0.98  # cosine to an axis, of the sides of a box


@dataclass(frozen=True)
class Remedy:
    """One way to mend something; ``sheets`` takes all that lies on the same sheets along."""

    title: str
    edit: LayoutEdit
    sheets: bool = False


_UNWRAP = Remedy("Unwrap", Unwrap())
_SQUARE = Remedy(tr("Real proportions"), Proportions())
_REPEATS = Remedy(tr("One sheet: its UVs repeat"), Wrap())
_PACK = Remedy(tr("Pack the sheet"), Pack(), sheets=True)
_REMEDIES: dict[Kind, tuple[Remedy, ...]] = {
    "no-uv": (_UNWRAP,),
    "outside": (Remedy(tr("Bring onto a tile"), Inside()), _REPEATS, _PACK),
    "crossing": (Remedy(tr("Bring onto one tile"), Inside()), _REPEATS, _PACK),
    "zero-area": (_UNWRAP,),
    "overlap": (Remedy(tr("Move apart"), Unstack()), _PACK, _UNWRAP),
    "folded": (_UNWRAP,),
    "twins": (Remedy(tr("Lay apart"), Unstack(twins=True)),),
    "flipped": (Remedy("Flip", Transform(scale=(-1.0, 1.0), each=True)),),
    "stretch": (_UNWRAP, _SQUARE),
    "density": (Remedy(tr("Same density"), EvenDensity()), _PACK),
    "gap": (_PACK,),
    "inside-out": (Remedy(tr("Turn them over"), TurnOver()),),
}

SizeOf = Callable[[SheetKey], Extent]


def remedies(surface: Surface, size_of: SizeOf, finding: Finding) -> tuple[Remedy, ...]:
    """The ways to mend a finding, the likeliest first; none for what cannot be mended in a layout."""
    found = _REMEDIES.get(finding.kind, ())
    if finding.kind == "crossing":
        wide = np.ceil(surface.model.uv[finding.triangles].max(axis=1)) - np.floor(
            surface.model.uv[finding.triangles].min(axis=1))  # fmt: skip
        if (wide > 2).any():  # no face of a layout over several tiles reaches that far: it repeats
            return tuple(sorted(found, key=lambda one: one is not _REPEATS))
    if finding.kind not in ("stretch", "folded", "zero-area", "overlap", "no-uv"):
        return found
    model, rows = surface.model, finding.triangles
    if finding.kind == "stretch" and _squeezed(surface, size_of, finding):
        found = tuple(sorted(found, key=lambda one: one is not _SQUARE))
    normals = model.face_normals[rows]
    if finding.kind != "overlap" and (normals @ best_direction(model.corners[rows])).min() >= _ONE_WAY:
        # They all face one way: a flat picture of them is what was meant.
        found = (Remedy(tr("Flatten along their normals"), AlongAxis()), *found)
    elif np.mean(np.abs(normals).max(axis=1) >= _BOXLIKE) > 0.95 and np.ptp(normals, axis=0).max() > 1:
        found = (Remedy(tr("Lay out as a box"), AsBox()), *found)
    return found


def _squeezed(surface: Surface, size_of: SizeOf, finding: Finding) -> bool:
    """Whether it is whole islands that are squeezed along u or v, so that scaling them mends most of it."""
    model = surface.model
    layout = Layout.of(model, faces_for(surface, finding, _UNWRAP))
    scale = surface.proportions(size_of)
    first = surface.sheet_of_triangle[finding.triangles[0]]
    if first < 0:
        return False
    proportions(layout, size_of(surface.keys[first]))
    before, after = measure(model, scale), measure(replace(model, uv=layout.uv), scale)
    stretch = [np.nan_to_num(one.angle_stretch[finding.triangles], nan=9.0) for one in (before, after)]
    area = before.area[finding.triangles]
    worse = [float((area * (values > STRETCHED)).sum()) for values in stretch]
    return worse[1] < 0.2 * worse[0]


def faces_for(surface: Surface, finding: Finding, remedy: Remedy) -> Bool:
    """(T,) bool, the faces that a remedy is about."""
    chosen = np.zeros(surface.model.triangle_count, np.bool_)
    chosen[finding.triangles] = True
    if remedy.sheets:
        numbers = np.unique(surface.sheet_of_triangle[chosen])
        chosen |= np.isin(surface.sheet_of_triangle, numbers[numbers >= 0])
    return chosen
