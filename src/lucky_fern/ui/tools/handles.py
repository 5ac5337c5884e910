"""What of the selected layer one can take hold of in the views, besides the decal itself."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal


class Handles(QObject):
    """Which handles the views show: the warp's points, a mask's picture, the space of a throw; what clicks choose."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.scope_kind: str | None = None  # what clicks choose for the scope of the selected layers
        self.reach_shown = False  # whether the space that a throw reaches is drawn
        self.mask_entry: int | None = None  # which entry of the selected layer's mask has handles
        self.moved_map: str | None = None  # which map's picture of the selected layer has handles of its own
        self.pulling = False  # whether the points of a decal's warp are shown instead of its handles

    def pick_scope(self, kind: str | None) -> None:
        """Have clicks choose parts, materials, tiles or islands for the selected layers; None ends it."""
        self.scope_kind = kind
        self.changed.emit()

    def show_reach(self, on: bool) -> None:
        """Draw the space that the selected throw reaches."""
        self.reach_shown = on
        self.changed.emit()

    def set_pulling(self, on: bool) -> None:
        """Show the points by which a decal is pulled, or its own handles."""
        if on != self.pulling:
            self.pulling = on
            self.changed.emit()

    def show_entry(self, entry: int | None) -> None:
        """Show the handles of a picture in the selected layer's mask."""
        self.mask_entry = entry
        self.changed.emit()

    def show_moved(self, name: str | None) -> None:
        """Show the handles of one map's picture on the sheets, to put it right against the layer's other maps."""
        self.moved_map = name
        self.changed.emit()
