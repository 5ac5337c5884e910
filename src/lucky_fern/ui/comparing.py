"""Other ways to look: without the selected layers, a mask alone, a pinned state beside what there is now."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from lucky_fern.core.project.commands import SetLayer, Several
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.looks import mask_alone, mask_in_colour
from lucky_fern.ui.pinned import Pinned

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk


MaskLook = Literal["colour", "alone"]


class Comparing:
    """``holding`` hides the selected layers; ``mask_look`` shows the selected layer's mask in colour, or alone.

    What is ``pinned`` shows left of the ``wipe``, a share of the width.
    """

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.pinned: Pinned | None = None
        self.wipe = 0.5
        self.holding = False
        self.mask_look: MaskLook | None = None
        self._shown_before: str | None = None  # the map that was looked at before a mask alone

    def forget(self) -> None:
        """Look as ever."""
        self.holding, self.mask_look = False, None

    def seen(self, project: Project) -> Project:
        """The project as it is to be looked at."""
        desk = self.desk
        if self.holding:
            project = Several(tuple(SetLayer(layer, visible=False) for layer in desk.chosen)).apply(project)
        if self.mask_look is not None and desk.layer is not None:
            project = (mask_alone if self.mask_look == "alone" else mask_in_colour)(project, desk.layer.id)
        return project

    def show_mask(self, how: MaskLook | None) -> None:
        """Show the selected layer's mask in colour over all, or alone (as the colour map); None as ever."""
        before, self.mask_look = self.mask_look, how
        if how == "alone" and before != "alone":
            self._shown_before, self.desk.shown_map = self.desk.shown_map, "colour"
        elif before == "alone" and how != "alone":
            self.desk.shown_map = self._shown_before
        self.desk.composite()
        self.desk.view_changed.emit()

    def hold(self, on: bool) -> None:
        """Show the stack without the selected layers for as long as a key or button is held."""
        if on != self.holding and (self.desk.chosen or not on):
            self.holding = on
            self.desk.composite()
            self.desk.view_changed.emit()

    def pin(self) -> None:
        """Keep the state as it is now in view, left of the wipe; done again, let it go."""
        desk = self.desk
        if self.pinned is not None or desk.studio is None:
            self.unpin()
            return
        self.pinned = Pinned(desk.studio.sources, desk.studio.project, desk.shown_map or "colour")
        self.pinned.changed.connect(desk.maps_changed)
        desk.view_changed.emit()
        desk.said.emit(
            "This state is pinned: it shows left of the line, what you do now right of it. Drag the line.", False
        )

    def unpin(self) -> None:
        if self.pinned is not None:
            self.pinned.close()
            self.pinned = None
            self.desk.view_changed.emit()

    def set_wipe(self, share: float) -> None:
        self.wipe = min(max(share, 0.0), 1.0)
        self.desk.view_changed.emit()
