"""Other ways to look: without the selected layers, a mask alone, a pinned state beside what there is now."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import SetLayer, Several
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.looks import mask_alone, mask_in_colour, rule_alone
from lucky_fern.core.project.rules import RuleShape
from lucky_fern.ui.session.compositing_thread import Order
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.pinned import Pinned
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

MaskLook = Literal["colour", "alone"]


class Comparing(QObject):
    """``holding`` hides the selected layers; ``mask_look`` shows the selected layer's mask in colour, or alone.

    What is ``pinned`` shows left of the ``wipe``, a share of the width.
    """

    changed = Signal()  # what is to be composited is another
    pinned_changed = Signal()  # maps of the pinned state came in

    def __init__(self, work: Work, selection: Selection, looking: Looking) -> None:
        super().__init__()
        self.work, self.selection, self.looking = work, selection, looking
        self.pinned: Pinned | None = None
        self.wipe = 0.5
        self.holding = False
        self.mask_look: MaskLook | None = None
        self.rule: RuleShape | None = None  # that is looked at alone, on the model
        self._shown_before: str | None = None  # the map that was looked at before a mask alone
        work.studio_changed.connect(self.forget)
        looking.station_changed.connect(lambda _: self.show_rule(None))

    def forget(self) -> None:
        """Look as ever."""
        self.holding, self.mask_look, self.rule = False, None, None

    def seen(self, project: Project) -> Project:
        """The project as it is to be looked at."""
        if self.rule is not None:
            return rule_alone(project, self.rule)
        if self.holding:
            project = Several(tuple(SetLayer(layer, visible=False) for layer in self.selection.chosen)).apply(project)
        if self.mask_look is not None and self.selection.layer is not None:
            project = (mask_alone if self.mask_look == "alone" else mask_in_colour)(project, self.selection.layer.id)
        return project

    def show_mask(self, how: MaskLook | None) -> None:
        """Show the selected layer's mask in colour over all, or alone (as the colour map); None as ever."""
        before, self.mask_look = self.mask_look, how
        if how == "alone" and before != "alone":
            self._shown_before, self.looking.shown_map = self.looking.shown_map, "colour"
        elif before == "alone" and how != "alone":
            self.looking.shown_map = self._shown_before
        self.changed.emit()
        self.looking.changed.emit()

    def show_rule(self, rule: RuleShape | None) -> None:
        """Show a rule's values alone, as a picture on the model; None as ever."""
        if rule == self.rule:
            return
        if rule is not None and self.rule is None:
            self._shown_before, self.looking.shown_map = self.looking.shown_map, "colour"
        elif rule is None:
            self.looking.shown_map = self._shown_before
        self.rule = rule
        self.changed.emit()
        self.looking.changed.emit()

    def hold(self, on: bool) -> None:
        """Show the stack without the selected layers for as long as a key or button is held."""
        if on != self.holding and (self.selection.chosen or not on):
            self.holding = on
            self.changed.emit()
            self.looking.changed.emit()

    @property
    def wiping(self) -> bool:
        """Whether something else is shown left of the line."""
        return self.pinned is not None or self.looking.left_map is not None

    @property
    def left(self) -> str:
        """What that is, in a word or two."""
        name = self.looking.left_map
        words = [tr("pinned")] if self.pinned is not None else []
        return ", ".join([*words, *([] if name is None else [MAPS[name].title])])

    @property
    def right(self) -> str:
        """What is right of the line."""
        shown = self.looking.shown_map
        return tr("now") if self.looking.left_map is None else tr("all") if shown is None else MAPS[shown].title

    def pin(self, order: Order) -> None:
        """Keep the state as it is now in view, left of the wipe; done again, let it go. ``order``: what is seen."""
        if self.pinned is not None or self.work.studio is None:
            self.unpin()
            return
        self.pinned = Pinned(self.work.studio.sources, self.work.studio.project, order)
        self.pinned.changed.connect(self.pinned_changed)
        self.work.readers.add(self)
        self.looking.changed.emit()
        self.work.said.emit(
            tr("This state is pinned: it shows left of the line, what you do now right of it. Drag the line."), False
        )

    def unpin(self) -> None:
        if self.pinned is not None:
            self.work.readers.discard(self)
            self.pinned.close()
            self.pinned = None
            self.looking.changed.emit()

    def set_wipe(self, share: float) -> None:
        self.wipe = min(max(share, 0.0), 1.0)
        self.looking.changed.emit()
