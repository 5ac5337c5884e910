"""Edits about what is lent to another program: it goes out, it comes back, it is forgotten."""

from __future__ import annotations

from typing import ClassVar

from msgspec.structs import replace

from lucky_fern.core.errors import CommandError
from lucky_fern.core.project.commands.base import Command, free_name, kept_by_name, with_layer
from lucky_fern.core.project.commands.painting import Repainted
from lucky_fern.core.project.commands.stack import AddLayer
from lucky_fern.core.project.document import Brushwork, Channel, Project
from lucky_fern.core.project.loans import Loan
from lucky_fern.core.project.plain import PaintedSheet
from lucky_fern.words import tr


class Lend(Command, frozen=True, tag="lend"):
    """Note what is lent under a name, in place of an older loan of that name; None forgets it."""

    label: ClassVar[str] = tr("Lend")
    name: str
    loan: Loan | None

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

    def apply(self, project: Project) -> Project:
        loan = project.loans.get(self.name)
        if loan is None:
            raise CommandError(tr("there is no loan {name!r} any more", name=self.name))
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
