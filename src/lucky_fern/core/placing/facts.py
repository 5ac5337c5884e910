"""What one must know about a placed picture before it matters, each with what mends it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lucky_fern.core.arrays import F64, Bool
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.picture import is_drawing
from lucky_fern.core.placing.along import Stripe
from lucky_fern.core.placing.placed import PlacedPicture, distortion
from lucky_fern.core.placing.pose import sheet_pose, texels_of
from lucky_fern.core.placing.way import way_of
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.places import Along, Framed
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.sheets.picking import pick, sheet_of, uv_axes
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.words import tr

Remedy = Literal["", "drape", "roll", "larger", "apart", "top"]
STRETCHED = 1.15  # longer one way than the other by so much shows in lettering
_LOST = 0.02  # of the picture
_UNDER = 0.03  # of it, below which an overlap is none
_SOFT = 1.6  # pixels of the picture for a texel; more are lost
_LARGEST = 8192
_THIN = 3.0  # texels


@dataclass(frozen=True)
class Fact:
    """A sentence; ``worry`` says whether it is one to act on, ``remedy`` how.

    ``backwards`` says that some of it shows mirrored.
    """

    sentence: str
    worry: bool = False
    remedy: Remedy = ""
    backwards: bool = False


def stretch_of(model: Model, placed: PlacedPicture) -> F64:
    """(T,) how much longer one way than the other the picture lies on each triangle; 1 where it does not lie."""
    out = np.ones(model.triangle_count)
    out[placed.rows] = distortion(model.corners[placed.rows], placed.corners[..., :2])[0]
    return out


def largest_stretch(model: Model, placed: PlacedPicture) -> float:
    """The stretch that 98 % of the covered surface stays below; slivers at its border do not count."""
    middle = np.abs(placed.corners[..., :2].mean(axis=1)) <= np.array([placed.width, placed.height]) / 2
    rows = placed.rows[middle.all(axis=1) | (len(placed.rows) < 8)]
    if not len(rows):
        return 1.0
    values = stretch_of(model, placed)[rows]
    corner = model.corners[rows]
    area = np.linalg.norm(np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]), axis=1)
    order = np.argsort(values)
    share = np.cumsum(area[order]) / max(float(area.sum()), 1e-300)
    return float(values[order][min(int(np.searchsorted(share, 0.98)), len(rows) - 1)])


def decal_facts(
    surface: Surface, project: Project, layer: Layer, place: Framed, height: float,
    placed: PlacedPicture | None, shared: Bool | None = None, under: tuple[str, float] | None = None,
) -> list[Fact]:  # fmt: skip
    """The facts of a decal.

    Parameters
    ----------
    placed : its pose worked out, if it is on the surface.
    shared : (T,) bool, faces that share their texels with others.
    under : the name of what covers most of it, and how much.
    """
    assert layer.content.placed is not None
    picture = layer.content.placed[0]
    texels = texels_of(surface, project, place, height)
    if texels is None:
        return [Fact(tr("Its middle lies on nothing that has a sheet: drag it onto the model."), True)]
    width, tall = project.picture_size(picture)
    across, down = max(1, round(texels[0])), max(1, round(texels[1]))
    found = []
    kit = project.pictures.get(picture)
    drawing = kit is not None and is_drawing(kit.name)
    sentence = tr(
        "Gets {across} × {down} texels from a {part}",
        across=across,
        down=down,
        part="drawing" if drawing else tr("{width} × {tall} picture", width=width, tall=tall),
    )
    # A drawing has no pixels to lose; its fine lines are lost all the same.
    soft = across < 64 if drawing else width > _SOFT * across and across < 256
    soft &= getattr(layer.content, "sampling", "smooth") == "smooth"
    found.append(
        Fact(
            tr("{sentence}: will be soft.", sentence=sentence) if soft else f"{sentence}.",
            soft,
            "larger" if soft else "",
        )
    )
    if placed is not None:
        stretch = largest_stretch(surface.model, placed)
        if stretch >= STRETCHED:
            bent: Remedy = "" if way_of(place).follows else "drape"
            found.append(Fact(tr("Lettering is stretched {stretch:.1f}× on it.", stretch=stretch), True, bent))
        if placed.lost > _LOST:
            found.append(
                Fact(
                    tr("{lost:.0%} of it finds no surface: it meets an edge, a hole or itself.", lost=placed.lost),
                    True,
                    "roll",
                )
            )
        if shared is not None and (shared & placed.reached).any():
            sentence = tr("It lies on islands that share their texels: it shows on their twins, too.")
            backwards = _turned_over(surface.model, shared, placed.reached)
            if backwards:
                sentence = tr("It lies on islands that share their texels: it shows on their twins, too, backwards.")
            found.append(Fact(sentence, True, "apart", backwards))
    elif not place.on_surface:
        found += _laid_facts(surface, place, height)
    if under is not None and under[1] > _UNDER:
        found.append(
            Fact(tr("{under:.0%} of it lies under ‘{under_2}’.", under=under[1], under_2=under[0]), True, "top")
        )
    return found


def _turned_over(model: Model, shared: Bool, reached: Bool) -> bool:
    """Whether faces that share texels with those reached lie the other way round in UV space."""
    mine, others = model.uv[shared & reached], model.uv[shared & ~reached]
    if not len(others):
        return False
    low, high = mine.min(axis=(0, 1)), mine.max(axis=(0, 1))
    middle = others.mean(axis=1)
    others = others[((middle >= low) & (middle <= high)).all(axis=1)]

    def signs(uv: F64) -> set[float]:
        a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
        return set(np.sign(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).tolist()) - {0.0}

    return bool(signs(others) - signs(mine))


def stripe_facts(surface: Surface, project: Project, place: Along, stripe: Stripe) -> list[Fact]:
    """The facts of a stripe."""
    hit = pick(
        surface.model, np.add(place.points[0], np.array(place.normals[0]) * place.width), -np.array(place.normals[0])
    )
    found = []
    key = None if hit is None or not np.isfinite(hit.uv).all() else sheet_of(surface, hit)
    if hit is not None and key is not None:
        along_u, along_v = uv_axes(surface.model, hit.triangle)
        area = float(np.linalg.norm(np.cross(along_u, along_v)))
        across = place.width / max(area, 1e-300) ** 0.5 * project.size_of(key).mean
        thin = across < _THIN
        sentence = tr("{length:.3g} units long, {across:.3g} texels across", length=stripe.path.length, across=across)
        found.append(
            Fact(tr("{sentence}: its edges will be rough.", sentence=sentence) if thin else f"{sentence}.", thin)
        )
    if stripe.lost > _LOST:
        found.append(
            Fact(
                tr("{lost:.0%} of its way finds no surface: set points closer together there.", lost=stripe.lost),
                True,
            )
        )
    return found


def _laid_facts(surface: Surface, place: Place, height: float) -> list[Fact]:
    pose = sheet_pose(surface, place, height)
    if pose is None:
        return []
    reach = np.abs(pose.half_x) + np.abs(pose.half_y)
    low, high = np.floor(pose.centre - reach), np.floor(pose.centre + reach - 1e-9)
    tiles = {(key.tile - 1001) for key in surface.keys if key.material in place.materials}
    corners = {int(u + 10 * v) for u in (low[0], high[0]) for v in (low[1], high[1]) if u >= 0 and v >= 0}
    if (low < 0).any() or not corners <= tiles:
        return [Fact(tr("It is cut by the edge of the sheet."), True)]
    return []


def larger_sheet(project: Project, surface: Surface, place: Framed, height: float) -> tuple[str, Extent] | None:
    """The sheet under a decal's middle and twice its size; None if it is as large as it goes."""
    pose = sheet_pose(surface, place, height)
    if pose is None:
        return None
    size = project.size_of(pose.sheet).scaled(2)
    return (str(pose.sheet), size) if size.longest <= _LARGEST else None


def better_draped(model: Model, thrown: PlacedPicture, draped: Callable[[], PlacedPicture]) -> bool:
    """Whether a picture keeps its shape if it is draped and would not if it is thrown."""
    if largest_stretch(model, thrown) < STRETCHED:
        return False
    placed = draped()
    return placed.lost <= _LOST and largest_stretch(model, placed) < STRETCHED
