"""Painting on a studio: strokes and fills as commands, on brushwork layers and on masks."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

import numpy as np
from msgspec.structs import replace

from lucky_fern.core.arrays import F32, F64, I32, Bool
from lucky_fern.core.compositing.brushwork import resized
from lucky_fern.core.compositing.still import Still
from lucky_fern.core.errors import CommandError
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.painting.moved import Anchor, Clone, Smear
from lucky_fern.core.painting.paint import Paint, Plain, Values
from lucky_fern.core.painting.pixels import erase_layer, paint_layer, paint_mask
from lucky_fern.core.painting.seen import Seen
from lucky_fern.core.painting.stroke import Covered, Place, Stroke
from lucky_fern.core.painting.symmetry import Symmetry
from lucky_fern.core.painting.tips import BUILT_IN, built_in, tip_of
from lucky_fern.core.placing.slide import Eye
from lucky_fern.core.project.commands import AddMaskEntry, GivePaint, PaintMask, SetMaskEntry, Several
from lucky_fern.core.project.commands.painting import Repainted, painted_on
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.shapes import MaskEntry, PaintedShape
from lucky_fern.core.sheets.grid import Chunk, Extent
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr

_S = TypeVar("_S", bound=Stroke)


@dataclass(frozen=True)
class Way:
    """What limits and repeats strokes, and what they are measured by.

    ``allowed`` (T,) bool leaves out faces; with ``seen`` only texels that an eye sees are covered. ``material`` and
    ``eye`` are those of brushes that are round in UV space or on the screen; see :class:`.stroke.Stroke`.
    """

    allowed: Bool | None = None
    symmetry: Symmetry | None = None
    material: str | None = None
    eye: Eye | None = None
    seen: Seen | None = None


def begin_stroke(studio: Studio, brush: Brush, way: Way = Way()) -> Stroke:
    """A stroke over the surface as the project has it now; see :class:`Stroke`."""
    return _begun(studio, brush, way, Stroke)


def begin_smear(
    studio: Studio, brush: Brush, layer_id: int, maps: tuple[str, ...], strength: float, way: Way = Way()
) -> Smear:
    """A stroke that smears what a layer and those below it show; as paint it gives what came of that."""
    stroke = _begun(studio, brush, way, Smear)
    return stroke.wet(still_under(studio, layer_id), maps, strength, way.material)


def begin_clone(
    studio: Studio, stroke: Stroke, layer_id: int, maps: tuple[str, ...], source: Anchor, target: Anchor,
    material: str | None = None,
) -> Clone:  # fmt: skip
    """Paint for a stroke that shows what a layer and those below it have at the source."""
    return Clone(stroke, still_under(studio, layer_id), maps, source, target, material)


def _begun(studio: Studio, brush: Brush, way: Way, kind: type[_S]) -> _S:
    own, owners = None if brush.tip is None else tip(studio, brush.tip), studio.sources.owners
    if way.seen is not None:
        owners = partial(_seen_owners, owners, way.seen, {})
    return kind(
        studio.surface, studio.project.size_of, owners, brush, way.allowed, own, way.symmetry, way.material, way.eye
    )


def _seen_owners(
    owners: Callable[[Sheet, Chunk], I32], seen: Seen, kept: dict[Place, I32], sheet: Sheet, chunk: Chunk
) -> I32:
    place = Place(sheet.key, chunk)
    if place not in kept:
        kept[place] = np.where(seen.texels(sheet, chunk), owners(sheet, chunk), np.int32(-1))
    return kept[place]


def still_under(studio: Studio, layer_id: int) -> Still:
    """The stack as it stands now, up to a layer and with it: what is cloned and smeared onto that layer."""
    return Still(studio.sources, studio.project, layer_id, with_it=True)


def tip(studio: Studio, name: str) -> F32:
    """A brush's tip: one of those that the program makes, or a picture of the kit.

    Raises
    ------
    CommandError
        If there is neither.
    """
    if name in BUILT_IN:
        return built_in(name)
    kit = studio.project.pictures.get(name)
    if kit is None:
        raise CommandError(
            tr(
                "there is no tip {name!r}; there are {BUILT_IN}, and the kit's pictures",
                name=name,
                BUILT_IN=", ".join(BUILT_IN),
            )
        )
    picture = studio.sources.picture(kit)
    return studio.sources.kept.get(("tip", kit.digest), lambda: tip_of(picture.rgba), lambda made: made.nbytes)


def normal_near(studio: Studio, point: F64) -> F64:
    """(3,) the surface's normal at its point nearest to a point."""
    every = np.asarray(point, np.float64)[None]
    facing: F64 = studio.surface.nearest.onto(every, np.zeros((1, 3)), np.inf)[1][0]
    return facing


def painted_mask(studio: Studio, layer_id: int, hides: bool = False) -> tuple[int, int]:
    """The mask of a layer and the painted entry that a stroke goes to; made if it is not there.

    On a layer without a mask what is painted shows and all else is hidden; or, if the first stroke ``hides``,
    what is painted is hidden and all else shows. Above entries that are not painted (rules, pictures) what reveals
    and what hides are an entry each: they correct what lies below.
    """
    layer = studio.project.layer(layer_id)
    if layer.mask is None:
        studio.execute(AddMaskEntry(layer_id, MaskEntry(PaintedShape(), "subtract" if hides else "replace")))
        layer = studio.project.layer(layer_id)
    assert layer.mask is not None
    entries = studio.project.masks[layer.mask].entries
    found = [at for at, entry in enumerate(entries) if entry.shape.painted is not None]
    above = _corrections(entries)
    if above > 0:
        found = [at for at in found if at >= above and _hides(entries[at]) == hides]
    if not found:
        studio.execute(AddMaskEntry(layer_id, MaskEntry(PaintedShape(), "subtract" if hides else "add")))
        found = [len(entries)]
    return layer.mask, found[-1]


def _corrections(entries: tuple[MaskEntry, ...]) -> int:
    """Where the painted entries begin that correct what is not painted; 0 where a mask begins with what is painted.

    What only confines lies above on purpose.
    """
    if not entries or entries[0].shape.painted is not None:
        return 0
    return max(
        at + 1 for at, entry in enumerate(entries)
        if at == 0 or (entry.shape.painted is None and entry.mode != "confine")
    )  # fmt: skip


def _hides(entry: MaskEntry) -> bool:
    """Whether what is painted on an entry hides."""
    return (entry.mode == "subtract") != entry.invert


def bring_to_size(studio: Studio, layer_id: int) -> None:
    """Have all that is painted on a layer and its mask at the sizes that its sheets have now.

    A stroke needs that before it begins; where it is so already nothing changes.
    """
    layer = studio.project.layer(layer_id)
    if layer.content.painted is not None:
        sheets = _at_size(studio, layer.content.painted)
        if sheets is not layer.content.painted:
            studio.execute(GivePaint(layer_id, sheets))
    entries = () if layer.mask is None else studio.project.masks[layer.mask].entries
    for at, entry in enumerate(entries):
        painted = entry.shape.painted
        if painted is not None and layer.mask is not None:
            sheets = _at_size(studio, painted)
            if sheets is not painted:
                shape = entry.shape.carried(Repainted(sheets))
                studio.execute(SetMaskEntry(layer.mask, at, replace(entry, shape=shape)))


def paint_on_mask(
    studio: Studio, layer_id: int, stroke: Stroke | Covered, value: float, before: Project | None = None
) -> None:
    """Bring what a stroke covers on a layer's painted mask towards a value: 1 shows, 0 hides.

    ``before`` is the project when the stroke began (after :func:`bring_to_size`), where it is put on in part.
    """
    if before is None:
        bring_to_size(studio, layer_id)
    mask, at = painted_mask(studio, layer_id, value < 0.5)
    entries, sizes = (before or studio.project).masks[mask].entries, _sizes(studio, stroke)
    coverage = exact_coverage(studio.project, stroke)
    # What reveals and what hides are brought along together: the last stroke is what shows.
    first = _corrections(entries)
    others = [other for other in range(first, len(entries)) if first > 0 and other != at]
    made: tuple[PaintMask, ...] = ()
    for place in (at, *others):
        painted = entries[place].shape.painted
        if painted is None or (place != at and not painted):
            continue
        wanted = 1 - value if _hides(entries[place]) else value
        made += paint_mask(painted, coverage, sizes, wanted, stroke.opacity, studio.blobs, mask, place)
    if made:
        studio.execute(Several(made, named="Brush stroke"), merge=before is not None)


def paint_on_layer(
    studio: Studio,
    layer_id: int,
    stroke: Stroke | Covered,
    paint: Paint | Values,
    before: Project | None = None,
) -> None:
    """Put paint, or plain values, onto what a stroke covers, on a brushwork layer.

    Raises
    ------
    CommandError
        If the layer is none, or a value cannot be.
    """
    sheets, sizes = _brushwork(studio, layer_id, stroke, before)
    try:
        put = Plain(paint, stroke.tints) if isinstance(paint, Mapping) else paint
        coverage = exact_coverage(studio.project, stroke)
        made = paint_layer(sheets, coverage, sizes, put, stroke.opacity, studio.blobs, layer_id)
    except (ValueError, KeyError) as error:
        raise CommandError(str(error.args[0])) from error
    if made:
        studio.execute(Several(made, named="Brush stroke"), merge=before is not None)


def erase_on_layer(studio: Studio, layer_id: int, stroke: Stroke | Covered, before: Project | None = None) -> None:
    """Take paint away from what a stroke covers, on a brushwork layer.

    Raises
    ------
    CommandError
        If the layer is none.
    """
    sheets, sizes = _brushwork(studio, layer_id, stroke, before)
    made = erase_layer(sheets, exact_coverage(studio.project, stroke), sizes, stroke.opacity, studio.blobs, layer_id)
    if made:
        studio.execute(Several(made, named="Erase"), merge=before is not None)


def exact_coverage(project: Project, stroke: Stroke | Covered) -> dict[Place, F32]:
    """What a stroke covers: on pixel art whole texels, those that are covered by half or more."""
    if isinstance(stroke, Covered) and stroke.soft:
        return stroke.coverage
    return {
        place: (covered >= 0.5).astype(np.float32) if project.is_pixel_art(place.sheet) else covered
        for place, covered in stroke.coverage.items()
    }


def _brushwork(
    studio: Studio, layer_id: int, stroke: Stroke | Covered, before: Project | None
) -> tuple[dict[str, PaintedSheet], dict[Place, Extent]]:
    if before is None:
        bring_to_size(studio, layer_id)
    layer = (before or studio.project).layer(layer_id)
    return painted_on(layer), _sizes(studio, stroke)


def _sizes(studio: Studio, stroke: Stroke | Covered) -> dict[Place, Extent]:
    return {place: studio.project.size_of(place.sheet) for place in stroke.coverage}


def _at_size(studio: Studio, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
    """Painted sheets at their sizes of now; the same object where they are."""
    made = {}
    for key in studio.surface.keys:
        painted, size = sheets.get(str(key)), studio.project.size_of(key)
        if painted is not None and painted.size != size and painted.maps:
            made[str(key)] = resized(
                painted, size, studio.blobs, studio.sources.kept, studio.project.is_pixel_art(key)
            )
    return {**sheets, **made} if made else sheets
