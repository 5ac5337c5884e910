"""Layers of another project are taken in, with all that they refer to."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Literal, TypeVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command, free_name
from lucky_fern.core.project.commands.stack import shallow
from lucky_fern.core.project.document import Layer, Project, walk
from lucky_fern.core.project.kinds import Carrying
from lucky_fern.core.project.plain import PaintedSheet, Scope
from lucky_fern.core.project.references import carried, needed_digests
from lucky_fern.core.project.tree import home_of, inserted, renumbered, with_children
from lucky_fern.words import tr

_V = TypeVar("_V")


class TakeLayers(Command, frozen=True, tag="take-layers"):
    """Put the layers of ``part`` above a layer, else on top of the stack.

    Pictures, sequences and selections of ``part`` come along: what is there already under any name is used, what
    only has a name that is taken gets another. Painted sheets come along where they are among ``sheets``.
    """

    label: ClassVar[str] = tr("Paste layers")
    adds: ClassVar[Literal["", "layer", "layers"]] = "layers"
    part: Project
    sheets: tuple[str, ...] = ()
    above: int | None = None

    def brings(self) -> Iterable[str]:
        return needed_digests(self.part)

    def apply(self, project: Project) -> Project:
        if not self.part.layers:
            raise CommandError(tr("there are no layers to paste"))
        part = self.part
        pictures, picture_names = _joined(project.pictures, part.pictures)
        tiles = {
            name: {tile: picture_names[picture] for tile, picture in one.items()}
            for name, one in part.sequences.items()
        }
        sequences, sequence_names = _joined(project.sequences, tiles, taken=frozenset(pictures))
        selections, selection_names = _joined(project.selections, part.selections)
        part = carried(part, _Renamed({**picture_names, **sequence_names}, selection_names, frozenset(self.sheets)))
        following, masks, numbers = project.next_id, dict(project.masks), {}
        for number, mask in part.masks.items():
            numbers[number] = following
            masks[following] = mask
            following += 1
        project = replace(
            project, pictures=pictures, sequences=sequences, selections=selections, masks=masks, next_id=following
        )
        taken: list[Layer] = []
        new: dict[int, int] = {}
        for layer in part.layers:
            copy, following = renumbered(_masked(layer, numbers), project.next_id)
            new |= {old.id: one.id for old, one in zip(walk((layer,)), walk((copy,)), strict=True)}
            taken.append(replace(copy, name=free_name(project, layer.name)))
            project = replace(project, next_id=following)
        # Rims are those of the copies.
        fresh = carried(Project("", masks={n: masks[n] for n in numbers.values()}), _Numbers(new)).masks
        project = replace(project, masks={**project.masks, **fresh})
        parent, at = (None, len(project.layers)) if self.above is None else home_of(project, self.above)
        at += self.above is not None
        return shallow(replace(project, layers=inserted(project, tuple(taken), parent, at)))

    @property
    def title(self) -> str:
        count = len(self.part.layers)
        if self.part.layers[0].recipe:
            return tr("Recipe {name}", name=self.part.layers[0].recipe)
        return f"Paste {self.part.layers[0].name}" if count == 1 else tr("Paste {count} layers", count=count)


class _Renamed(Carrying):
    """Pictures and selections have other names; painted sheets that there are not stay behind."""

    def __init__(self, pictures: dict[str, str], selections: dict[str, str], sheets: frozenset[str]) -> None:
        self.pictures, self.selections, self.sheets = pictures, selections, sheets

    def picture(self, name: str) -> str:
        return self.pictures.get(name, name)

    def scope(self, scope: Scope) -> Scope:
        if scope.selections is None:
            return scope
        return replace(scope, selections=tuple(self.selections.get(name, name) for name in scope.selections))

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        return {key: painted for key, painted in sheets.items() if key in self.sheets}


class _Numbers(Carrying):
    """Layers have other numbers; what goes by one that did not come along keeps to the one that was there."""

    def __init__(self, new: dict[int, int]) -> None:
        self.new = new

    def layer(self, number: int) -> int:
        return self.new.get(number, number)


def _joined(
    there: dict[str, _V], new: dict[str, _V], taken: frozenset[str] = frozenset()
) -> tuple[dict[str, _V], dict[str, str]]:
    """Both together, and what each of the new ones is called there."""
    out, names = dict(there), {}
    for name, value in new.items():
        same = name if out.get(name) == value else next((old for old, one in out.items() if one == value), None)
        if same is None:
            same, count = name, 2
            while same in out or same in taken:
                same, count = f"{name} {count}", count + 1
            out[same] = value
        names[name] = same
    return out, names


def _masked(layer: Layer, numbers: dict[int, int]) -> Layer:
    """A layer and all in it with the new numbers of their masks."""
    layer = replace(layer, mask=None if layer.mask is None else numbers.get(layer.mask), link=None)
    if not layer.children:
        return layer
    return with_children(layer, tuple(_masked(child, numbers) for child in layer.children))
