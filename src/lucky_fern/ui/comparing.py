"""Comparing: the stack without the selected layers, and a pinned state beside what there is now."""

from __future__ import annotations

from typing import TYPE_CHECKING

from lucky_fern.ui.pinned import Pinned

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk


class Comparing:
    """``holding`` hides the selected layers; ``pinned`` shows left of the ``wipe``, a share of the width."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.pinned: Pinned | None = None
        self.wipe = 0.5
        self.holding = False

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
