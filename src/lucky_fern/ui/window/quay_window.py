"""The stand-in game, opened from the main window and closed with it."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lucky_fern.quay.delivery import Delivery
    from lucky_fern.ui.quay.window import Quay


class QuayWindow:
    """At most one, with what was delivered last."""

    def __init__(self) -> None:
        self.shown: Quay | None = None

    def open(self, delivery: Delivery) -> None:
        """Show exported files in the stand-in game, in a window of their own."""
        from lucky_fern.ui.quay.window import Quay  # only whoever goes there waits for it

        self.close()
        self.shown = Quay(delivery)
        self.shown.resize(1120, 700)
        self.shown.show()

    def close(self) -> None:
        """It could go on giving numbers to a project that nobody asks about any more."""
        if self.shown is not None:
            self.shown.close()
