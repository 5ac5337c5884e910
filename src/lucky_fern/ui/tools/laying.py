"""Edits of the layout from the window: worked out beside it, with progress, then done as one step."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import Bool
from lucky_fern.core.project.kinds import LayoutEdit
from lucky_fern.core.project.layouts import SnapTo
from lucky_fern.core.studio import PreparedLayout
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.words import tr


class Laying(QObject):
    """Does edits of the layout for the panels and the handles."""

    changed = Signal()

    def __init__(self, work: Work, errands: Errands, faces: Faces) -> None:
        super().__init__()
        self.work, self.errands, self.faces = work, errands, faces
        self.stay = True  # whether paint stays on the surface, or where it is in UV space
        self.snap: SnapTo | None = None  # what dragged islands are pulled onto
        self.alone = False  # whether drags take just the selected faces, not the islands that those are on

    def set_stay(self, stay: bool) -> None:
        self.stay = stay
        self.changed.emit()

    def set_alone(self, alone: bool) -> None:
        self.alone = alone
        self.changed.emit()
        self.faces.changed.emit()  # what is framed is another

    def chosen(self) -> Bool | None:
        """What an edit is about: the selected faces, or None for all if nothing is selected."""
        faces = self.faces
        return faces.chosen if faces.any else None

    def do(self, edit: LayoutEdit, chosen: Bool | None = None, then: Callable[[], None] | None = None) -> None:
        """Work an edit out beside the window and do it; ``chosen`` None takes what is selected."""
        studio = self.work.studio
        if studio is None:
            return
        faces, project, stay = self.chosen() if chosen is None else chosen, studio.project, self.stay

        def arrive(prepared: PreparedLayout) -> None:
            if studio is not self.work.studio:
                return
            if studio.project is not project:  # something else was done meanwhile: what follows must follow that
                self.do(edit, faces, then)
                return
            if self.work.execute(prepared.command):
                count = int(faces.sum()) if faces is not None else studio.model.triangle_count
                notes = [f"{note[:1].upper()}{note[1:]}." for note in prepared.notes]
                self.work.said.emit(
                    " ".join([tr("{title_of}: {count} triangles.", title_of=edit.title, count=count), *notes]),
                    bool(notes),
                )
            if then is not None:
                then()

        def failed() -> None:
            if then is not None:
                then()

        self.errands.send_long(
            f"{edit.title} …", lambda told: studio.prepare_layout(edit, faces, stay, told), arrive, failed
        )
