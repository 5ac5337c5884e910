"""What was copied, to be pasted here or into the next project that is opened."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.project.shapes import Mask
from lucky_fern.ui.session.work import Work


class Clipboard(QObject):
    """A mask with what is painted on it, by digest.

    While a mask is held, nothing that it holds may be forgotten.
    """

    changed = Signal()

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.work = work
        self.mask: Mask | None = None
        self.paint: dict[str, bytes] = {}

    def hold(self, mask: Mask, paint: dict[str, bytes]) -> None:
        """Hold a mask until another one is copied."""
        self.mask, self.paint = mask, paint
        self.work.readers.add(self)
        self.changed.emit()
