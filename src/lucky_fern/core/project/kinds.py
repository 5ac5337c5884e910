"""Kinds that are told apart by a tag, and the tables that know them.

A layer's content, a place, a mask's shape, an adjustment's effect and an op on a picture are each one of
several kinds. What they have in
common is a base class here: what a kind refers to, how it is carried along, what it refuses. A table holds one row
for each kind: the class, and what draws it. Reading documents goes by the tables, so a kind needs no other
registration.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, Any, ClassVar, Generic, TypeVar, cast

import msgspec
from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import parse_value
from lucky_fern.core.project.plain import PaintedSheet, Scope
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.words import tr

_R = TypeVar("_R")
_K = TypeVar("_K", bound="Kind")
PICTURE = "picture"  # the source of a channel that takes its values from one
Painted = Mapping[str, PaintedSheet]  # sheet (``MATERIAL:TILE``) → what is painted on it


@dataclass(frozen=True)
class References:
    """What something needs to be there: kit pictures (or sequences), selections, masks, layers, painted sheets."""

    pictures: frozenset[str] = frozenset()
    selections: frozenset[str] = frozenset()
    masks: frozenset[int] = frozenset()
    layers: frozenset[int] = frozenset()
    paint: tuple[Painted, ...] = ()

    def __or__(self, other: References) -> References:
        return References(*(getattr(self, f.name) + getattr(other, f.name) if f.name == "paint"
                            else getattr(self, f.name) | getattr(other, f.name) for f in fields(self)))  # fmt: skip


NOTHING = References()


class Carrying:
    """How what a project holds is brought along: every method answers with what takes the place of what it is given.

    This one leaves all as it is; renaming, other units and other layouts override what they are about.
    """

    def place(self, place: Place) -> Place:
        return place

    def paint(self, sheets: dict[str, PaintedSheet]) -> dict[str, PaintedSheet]:
        return sheets

    def sheet(self, text: str) -> str:
        """``MATERIAL:TILE``"""
        return text

    def scope(self, scope: Scope) -> Scope:
        return scope

    def picture(self, name: str) -> str:
        return name

    def layer(self, number: int) -> int:
        return number

    def length(self, units: float) -> float:
        return units


class Kind:
    """Base of all kinds; a mixin, so that documents stay plain structs."""

    __slots__ = ()
    if TYPE_CHECKING:  # what msgspec gives every struct
        __struct_fields__: ClassVar[tuple[str, ...]]

    @property
    def keys_of(self) -> str:
        """The field whose own fields count as its keys, too; "" for none."""
        return ""

    def refers(self) -> References:
        """What must be there for it."""
        return NOTHING


class Place(Kind):
    """Where a picture is put."""

    __slots__ = ()
    framed: ClassVar[bool] = True  # it has a middle, a width and a height
    straight: ClassVar[bool] = False  # through the air, within a depth
    on_surface: ClassVar[bool] = True  # by a point in space; else in UV space
    if TYPE_CHECKING:
        width: Any

    def check(self) -> None:
        """Refuse a pose that has no size, no direction, or numbers that are none.

        Raises
        ------
        CommandError
            With a sentence about what is wrong.
        """
        raise NotImplementedError

    def tall(self, size: tuple[int, int]) -> float:
        """Its height, from the proportions of its picture's (width, height) where none is given."""
        raise NotImplementedError

    def scaled(self, by: float) -> Place:
        """The same in units of which there are ``by`` times as many."""
        return self

    def renamed(self, old: str, new: str) -> Place:
        """With a material called otherwise."""
        return self

    def shown_on(self, material: str, other: str) -> Place:
        """The same, showing on another material too that was cut off from one that it is laid on."""
        return self

    def square_pixels(self, size_of: Callable[[SheetKey], Extent], picture: tuple[int, int]) -> Place:
        """The same with its picture's pixels square on its sheet where it has no height; ``picture`` is its size.

        What lies on the surface keeps proportions by itself; pictures laid by quarters keep them exactly.
        """
        return self

    def for_picture(
        self, size_of: Callable[[SheetKey], Extent], before: tuple[int, int], after: tuple[int, int]
    ) -> Place:
        """The same for a picture of other proportions: its pixels are square if those of the one before were."""
        if getattr(self, "height", None) is None:
            return self  # it goes by each picture's proportions
        free = cast(Place, replace(cast(Any, self), height=None))
        squared = free.square_pixels(size_of, before)
        return free.square_pixels(size_of, after) if squared is not free and squared == self else self

    def askew(self, shift: tuple[float, float], scale: float) -> Place:
        """Larger about its middle, and moved in UV space (in tiles) where it is laid there."""
        tall = getattr(self, "height", None)
        made: Place = replace(cast(Any, self), width=self.width * scale)
        return made if tall is None else replace(cast(Any, made), height=tall * scale)

    def reframed(
        self, key: SheetKey, before: Extent, after: Extent, by: tuple[int, int], picture: tuple[int, int]
    ) -> Place:
        """On the same texels where a sheet's canvas is another: so many columns and rows come in before the first.

        ``picture`` is the size of what is placed.
        """
        return self

    def widened(self, by: float) -> Place:
        """For a picture ``by`` times as wide as before, its height alike: what it shows keeps its size."""
        return self

    @property
    def materials(self) -> frozenset[str]:
        """The materials that it names."""
        return frozenset()


class Effect(Kind):
    """What an adjustment does."""

    __slots__ = ()
    on_surface: ClassVar[bool] = False  # it lies on the model, so that it means nothing on a picture alone
    goes_by: ClassVar[str | None] = None  # the map below that decides on all maps what it does
    usual_maps: ClassVar[tuple[str, ...]] = ()  # those that it is put on together; none: the one that is looked at

    @property
    def regions(self) -> tuple[str, str] | None:
        """The two selections of which it holds what was measured; None for those that measure nothing."""
        return None

    def check(self) -> None:
        """Refuse numbers out of range (CommandError)."""

    def check_on(self, map_name: str) -> None:
        """Refuse a map on which it means nothing (CommandError)."""

    @property
    def reach(self) -> int:
        """How many texels beyond its own it sees."""
        return 0

    def scaled(self, by: float) -> Effect:
        """The same where everything is ``by`` times as many texels long."""
        return self


class Op(Kind):
    """One step of making a picture ready."""

    __slots__ = ()
    makes: ClassVar[tuple[str, ...]] = ()  # what it makes beside the picture itself
    goes_last: ClassVar[bool] = False  # it goes by what all other ops make of the picture, wherever it stands

    @property
    def drawn_size(self) -> tuple[int, int] | None:
        """Width and height in pixels of a picture that it draws anew; None where it goes on from the one before."""
        return None

    def check(self) -> None:
        """Refuse numbers out of range (CommandError)."""

    def scaled(self, by: float) -> Op:
        """The same for a picture that is ``by`` times as large."""
        return self


class LayoutEdit(Kind):
    """What is done to the layout."""

    __slots__ = ()
    label: ClassVar[str] = tr("Change layout")

    @property
    def title(self) -> str:
        """What the history calls it."""
        return self.label

    def followed(self, project: Any) -> Any:
        """The project (its document alone) with what the edit renames called otherwise."""
        return project


class Shape(Kind):
    """What one entry of a mask shows."""

    __slots__ = ()

    # What some kinds have as a field of that name, and the others have not.

    @property
    def place(self) -> Any:
        """Where its picture is placed: a :class:`Place` of any kind, or None."""
        return None

    @property
    def rule(self) -> Any:
        """What is asked of the surface, or None."""
        return None

    @property
    def scope(self) -> Scope | None:
        """What of the model it takes, of kinds that go by names."""
        return None

    def check(self, project: Any) -> None:
        """Refuse numbers out of range, and pictures that are not there (CommandError)."""

    def carried(self, carrying: Carrying) -> Shape:
        """Brought along."""
        return self

    @property
    def hears(self) -> frozenset[str]:
        """The maps that it goes by, as the layers below make them."""
        return frozenset()

    @property
    def travels(self) -> bool:
        """Whether it means something on any model: it is not painted, nor of one model's faces."""
        return True

    @property
    def painted(self) -> dict[str, PaintedSheet] | None:
        """What is painted, sheet by sheet; None for kinds that cannot be painted."""
        return None


class Content(Kind):
    """What a layer is."""

    __slots__ = ()
    holds_layers: ClassVar[bool] = False
    own_pixels: ClassVar[bool] = True  # it shows something by itself, whatever lies below it
    has_settings: ClassVar[bool] = True  # they can be replaced as a whole; else it has commands of its own
    links: ClassVar[bool] = False  # several layers may share one set of settings
    repeats: ClassVar[bool] = False  # motifs along runs, as edgings do
    everywhere: ClassVar[bool] = False  # it lies on all that is in scope, by itself

    # What some kinds have as a field of that name, and the others have not.

    @property
    def folded(self) -> bool:
        """Whether the layers that it holds are not listed."""
        return False

    @property
    def isolated(self) -> bool:
        """Whether the layers that it holds are put together by themselves first."""
        return False

    @property
    def effect(self) -> Effect | None:
        """What it does to what is below."""
        return None

    @property
    def place(self) -> Any:
        """Where its one picture is placed: a :class:`Place` of any kind, or None."""
        return None

    @property
    def picture(self) -> Any:
        """The one picture of the kit that it shows, or None."""
        return None

    @property
    def by(self) -> str:
        """How its pictures lie on all of the surface ("" for kinds that do not)."""
        return ""

    @property
    def hears(self) -> str | None:
        """The map below that it turns into what it gives; None for kinds that go by none."""
        return None

    @property
    def goes_by(self) -> str | None:
        """The map below whose changes may change all that it gives; None for kinds that go by none."""
        return self.hears

    def check(self, project: Any) -> None:
        """Refuse numbers, pictures or effects that cannot be (CommandError)."""

    def check_source(self, map_name: str, source: str | float, picture: str | None) -> None:
        """Refuse what a channel is to take its values from (CommandError)."""
        check_value(map_name, source)

    @property
    def painted(self) -> dict[str, PaintedSheet] | None:
        """What is painted, sheet by sheet; None for kinds that cannot be painted."""
        return None

    @property
    def by_uv(self) -> bool:
        """Whether its pictures lie by UV, so that they show otherwise on another layout."""
        return False

    @property
    def children(self) -> tuple[Any, ...]:
        """The layers that it holds, from the bottom."""
        return ()

    def holding(self, layers: tuple[Any, ...]) -> Content:
        """The same with other layers in it."""
        raise TypeError(f"{type(self).__name__} holds no layers")

    @property
    def settled(self) -> Content:
        """What of it counts for how it looks: without the layers it holds, and without what only the board shows."""
        return self

    @property
    def placed(self) -> tuple[str, Place] | None:
        """The one picture that it places, and where."""
        return None

    def put_at(self, place: Place) -> Content:
        """With its picture placed elsewhere."""
        raise TypeError(f"{type(self).__name__} is not placed")

    def scaled(self, by: float) -> Content:
        """The same on sheets with ``by`` times as many texels along a side, of what it does by texels."""
        return self

    def carried(self, carrying: Carrying) -> Content:
        """Brought along."""
        return self


def check_value(map_name: str, value: str | float) -> None:
    """Refuse a value that its map cannot have (CommandError)."""
    try:
        parse_value(map_name, value)
    except (ValueError, KeyError) as error:
        raise CommandError(str(error.args[0])) from error


class Table(Generic[_R]):
    """The kinds of one sort by their tags, each with what draws it."""

    def __init__(self, base: type, noun: str) -> None:
        self.base, self.noun = base, noun
        self._kinds: dict[str, type] = {}
        self._rows: dict[type, _R] = {}
        TABLES[base] = self

    def add(self, kind: type, row: _R) -> None:
        """Make a kind known: a frozen struct with a tag, and what draws it."""
        tag = kind.__struct_config__.tag  # type: ignore[attr-defined]  # every struct has one
        self._kinds[tag] = kind
        self._rows[kind] = row

    def remove(self, kind: type) -> None:
        """Forget a kind."""
        del self._rows[kind]
        self._kinds = {tag: one for tag, one in self._kinds.items() if one is not kind}

    def of(self, value: object) -> _R:
        """What draws it."""
        return self._rows[type(value)]

    def kind(self, tag: str) -> type:
        """The kind of a tag.

        Raises
        ------
        KeyError
            If there is none.
        """
        return self._kinds[tag]

    @property
    def tags(self) -> tuple[str, ...]:
        return tuple(self._kinds)

    def decode(self, data: object) -> Any:
        """A value of one of the kinds from plain data; ValueError, with a sentence, for anything else."""
        if isinstance(data, self.base):
            return data
        field = next(iter(self._kinds.values())).__struct_config__.tag_field  # type: ignore[attr-defined]  # all are structs
        tag = data.get(field) if isinstance(data, dict) else None
        if not isinstance(tag, str) or tag not in self._kinds:
            raise ValueError(
                tr(
                    "there is no {noun} {tag!r}; there are {kinds}",
                    noun=self.noun,
                    tag=tag,
                    kinds=", ".join(self._kinds),
                )
            )
        try:
            return convert(data, self._kinds[tag])
        except msgspec.ValidationError as error:
            raise ValueError(str(error)) from error


TABLES: dict[type, Table[Any]] = {}
CONTENTS: Table[Any] = Table(Content, "kind of layer")
PLACES: Table[Any] = Table(Place, "way of placing")
SHAPES: Table[Any] = Table(Shape, "mask shape")
EFFECTS: Table[Any] = Table(Effect, "effect")
OPS: Table[Any] = Table(Op, "op")
LAYOUTS: Table[Any] = Table(LayoutEdit, "op of the layout")


def decode_kind(kind: type, data: object) -> Any:
    """msgspec's ``dec_hook`` for fields that hold one of several kinds."""
    if kind not in TABLES:
        raise NotImplementedError(kind)
    return TABLES[kind].decode(data)


def convert(data: object, kind: Any) -> Any:
    """Plain data as a document type.

    Raises
    ------
    msgspec.ValidationError
        If it does not fit.
    """
    return msgspec.convert(data, kind, str_keys=True, dec_hook=decode_kind)


def altered(value: _K, **changes: object) -> _K:
    """A value of any kind with some of its fields changed."""
    return cast(_K, replace(cast(Any, value), **changes))
