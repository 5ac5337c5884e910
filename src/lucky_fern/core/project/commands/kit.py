"""Edits of the kit: pictures, how they are taken, and sequences of one picture a tile."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Self

from msgspec.structs import replace

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.project.commands.base import Command, kept_by_name
from lucky_fern.core.project.document import KitPaint, KitPicture, Layer, Project
from lucky_fern.core.project.kinds import check_value
from lucky_fern.core.project.references import everything_of
from lucky_fern.core.project.tree import with_children
from lucky_fern.core.udim import FIRST_TILE, LAST_TILE, is_tile
from lucky_fern.words import tr

MOST_COLOURS = 10_000  # of a palette


class AddPicture(Command, frozen=True, tag="add-picture"):
    """Put a picture into the project's kit."""

    label: ClassVar[str] = tr("Add picture")
    id: str
    picture: KitPicture

    def brings(self) -> Iterable[str]:
        return self.picture.digests

    def apply(self, project: Project) -> Project:
        return replace(project, pictures={**project.pictures, self.id: self.picture})


class PreparePicture(Command, frozen=True, tag="prepare-picture"):
    """Pictures made ready from their originals: one of the kit, with what lies beside it; all layers show it so."""

    label: ClassVar[str] = tr("Prepare picture")
    pictures: dict[str, KitPicture]
    gone: tuple[str, ...] = ()  # what the ops made beside it and do not make any more; it stays while it is shown

    def brings(self) -> Iterable[str]:
        return [digest for kit in self.pictures.values() for digest in kit.digests]

    def apply(self, project: Project) -> Project:
        for name, kit in self.pictures.items():
            if name in project.sequences:
                raise CommandError(tr("{name!r} is a sequence; prepare its pictures one by one", name=name))
            if kit.prepared is not None:
                kit.prepared.check()
        shown = everything_of(project).pictures if self.gone else frozenset()
        kept = {name: kit for name, kit in project.pictures.items() if name not in self.gone or name in shown}
        return replace(project, pictures={**kept, **self.pictures})

    def goes_on_with(self, earlier: Self) -> bool:
        """Whether the same ops were set otherwise; one more or less is a step of its own."""
        if earlier.pictures.keys() != self.pictures.keys():
            return False
        return all(_kinds(kit) == _kinds(earlier.pictures[name]) for name, kit in self.pictures.items())


def _kinds(kit: KitPicture) -> object:
    made = kit.prepared
    return None if made is None else (made.original, [(type(step.op), step.on) for step in made.steps])


class KeepPaint(Command, frozen=True, tag="keep-paint"):
    """Keep a paint in the kit under a name, in place of an older one of that name; None forgets it."""

    label: ClassVar[str] = tr("Keep paint")
    name: str
    paint: KitPaint | None

    def apply(self, project: Project) -> Project:
        gone = tr("there is no paint {name!r} any more", name=self.name)
        paints = kept_by_name(project.paints, self.name, self.paint, tr("a paint needs a name"), gone)
        if self.paint is not None:
            if not self.paint.values:
                raise CommandError(tr("a paint gives to one map at least"))
            for map_name, value in self.paint.values.items():
                check_value(map_name, value)
        return replace(project, paints=paints)


class KeepPalette(Command, frozen=True, tag="keep-palette"):
    """Keep colours under a name, in place of older ones of that name; None forgets them."""

    label: ClassVar[str] = tr("Keep palette")
    name: str
    colours: tuple[str, ...] | None

    def apply(self, project: Project) -> Project:
        gone = tr("there is no palette {name!r} any more", name=self.name)
        if self.colours is not None:
            check_palette(self.colours)
        unnamed = tr("a palette needs a name")
        return replace(project, palettes=kept_by_name(project.palettes, self.name, self.colours, unnamed, gone))

    @property
    def title(self) -> str:
        return self.label if self.colours is not None else tr("Forget palette")


def check_palette(colours: tuple[str, ...]) -> None:
    """Refuse what are no colours, or too many (CommandError)."""
    if not 1 <= len(colours) <= MOST_COLOURS:
        raise CommandError(tr("a palette has 1 to {most} colours", most=MOST_COLOURS))
    for colour in colours:
        if not is_hex(colour):
            raise CommandError(tr("{colour!r} is not a colour: write it as #rrggbb", colour=colour))


class KeepRecipe(Command, frozen=True, tag="keep-recipe"):
    """Keep a recipe (a file among the contents, by its digest) in the kit under a name; None forgets it."""

    label: ClassVar[str] = tr("Keep recipe")
    name: str
    digest: str | None

    def brings(self) -> Iterable[str]:
        return () if self.digest is None else (self.digest,)

    def apply(self, project: Project) -> Project:
        gone = tr("there is no recipe {name!r} any more", name=self.name)
        unnamed = tr("a recipe needs a name")
        return replace(project, recipes=kept_by_name(project.recipes, self.name, self.digest, unnamed, gone))

    @property
    def title(self) -> str:
        return self.label if self.digest is not None else tr("Remove recipe")


class SetLabel(Command, frozen=True, tag="set-label"):
    """Change what a label says or looks like; letters keep their size on every decal that shows it."""

    label: ClassVar[str] = tr("Edit label")
    picture: str
    kit: KitPicture

    def brings(self) -> Iterable[str]:
        return (self.kit.digest,)

    def apply(self, project: Project) -> Project:
        before = project.pictures.get(self.picture)
        if before is None or before.text is None or self.kit.text is None:
            raise CommandError(tr("{picture!r} is no label", picture=self.picture))
        wider = self.kit.width / before.width  # an em has so many pixels in both

        def change(layer: Layer) -> Layer:
            if layer.children:
                return with_children(layer, tuple(map(change, layer.children)))
            placed = layer.content.placed
            if placed is None or placed[0] != self.picture:
                return layer
            # Layers that are called by what they say go on being so.
            said, rest = layer.name[: len(before.name)], layer.name[len(before.name) :]
            if said == before.name and (not rest or rest.strip().isdigit()):
                layer = replace(layer, name=self.kit.name + rest)
            return replace(layer, content=layer.content.put_at(placed[1].widened(wider)))

        pictures = {**project.pictures, self.picture: self.kit}
        return replace(project, pictures=pictures, layers=tuple(map(change, project.layers)))

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.picture == self.picture


class SetFigure(Command, frozen=True, tag="set-figure"):
    """Change what a figure looks like, on every decal that shows it."""

    label: ClassVar[str] = tr("Edit figure")
    picture: str
    kit: KitPicture

    def brings(self) -> Iterable[str]:
        return (self.kit.digest,)

    def apply(self, project: Project) -> Project:
        before = project.pictures.get(self.picture)
        if before is None or before.figure is None or self.kit.figure is None:
            raise CommandError(tr("{picture!r} is no figure", picture=self.picture))
        return replace(project, pictures={**project.pictures, self.picture: self.kit})

    def goes_on_with(self, earlier: Self) -> bool:
        return earlier.picture == self.picture


class SetTaken(Command, frozen=True, tag="set-taken"):
    """Say whether a picture's numbers are encoded colours or plain data."""

    label: ClassVar[str] = tr("Take picture as")
    picture: str
    taken: Taken

    def apply(self, project: Project) -> Project:
        names = project.sequences.get(self.picture, {0: self.picture}).values()
        for name in names:
            if name not in project.pictures:
                raise CommandError(tr("picture {name!r} is not in the kit", name=name))
        changed = {name: replace(project.pictures[name], taken=self.taken) for name in names}
        return replace(project, pictures={**project.pictures, **changed})


class AddSequence(Command, frozen=True, tag="add-sequence"):
    """Name one kit picture for each tile."""

    label: ClassVar[str] = tr("Add picture sequence")
    id: str
    tiles: dict[int, str]

    def apply(self, project: Project) -> Project:
        if self.id in project.pictures or not self.tiles:
            raise CommandError(tr("a sequence cannot be called {id!r}", id=self.id))
        for tile, name in self.tiles.items():
            if not is_tile(tile):
                raise CommandError(
                    tr(
                        "{tile} is no tile; tiles run from {FIRST_TILE} to {LAST_TILE}",
                        tile=tile,
                        FIRST_TILE=FIRST_TILE,
                        LAST_TILE=LAST_TILE,
                    )
                )
            if name not in project.pictures:
                raise CommandError(tr("picture {name!r} is not in the kit; add it first", name=name))
        return replace(project, sequences={**project.sequences, self.id: dict(sorted(self.tiles.items()))})
