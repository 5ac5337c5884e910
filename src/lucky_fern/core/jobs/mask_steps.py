"""``mask``: an entry of a layer's mask, of any kind, or another layer's mask shared or copied."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

from lucky_fern.core import taking
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here, Step, of_kind, parted
from lucky_fern.core.jobs.places import check_scope, convert, kept_picture, named, parse_place
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.project.commands import AddMaskEntry, Command, GiveMask, PasteMask
from lucky_fern.core.project.kinds import SHAPES, Shape
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.rules import RULES, RuleShape
from lucky_fern.core.project.shapes import Fill, HeardShape, MaskEntry, PictureShape, ScopeShape
from lucky_fern.core.studio import Studio
from lucky_fern.words import tr


class ShapeStep(Step, frozen=True, kw_only=True):
    """``mask`` with a ``kind`` of its own; further keys are those of it."""

    layer: str
    kind: str
    mode: Literal["replace", "add", "subtract", "intersect", "confine"] = "replace"
    invert: bool = False
    feather: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    opacity: float = 1.0
    grow: int = 0
    smooth: float = 0.0


class MaskStep(Step, frozen=True, kw_only=True):
    """``mask``: an entry of a layer's mask; or, with ``share`` or ``copy``, another layer's mask."""

    layer: str
    kind: Literal["picture", "scope", "fill", "share", "copy", "map", "colour"]
    picture: str | None = None
    place: dict[str, Any] | None = None
    use: Literal["alpha", "luminance"] = "alpha"
    scope: Scope | None = None
    value: float = 1.0
    mode: Literal["replace", "add", "subtract", "intersect", "confine"] = "replace"
    invert: bool = False
    feather: float = 0.0
    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    opacity: float = 1.0
    grow: int = 0
    smooth: float = 0.0
    of: str | None = None
    map: str = "colour"
    colour: str | float | None = None
    tolerance: float = 0.1
    soft: float = 0.05
    live: bool = False  # of maps: it follows what is below, instead of what it is now


def do_mask(here: Here, step: dict[str, Any]) -> str:
    """An entry of one of the shapes' kinds, or one that has words of its own here."""
    if step.get("kind") in SHAPES.tags and step["kind"] not in OWN:
        return _shape_mask(here.studio, *parted(step, ShapeStep))
    return _own_mask(here.studio, convert(step, MaskStep), here.folder)


def _shape_mask(studio: Studio, step: ShapeStep, own: dict[str, Any]) -> str:
    if step.kind in ASKED:
        entry = ASKED[step.kind](studio, step, own)
    else:
        entry = _entry(step, of_kind(SHAPES, step.kind, own, "mask"), step.gamma)
    studio.execute(AddMaskEntry(named(studio, step.layer).id, entry))
    return step.layer


def _entry(step: ShapeStep, shape: Shape, gamma: float) -> MaskEntry:
    return MaskEntry(shape, step.mode, step.invert, step.feather, step.black, step.white, gamma,
                     opacity=step.opacity, grow=step.grow, smooth=step.smooth)  # fmt: skip


def _ruled(studio: Studio, step: ShapeStep, own: dict[str, Any]) -> MaskEntry:
    return _entry(step, _rule(studio, step, own), 1.0)  # a rule has its own gamma


def _rule(studio: Studio, step: ShapeStep, own: dict[str, Any]) -> RuleShape:
    """A rule's keys stand beside those of its mask entry; layers are named."""
    own = dict(own)
    tag, low, high = own.pop("rule", None), own.pop("low", 0.0), own.pop("high", 1.0)
    if not isinstance(tag, str):
        raise CommandError(tr("a mask of kind 'rule' needs a 'rule'; there are {tags}", tags=", ".join(RULES.tags)))
    if tag == "rim":
        if not isinstance(own.get("of"), str):
            raise CommandError(tr("rule 'rim' needs 'of', the name of the layer whose rim is meant"))
        own["of"] = named(studio, own["of"]).id
    rule = of_kind(RULES, tag, own, "rule")
    for name, value in (("low", low), ("high", high)):
        if not isinstance(value, int | float) or isinstance(value, bool):
            raise CommandError(tr("{name} of a rule is a number, not {value!r}", name=name, value=value))
    return RuleShape(rule, float(low), float(high), step.gamma)


def _own_mask(studio: Studio, step: MaskStep, folder: Path) -> str:
    layer = named(studio, step.layer)
    if step.kind in GIVEN:
        other = named(studio, step.of or "")
        if other.mask is None:
            raise CommandError(tr("'{name}' has no mask to {kind}", name=other.name, kind=step.kind))
        studio.execute(GIVEN[step.kind](studio, step, layer.id, other.mask))
        return step.layer
    shape = OWN[step.kind](studio, step, folder, layer.id)
    entry = MaskEntry(shape, step.mode, step.invert, step.feather, step.black, step.white, step.gamma,
                      opacity=step.opacity, grow=step.grow, smooth=step.smooth)  # fmt: skip
    studio.execute(AddMaskEntry(layer.id, entry))
    return step.layer


def _share(studio: Studio, step: MaskStep, layer: int, mask: int) -> Command:
    return GiveMask((layer,), mask)


def _copy(studio: Studio, step: MaskStep, layer: int, mask: int) -> Command:
    return PasteMask((layer,), studio.project.masks[mask], step.invert)


def _check_map(step: MaskStep) -> None:
    if step.map not in MAPS:
        raise CommandError(
            tr("there is no map called {map!r}; the maps are {MAPS}", map=step.map, MAPS=", ".join(MAPS))
        )


def _of_map(studio: Studio, step: MaskStep, folder: Path, layer: int) -> Shape:
    _check_map(step)
    if step.live:
        return HeardShape(step.map, None, step.tolerance, step.soft)
    return taking.shape_of_map(studio, layer, step.map)


def _of_colour(studio: Studio, step: MaskStep, folder: Path, layer: int) -> Shape:
    _check_map(step)
    if step.live:
        return HeardShape(step.map, step.colour, step.tolerance, step.soft)
    check_share("tolerance", step.tolerance)
    check_share("soft", step.soft)
    try:
        wanted = parse_value(step.map, step.colour)
    except ValueError as error:
        raise CommandError(tr("a mask of kind 'colour' needs a 'colour': {error}", error=error)) from error
    return taking.shape_of_colour(studio, layer, step.map, wanted, step.tolerance, step.soft)


def _fill(studio: Studio, step: MaskStep, folder: Path, layer: int) -> Shape:
    if step.value not in (0, 1):
        raise CommandError(tr("value of a fill is 0 or 1, not {value:g}", value=step.value))
    return Fill(float(step.value))


def _scope(studio: Studio, step: MaskStep, folder: Path, layer: int) -> Shape:
    if step.scope is None:
        raise CommandError(tr("a mask of kind 'scope' needs a 'scope'"))
    check_scope(studio, step.scope)
    return ScopeShape(step.scope)


def _picture(studio: Studio, step: MaskStep, folder: Path, layer: int) -> Shape:
    if step.picture is None or step.place is None:
        raise CommandError(tr("a mask of kind 'picture' needs a 'picture' and a 'place'"))
    place, picture = parse_place(studio, step.place), kept_picture(studio, folder, step.picture)
    place = place.square_pixels(studio.project.size_of, studio.project.picture_size(picture))
    return PictureShape(picture, place, step.use)


# Kinds of masks that have words of their own here: what shape each is.
OWN: dict[str, Callable[[Studio, MaskStep, Path, int], Shape]] = {
    "map": _of_map, "colour": _of_colour, "fill": _fill, "scope": _scope, "picture": _picture,
}  # fmt: skip
# Those that are another layer's mask.
GIVEN: dict[str, Callable[[Studio, MaskStep, int, int], Command]] = {"share": _share, "copy": _copy}
# Those whose keys are the shape's own, but for some words.
ASKED: dict[str, Callable[[Studio, ShapeStep, dict[str, Any]], MaskEntry]] = {"rule": _ruled}
