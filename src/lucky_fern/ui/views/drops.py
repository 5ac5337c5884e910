"""What is dropped onto a view: pictures and recipes from the tray, adjustments from the board, and files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QPixmap

from lucky_fern.core.arrays import F64
from lucky_fern.core.pictures.picture import SUFFIXES
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.plain import Scope
from lucky_fern.ui.session.adjustments import adjustments_in, put_on
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
        elif adjustments_in(mime):
            event.setDropAction(Qt.DropAction.CopyAction)  # the board keeps its own
            event.accept()

    def move(self, event: QDragMoveEvent) -> None:
        image = event.mimeData().imageData()
        point = np.array([event.position().x(), event.position().y()])
        if isinstance(image, QPixmap):
            self._overlay.ghost = (image, event.position())
        self._overlay.marker = point
        held = adjustments_in(event.mimeData())
        if held:
            found = self._aimed(point, event.modifiers())
            names = ", ".join(one.name for one in held)
            self._overlay.aimed = tr("{names} on {where}", names=names, where=found[1]) if found else ""
            event.setDropAction(Qt.DropAction.CopyAction)
            event.accept()
        else:
            event.acceptProposedAction()
        self._overlay.update()

    def drop(self, event: QDropEvent) -> None:
        point = np.array([event.position().x(), event.position().y()])
        self.end()
        mime = event.mimeData()
        if mime.hasFormat(PICTURE_MIME):
            self._place(bytes(mime.data(PICTURE_MIME).data()).decode(), point)
        elif mime.hasFormat(RECIPE_MIME):
            everywhere = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._put(bytes(mime.data(RECIPE_MIME).data()).decode(), point, everywhere)
        elif held := adjustments_in(mime):
            self._adjust(held, point, event.modifiers())
            event.setDropAction(Qt.DropAction.CopyAction)
            event.accept()
            return
        elif mime.urls():
            paths = [Path(url.toLocalFile()) for url in mime.urls()]
            self._bringing.bring(paths, lambda name: self._place(name, point))
        event.acceptProposedAction()

    def end(self) -> None:
        self._overlay.ghost = self._overlay.marker = None
        self._overlay.aimed = ""
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

    def _adjust(self, held: tuple[AddLayer, ...], point: F64, keys: Qt.KeyboardModifier) -> None:
        found = self._aimed(point, keys)
        if found is None:
            self._work.warn(tr("There is no surface there; drop it on the model or on a sheet."))
        else:
            put_on(self._work, held, *found)

    def _aimed(self, point: F64, keys: Qt.KeyboardModifier) -> tuple[Scope, str] | None:
        """What an adjustment would be for, and in words: the material under a pixel; with Ctrl the part there, with
        Shift everything."""
        studio = self._work.studio
        if studio is None:
            return None
        if keys & Qt.KeyboardModifier.ShiftModifier:
            return Scope(), tr("everything")
        face = self._face_at(point)
        if face is None:
            return None
        model = studio.model
        if keys & Qt.KeyboardModifier.ControlModifier:
            part = model.parts[int(model.part[face])]
            return Scope(parts=(part,)), tr("the part {name}", name=part)
        material = model.materials[int(model.material[face])]
        return Scope(materials=(material,)), tr("the material {name}", name=material)

    def _place(self, picture: str, point: F64) -> None:
        if not self._place_at(picture, point):
            self._work.warn(tr("There is nothing to place a picture on there; drop it on the model or on a sheet."))
