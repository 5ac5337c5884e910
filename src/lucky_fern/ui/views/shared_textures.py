"""The textures that both views draw with."""

from __future__ import annotations

import moderngl

from lucky_fern.render.textures import SheetTextures
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.pinned import Pinned
from lucky_fern.ui.session.work import Work

_UPLOADING = 0.15  # seconds a frame; what is left goes with the next one


class SharedTextures:
    """The one set of textures that both views draw with, made by whichever draws first."""

    def __init__(self, work: Work, maps: Maps, comparing: Comparing, pinned: bool = False) -> None:
        self.work, self.maps, self.comparing = work, maps, comparing
        self.pinned = pinned  # of the pinned state, not of the one worked on
        self._textures: SheetTextures | None = None

    def ready(self, context: moderngl.Context) -> SheetTextures | None:
        """The textures with everything uploaded that was composited; a context must be current."""
        holder = self.comparing.pinned if self.pinned else self.maps
        store = holder.store if holder is not None else None
        if store is None or holder is None:
            if self._textures is not None:
                self._textures.release()
                self._textures = None
            return None
        sizes = holder.sizes if isinstance(holder, Pinned) else self.work.sheet_sizes()
        if self._textures is None or self._textures.store is not store:
            if self._textures is not None:
                self._textures.release()
            self._textures = SheetTextures(context, store)
        for key, size in sizes.items():
            self._textures.of(key, size)
        self._textures.send(holder.pending, sizes, _UPLOADING)
        self._textures.send(self._textures.unsent, sizes, _UPLOADING)
        self._textures.finish()
        return self._textures

    @property
    def waiting(self) -> bool:
        """Whether composited chunks are still to be uploaded with the next frames."""
        return self._textures is not None and bool(self._textures.unsent)
