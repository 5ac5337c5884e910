"""What layers depend on: one answer, made of exactly what they refer to, for every cache and for dirt alike."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable
from typing import Any, NamedTuple, TypeVar, cast

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import RISE, SHAPE
from lucky_fern.core.project.document import KitPicture, Layer, Project, Relief, walk
from lucky_fern.core.project.kinds import NOTHING, References
from lucky_fern.core.project.references import layer_refers, mask_refers, with_sequences
from lucky_fern.core.project.shapes import Mask
from lucky_fern.core.project.showing import reliefs
from lucky_fern.core.project.tree import Layers, below, given_to, up_to
from lucky_fern.words import tr

_T = TypeVar("_T")
_PROJECTS = 8  # whose answers are remembered


class Ground(NamedTuple):
    """Everything that some layers and masks depend on; two that are equal make the same pixels.

    ``layers`` are those asked about, ``others`` those that masks go by, and what lies below those that hear; masks,
    pictures (as far as they are drawn), sequences and selections by name. ``sizes`` are those of sheets, ``reliefs``
    how high what stands out by itself does.
    """

    layers: Layers
    others: tuple[tuple[Hashable, Layers], ...]
    masks: tuple[tuple[int, Mask | None], ...]
    pictures: tuple[tuple[str, KitPicture | None], ...]
    sequences: tuple[tuple[str, dict[int, str]], ...]
    selections: tuple[tuple[str, str | None], ...]
    sizes: tuple[Any, ...]
    reliefs: tuple[Relief, ...]

    def beside(self, mask: int | None) -> tuple[Any, ...]:
        """All but a mask's own entries (and sizes, where no layer is gone by): where it differs, anything may."""
        others = tuple(one for one in self.masks if one[0] != mask)
        return (self.others, others, *self[3:6], self.sizes if self.others else ())


def ground_of(
    project: Project, layers: Layers = (), masks: Iterable[int] = (), asking: int | None = None, by: int | None = None
) -> Ground:
    """What a stretch of layers with all that lies below it, some masks, and a layer wherever it lies depend on.

    ``asking`` is the layer whose masks they are: those that hear go by what lies below it. ``by`` is the layer.
    """
    used: dict[int, Mask | None] = {}
    others: dict[Hashable, Layers] = {}
    found = NOTHING
    todo: list[Layer] = list(layers)

    def gone_by(refers: References) -> None:
        for number in sorted(refers.layers):
            if ("layer", number) not in others:
                of = tuple(layer for layer in project.walk() if layer.id == number)
                others["layer", number] = of
                todo.extend(of)

    def heard(layer: int, maps: frozenset[str]) -> None:
        key = ("below", layer, tuple(sorted(maps)))
        if maps and key not in others:
            others[key] = _for_maps(project, below(project, layer).layers, maps)
            todo.extend(others[key])

    def mask(number: int, layer: int | None) -> None:
        one = used[number] = project.masks.get(number)
        if one is not None and layer is not None:
            heard(layer, mask_hears(one))

    for number in masks:
        mask(number, asking)
        one = used[number]
        if one is not None:
            refers = mask_refers(one)
            found |= with_sequences(project, refers)
            gone_by(refers)
    if by is not None:
        gone_by(References(layers=frozenset((by,))))
    stretch = {id(layer) for layer in layers}  # what these hear is among them
    while todo:
        top = todo.pop()
        for layer in walk((top,)):
            refers = layer_refers(project, layer)
            found |= refers
            alone = id(top) not in stretch
            if layer.mask is not None:
                mask(layer.mask, layer.id if alone else None)
            if alone and layer.content.goes_by is not None and not layer.content.own_pixels:
                heard(layer.id, frozenset((layer.content.goes_by,)))
            gone_by(refers)
    return Ground(
        layers,
        tuple(sorted(others.items(), key=lambda one: str(one[0]))),
        tuple(sorted(used.items())),
        tuple((name, _drawn(project, name)) for name in sorted(found.pictures)),
        tuple((name, project.sequences[name]) for name in sorted(found.pictures) if name in project.sequences),
        tuple((name, project.selections.get(name)) for name in sorted(found.selections)),
        (project.sheet_size, project.sheet_sizes, project.pixel_art),
        tuple(reliefs(project.layers)),
    )


def _drawn(project: Project, name: str) -> KitPicture | None:
    kit = project.pictures.get(name)
    return None if kit is None else kit.drawn


def mask_hears(mask: Mask) -> frozenset[str]:
    """The maps below that a mask follows."""
    return frozenset().union(*(entry.shape.hears for entry in mask.entries if entry.on))


def _for_maps(project: Project, layers: Layers, maps: frozenset[str] | None) -> Layers:
    """What of a stretch some maps (None: all) come from."""
    return layers if maps is None else given_to(layers, _maps_behind(project, layers, maps))


def _maps_behind(project: Project, layers: Layers, maps: frozenset[str]) -> frozenset[str]:
    """Some maps, and those that they come from in a stretch: by echoes, by masks that hear, by heights as normals."""
    found = set(maps)
    while True:
        before = len(found)
        for layer in walk(layers):
            active = layer.active_channels()
            if layer.content.holds_layers or found & active.keys():
                if layer.content.goes_by is not None:
                    found.add(layer.content.goes_by)
                one = None if layer.mask is None else project.masks.get(layer.mask)
                if one is not None and one.on:
                    found |= mask_hears(one)
        if SHAPE in found:
            found.add(RISE)
        if len(found) == before:
            return frozenset(found)


def refers_round(project: Project, number: int) -> frozenset[int]:
    """The layers that decide where a layer shows: itself, what it holds, and what their masks go by or hear."""
    layers = {layer.id: layer for layer in project.walk()}
    seen: set[int] = set()
    todo = [one.id for one in walk((layers[number],))] if number in layers else []
    while todo:
        at = todo.pop()
        if at in seen or at not in layers:
            continue
        seen.add(at)
        todo += led_to(project, layers, at)
    return frozenset(seen)


def led_to(project: Project, layers: dict[int, Layer], number: int) -> list[int]:
    """The layers that a layer's mask goes by, with what they hold, and all below it if its mask hears."""
    layer = layers[number]
    under = [one.id for one in walk(below(project, number).layers)]
    found = under if layer.content.goes_by is not None and not layer.content.own_pixels else []
    mask = None if layer.mask is None else project.masks.get(layer.mask)
    if mask is None:
        return found
    found = found + [inner.id for one in mask_refers(mask).layers if one in layers for inner in walk((layers[one],))]
    return found + under if mask_hears(mask) else found


def refuse_circles(project: Project) -> Project:
    """The project, if no layer shows by itself, by way of masks (CommandError otherwise)."""
    if not any(mask_refers(mask).layers for mask in project.masks.values()):
        return project  # what hears goes by what lies below it, and that is no circle
    layers = {layer.id: layer for layer in project.walk()}
    done: set[int] = set()
    for start in layers:
        way: dict[int, list[int]] = {}  # the layers on the way, each with those it leads to that are still to be seen
        at: int | None = start
        while at is not None:
            if at not in way:
                way[at] = [] if at in done else led_to(project, layers, at)
            following = way[at].pop() if way[at] else None
            if following in way:
                name = layers[following].name
                raise CommandError(
                    tr("'{name}' would go by itself that way: choose the rim of another layer", name=name)
                )
            if following is None:
                done.add(at)
                del way[at]
                following = next(reversed(way), None)
            at = following
    return project


class Grounds:
    """Answers about the projects that were asked about last; safe to use from several threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._answers: OrderedDict[int, tuple[Project, dict[Hashable, Any]]] = OrderedDict()

    def _of(self, project: Project, key: Hashable, make: Callable[[], _T]) -> _T:
        with self._lock:
            known = self._answers.get(id(project))
            if known is None:
                known = self._answers[id(project)] = (project, {})
                if len(self._answers) > _PROJECTS:
                    self._answers.popitem(last=False)
            self._answers.move_to_end(id(project))
        if key not in known[1]:
            known[1][key] = make()
        return cast(_T, known[1][key])

    def below(self, project: Project, layer: int, with_it: bool = False) -> Layers:
        """What lies below a layer (:func:`~.tree.below`), or that and the layer (:func:`~.tree.up_to`)."""
        cut = up_to if with_it else below
        return self._of(project, ("below", layer, with_it), lambda: cut(project, layer).layers)

    def of_below(
        self, project: Project, layer: int, maps: frozenset[str] | None = None, with_it: bool = False
    ) -> Ground:
        """What all that lies below a layer depends on; of some maps only, if they are named."""

        def make() -> Ground:
            return ground_of(project, _for_maps(project, self.below(project, layer, with_it), maps))

        return self._of(project, ("of below", layer, maps, with_it), make)

    def of_layer(self, project: Project, layer: int) -> Ground:
        """What a layer depends on, wherever it lies."""
        return self._of(project, ("layer", layer), lambda: ground_of(project, by=layer))

    def of_first(self, project: Project, many: int | None, maps: frozenset[str] | None = None) -> Ground:
        """What so many layers of the stack (None: all), counted from the lowest, depend on; of some maps only."""

        def make() -> Ground:
            return ground_of(project, _for_maps(project, project.layers[:many], maps))

        return self._of(project, ("first", many, maps), make)

    def of_content(self, project: Project, layer: Layer) -> tuple[object, ...]:
        """The pictures, sequences and selections that a layer itself refers to, beside its mask and what it holds."""

        def make() -> tuple[object, ...]:
            refers = layer_refers(project, layer, deep=False)
            pictures, selections = sorted(refers.pictures), sorted(refers.selections)
            return (
                [(name, _drawn(project, name)) for name in pictures],
                [(name, project.sequences.get(name)) for name in pictures],
                [(name, project.selections.get(name)) for name in selections],
            )

        return self._of(project, ("content", layer.id), make)

    def of_mask(self, project: Project, layer: Layer) -> Ground:
        """What a layer's mask depends on."""
        masks = () if layer.mask is None else (layer.mask,)
        asking = layer.id if layer.mask is not None and self.hears(project, layer.mask) else None
        return self._of(project, ("mask", layer.mask, asking), lambda: ground_of(project, (), masks, asking))

    def sizes(self, project: Project) -> Hashable:
        """The sizes of all sheets, to be part of a key: coarse and fine answers do not push each other out."""
        return self._of(
            project, "sizes", lambda: (project.sheet_size, tuple(sorted(map(str, project.sheet_sizes.items()))))
        )

    def hears(self, project: Project, number: int) -> bool:
        """Whether a mask follows what lies below the layer that it is on."""
        mask = project.masks.get(number)
        return self._of(project, ("hears", number), lambda: mask is not None and bool(mask_hears(mask)))

    def round(self, project: Project, layer: int) -> frozenset[int]:
        """The layers that decide where a layer shows (:func:`refers_round`)."""
        return self._of(project, ("round", layer), lambda: refers_round(project, layer))
