"""The textures that both views draw with."""

from __future__ import annotations

import time

import moderngl
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.render.textures import SheetTextures
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.packing import Packing
from lucky_fern.ui.session.pinned import Pinned
from lucky_fern.ui.session.work import Work


class SharedTextures(QObject):
    """The one set of textures that both views draw with, made by whichever draws first."""

    changed = Signal()  # something came in, by way of either view

    def __init__(self, work: Work, maps: Maps, comparing: Comparing, pinned: bool = False) -> None:
        super().__init__()
        self.work, self.maps, self.comparing = work, maps, comparing
        self.pinned = pinned  # of the pinned state, not of the one worked on
        self._textures: SheetTextures | None = None

    def ready(self, context: moderngl.Context) -> SheetTextures | None:
        """The textures with what was brought to them so far; a context must be current."""
        holder = self._holder
        if holder is None or holder.store is None or holder.packing is None:
            if self._textures is not None:
                self._textures.release()
                self._textures = None
            return None
        if self._textures is None or self._textures.store is not holder.store:
            if self._textures is not None:
                self._textures.release()
            self._textures = SheetTextures(context, holder.store)
        for key, size in self._sizes.items():
            self._textures.of(key, size)
        for piece, chunks in self._textures.unsent.items():
            holder.packing.want(piece, chunks)
        self._textures.unsent.clear()
        self._textures.finish()
        return self._textures

    def receive(self, context: moderngl.Context, seconds: float) -> None:
        """Bring what was packed to the textures for about so long."""
        textures, packing, came = self.ready(context), self._packing, False
        if textures is None or packing is None:
            return
        end = time.perf_counter() + seconds
        while (parcel := packing.first()) is not None:
            came = True
            if textures.put(parcel):
                packing.taken()
            if time.perf_counter() > end:
                break
        if came:
            self.changed.emit()

    @property
    def waiting(self) -> bool:
        """Whether something is ready to be brought here."""
        return self._packing is not None and self._packing.first() is not None

    @property
    def _holder(self) -> Maps | Pinned | None:
        return self.comparing.pinned if self.pinned else self.maps

    @property
    def _packing(self) -> Packing | None:
        return self._holder.packing if self._holder is not None else None

    @property
    def _sizes(self) -> dict[SheetKey, int]:
        return self._holder.sizes if isinstance(self._holder, Pinned) else self.work.sheet_sizes()
