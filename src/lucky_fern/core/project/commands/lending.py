"""Edits about what is lent to another program: it goes out, it comes back, it is forgotten."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command, free_name, kept_by_name, with_layer
from lucky_fern.core.project.commands.painting import Repainted
from lucky_fern.core.project.commands.stack import AddLayer
from lucky_fern.core.project.document import Brushwork, Channel, Decal, KitPicture, Project
from lucky_fern.core.project.loans import LentView, Loan
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.core.project.references import paint_digests
from lucky_fern.words import tr


class Lend(Command, frozen=True, tag="lend"):
    """Note what is lent under a name, in place of an older loan of that name; None forgets it."""

    label: ClassVar[str] = tr("Lend")
    name: str
    loan: Loan | None

    def brings(self) -> Iterable[str]:
        return () if self.loan is None else self.loan.digests

    def apply(self, project: Project) -> Project:
        if self.loan is not None:
            self.loan.check()
        gone = tr("there is no loan {name!r} any more", name=self.name)
        loans = kept_by_name(project.loans, self.name, self.loan, tr("a loan needs a name"), gone)
        return replace(project, loans=loans)

    @property
    def title(self) -> str:
        return self.label if self.loan is not None else tr("Forget loan")


class TakeBack(Command, frozen=True, tag="take-back"):
    """What changed in another program becomes a painted layer right above what was lent; a later one replaces it."""

    label: ClassVar[str] = tr("Take back")
    name: str
    sheets: dict[str, PaintedSheet]
    added: dict[str, dict[str, PaintedSheet]] = {}  # layers that were added there, by name, from the bottom

    def brings(self) -> Iterable[str]:
        return paint_digests([self.sheets, *self.added.values()])

    def apply(self, project: Project) -> Project:
        if self.name not in project.loans:
            raise CommandError(tr("there is no loan {name!r} any more", name=self.name))
        project = self._main(project)
        for title in (*self.added, *(one for one in project.loans[self.name].added if one not in self.added)):
            project = self._beside(project, title)
        return project

    def _beside(self, project: Project, title: str) -> Project:
        """A layer that was added there; empty, where it was taken out again."""
        loan, sheets = project.loans[self.name], self.added.get(title, {})
        layers = {layer.id: layer for layer in project.walk()}
        mine = layers.get(loan.added.get(title, -1))
        if mine is not None and mine.content.painted is not None:
            return with_layer(project, mine.id, content=mine.content.carried(Repainted(sheets)))
        if not sheets:
            return project
        mates = [loan.layer, *loan.added.values()]  # above what came back before
        above = next((one for one in reversed(mates) if one in layers), loan.above if loan.above in layers else None)
        number, channels = project.next_id, {"colour": Channel("painted")}
        made = AddLayer(free_name(project, title), Brushwork(sheets), channels, above=above).apply(project)
        return replace(made, loans={**made.loans, self.name: replace(loan, added={**loan.added, title: number})})

    def _main(self, project: Project) -> Project:
        loan = project.loans[self.name]
        maps = dict.fromkeys(name for sheet in self.sheets.values() for name in sheet.maps)
        layers = {layer.id: layer for layer in project.walk()}
        mine = layers.get(loan.layer) if loan.layer is not None else None
        if mine is not None and mine.content.painted is not None:
            channels = {**mine.channels, **{name: mine.channels.get(name, Channel("painted")) for name in maps}}
            content = mine.content.carried(Repainted(self.sheets))
            return with_layer(project, mine.id, content=content, channels=channels)
        if not maps:
            return project  # nothing changed there
        above = loan.above if loan.above in layers else None
        number = project.next_id
        channels = {name: Channel("painted") for name in maps}
        after = AddLayer(free_name(project, self.name), Brushwork(self.sheets), channels, above=above).apply(project)
        return replace(after, loans={**after.loans, self.name: replace(loan, layer=number)})

    @property
    def title(self) -> str:
        return tr("Take {name} back", name=self.name)


class LendView(Command, frozen=True, tag="lend-view"):
    """Note that what is seen of the model is lent under a name; None forgets it."""

    label: ClassVar[str] = tr("Lend what is seen")
    name: str
    view: LentView | None

    def brings(self) -> Iterable[str]:
        return () if self.view is None else (self.view.lent,)

    def apply(self, project: Project) -> Project:
        gone = tr("there is no loan {name!r} any more", name=self.name)
        unnamed = tr("a loan needs a name")
        return replace(project, lent_views=kept_by_name(project.lent_views, self.name, self.view, unnamed, gone))

    @property
    def title(self) -> str:
        return self.label if self.view is not None else tr("Forget loan")


class TakeViewBack(Command, frozen=True, tag="take-view-back"):
    """What changed in a picture of the model is thrown back through its lens: a decal, whose picture a later one
    replaces.
    """

    label: ClassVar[str] = tr("Take back")
    name: str
    picture: str
    kit: KitPicture

    def brings(self) -> Iterable[str]:
        return (self.kit.digest,)

    def apply(self, project: Project) -> Project:
        view = project.lent_views.get(self.name)
        if view is None:
            raise CommandError(tr("there is no loan {name!r} any more", name=self.name))
        project = replace(project, pictures={**project.pictures, self.picture: self.kit})
        known = {layer.id for layer in project.walk()}
        number = view.layer
        if number not in known:
            number, channels = project.next_id, {"colour": Channel("picture")}
            content = Decal(self.picture, view.place)
            project = AddLayer(free_name(project, self.name), content, channels).apply(project)
        view = replace(view, picture=self.picture, layer=number)
        return replace(project, lent_views={**project.lent_views, self.name: view})

    @property
    def title(self) -> str:
        return tr("Take {name} back", name=self.name)
