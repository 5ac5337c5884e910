"""Pictures and recipes that are dropped onto a view, from the tray or out of other programs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QPixmap

from lucky_fern.core.arrays import F64
from lucky_fern.core.pictures.picture import SUFFIXES
from lucky_fern.core.project.plain import Scope
from lucky_fern.ui.session.bringing import Bringing
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.views.overlay import Overlay
from lucky_fern.words import tr

PICTURE_MIME = "application/x-lucky-fern-picture"
RECIPE_MIME = "application/x-lucky-fern-recipe"


class Drops:
    """Shows a ghost under the pointer and places what is let go; ``place`` says whether there was somewhere."""

    def __init__(
        self, overlay: Overlay, work: Work, bringing: Bringing, recipes: Recipes, place: Callable[[str, F64], bool],
        face_at: Callable[[F64], int | None],
    ) -> None:  # fmt: skip
        self._overlay, self._work, self._bringing, self._place_at = overlay, work, bringing, place
        self._recipes, self._face_at = recipes, face_at

    def enter(self, event: QDragEnterEvent) -> None:
        mime = event.mimeData()
        files = any(Path(url.toLocalFile()).suffix.lower() in SUFFIXES for url in mime.urls())
        if mime.hasFormat(PICTURE_MIME) or mime.hasFormat(RECIPE_MIME) or files:
            event.acceptProposedAction()

    def move(self, event: QDragMoveEvent) -> None:
        image = event.mimeData().imageData()
        if isinstance(image, QPixmap):
            self._overlay.ghost = (image, event.position())
        self._overlay.marker = np.array([event.position().x(), event.position().y()])
        self._overlay.update()
        event.acceptProposedAction()

    def drop(self, event: QDropEvent) -> None:
        point = np.array([event.position().x(), event.position().y()])
        self.end()
        mime = event.mimeData()
        if mime.hasFormat(PICTURE_MIME):
            self._place(bytes(mime.data(PICTURE_MIME).data()).decode(), point)
        elif mime.hasFormat(RECIPE_MIME):
            everywhere = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._put(bytes(mime.data(RECIPE_MIME).data()).decode(), point, everywhere)
        elif mime.urls():
            paths = [Path(url.toLocalFile()) for url in mime.urls()]
            self._bringing.bring(paths, lambda name: self._place(name, point))
        event.acceptProposedAction()

    def end(self) -> None:
        self._overlay.ghost = self._overlay.marker = None
        self._overlay.update()

    def _put(self, key: str, point: F64, everywhere: bool) -> None:
        """A recipe onto the part under a pixel, or onto everything."""
        kept, studio = self._recipes.find(key), self._work.studio
        if kept is None or studio is None:
            return
        if everywhere:
            self._recipes.put(kept)
            return
        face = self._face_at(point)
        if face is None:
            self._work.warn(tr("There is no part there; drop it on the model or on a sheet."))
            return
        part = studio.model.parts[int(studio.model.part[face])]
        self._recipes.put(kept, Scope(parts=(part,)))

    def _place(self, picture: str, point: F64) -> None:
        if not self._place_at(picture, point):
            self._work.warn(tr("There is nothing to place a picture on there; drop it on the model or on a sheet."))
