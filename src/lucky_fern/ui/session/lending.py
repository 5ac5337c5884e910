"""Sheets and views in another program's hands: they go out as files, and come back as those are saved."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError, PictureError
from lucky_fern.core.files import read_file, write_whole
from lucky_fern.core.lending import boxed, boxed_layer, file_of, files_of, lend, read_back, take_back
from lucky_fern.core.lending_views import lend_view, take_view_back
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.placing.slide import Held, held_throw
from lucky_fern.core.project.commands import Lend, LendView, TakeBack, TakeViewBack
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.loans import Box, LentView, Loan
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.watched_files import WatchedFiles
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_VIEW = 1200  # pixels from top to bottom of a view that is lent


@dataclass(frozen=True)
class Wish:
    """How a sheet goes out: which maps, with the layout hidden on top, with a soft border, added layers apart."""

    maps: tuple[str, ...] = ("colour",)
    guides: bool = True
    feather: float = 0.0
    apart: bool = True


class Lending(QObject):
    """``changed``: other loans than before, or another box; ``looked``: whether files were saved; ``lent``: files are
    written (the first is for the other program).
    """

    changed = Signal()
    looked = Signal()
    lent = Signal(Path)

    def __init__(self, work: Work, errands: Errands, selection: Selection, looking: Looking) -> None:
        super().__init__()
        self.work, self.errands, self.selection, self.looking = work, errands, selection, looking
        self.key: SheetKey | None = None  # what is to go out next
        self.box: Box | None = None  # of it; None: all
        self.drawing = False  # whether the next drag on a sheet is the box
        self._files = WatchedFiles()
        self._files.rested.connect(self.look)
        work.project_changed.connect(self._follow)
        work.studio_changed.connect(lambda: self.choose(None))

    @property
    def busy(self) -> bool:
        """Whether a file has changed and was not taken back so far."""
        return self._files.busy

    def loans(self) -> dict[str, Loan]:
        """The sheets that are on loan."""
        project = self.work.project
        return {} if project is None else project.loans

    def views(self) -> dict[str, LentView]:
        """The views that are on loan."""
        project = self.work.project
        return {} if project is None else project.lent_views

    def out(self) -> dict[str, Loan | LentView]:
        """Everything that is on loan."""
        return {} if self.work.project is None else _all(self.work.project)

    # --- what goes out ----------------------------------------------------------------------------------------------

    def choose(self, key: SheetKey | None, box: Box | None = None) -> None:
        """A sheet, or a box of it, is to go out next."""
        self.key, self.box, self.drawing = key, box, False
        self.changed.emit()

    def draw_box(self, on: bool) -> None:
        """Wait for a box to be drawn on a sheet, or not any more."""
        self.drawing = on
        if on:
            self.work.say(tr("Draw a box on one of the sheets."))
        self.changed.emit()

    def choose_faces(self, faces: Bool, islands: bool = False) -> None:
        """The box round faces (T,), or round the islands that they are of, on the sheet where most of them lie."""
        studio = self.work.studio
        if studio is None or not faces.any():
            self.work.warn(tr("Select faces first, at the Model station."))
            return
        if islands:
            faces = np.isin(studio.model.islands, np.unique(studio.model.islands[faces]))
        rows = {key: int(faces[studio.surface.placement.triangles[key]].sum()) for key in studio.surface.keys}
        key = max(rows, key=lambda one: rows[one])
        try:
            self.choose(key, boxed(studio, key, faces))
        except CommandError as error:
            self.work.warn(str(error))

    def choose_layer(self) -> None:
        """The box round what the selected layer shows: a decal, a label, strokes."""
        studio, layer = self.work.studio, self.selection.layer
        if studio is None or layer is None:
            self.work.warn(tr("Select a layer first."))
            return
        self.errands.send(tr("Looking where {name} lies …", name=layer.name), lambda: boxed_layer(studio, layer),
                          lambda found: self.choose(*found))  # fmt: skip

    def lend(self, key: SheetKey, wish: Wish, path: Path, box: Box | None = None) -> None:
        """Write a sheet's maps (a box of them, if one is given) as files, and wait for them to be saved elsewhere."""
        studio = self.work.studio
        if studio is None:
            return
        name = path.stem

        def work() -> Lend:
            file = str(path.resolve())
            command = lend(studio, name, str(key), box, wish.maps, file, wish.feather, wish.apart)
            assert command.loan is not None
            for place, data in files_of(studio, command.loan, path, wish.guides).items():
                write_whole(place, data)
            return command

        def done(command: Lend) -> None:
            assert command.loan is not None
            if studio is self.work.studio and self.work.execute(command):
                self.choose(self.key)
                self._went(path)
                self.lent.emit(file_of(command.loan, path, next(iter(command.loan.lent))))

        self.errands.send(tr("Lending {name} …", name=path.name), work, done)

    def lend_view(self, path: Path, proportion: float) -> None:
        """Write what the model view sees as a picture; ``proportion`` is its width over its height."""
        studio, eye = self.work.studio, self.looking.eye
        if studio is None or eye is None:
            return
        place = held_throw(eye, Held((0.0, 0.0), 2 * proportion, 0.0))

        def work() -> LendView:
            size = (round(_VIEW * proportion), _VIEW)
            command = lend_view(studio, path.stem, place, size, str(path.resolve()))
            assert command.view is not None
            write_whole(path, studio.blobs[command.view.lent])
            return command

        def done(command: LendView) -> None:
            if studio is self.work.studio and self.work.execute(command):
                self._went(path)
                self.lent.emit(path)

        self.errands.send(tr("Lending {name} …", name=path.name), work, done)

    def _went(self, path: Path) -> None:
        self.work.say(
            tr("{name} is on loan: save it in the other program, and what you changed there comes back.",
               name=path.name)
        )  # fmt: skip

    def forget(self, name: str) -> None:
        """Wait for it no longer; what came back stays."""
        self.work.execute(LendView(name, None) if name in self.views() else Lend(name, None))

    def set_feather(self, name: str, feather: float) -> None:
        """Have what comes back fade in over so many texels."""
        loan = self.loans().get(name)
        if loan is not None and self.work.execute(Lend(name, replace(loan, feather=feather))):
            self._take(name, self.loans()[name])

    # --- what comes back --------------------------------------------------------------------------------------------

    def _follow(self, change: Change) -> None:
        """Watch the files of all loans, also of those that a project brings along."""
        if not change.touches("loans", "lent_views") or change.after is None:
            return
        self._files.watch(place for loan in _all(change.after).values() for place in _places(loan))
        if change.whole and (change.after.loans or change.after.lent_views):  # they may have been saved since
            self._files.look_soon()
        elif change.before is not None:
            before = _all(change.before)
            for name, loan in _all(change.after).items():
                if name not in before or before[name].lent != loan.lent:
                    self._files.know(_places(loan))
        self.changed.emit()

    def look(self) -> None:
        """Take back what was saved elsewhere since."""
        news = self._files.news()
        for name, loan in self.out().items():
            if news.intersection(_places(loan)):
                self.take_now(name)
        self.looked.emit()

    def take_now(self, name: str) -> None:
        """Take one back as its file is now."""
        if name in self.views():
            self._take_view(name, self.views()[name])
        elif name in self.loans():
            self._take(name, self.loans()[name])

    def _take(self, name: str, loan: Loan) -> None:
        studio = self.work.studio
        if studio is None:
            return

        def done(command: TakeBack) -> None:
            if studio is not self.work.studio or name not in studio.project.loans:
                return
            if not _says_more(studio.project, name, command):
                return
            if self.work.execute(command):
                self.work.say(_said(name, command))

        self.errands.send(
            tr("Taking {name} back …", name=name),
            lambda: take_back(studio, name, read_back(loan, Path(loan.file))),
            done,
        )

    def _take_view(self, name: str, view: LentView) -> None:
        studio, path = self.work.studio, Path(view.file)
        if studio is None:
            return

        def done(command: TakeViewBack | None) -> None:
            if studio is not self.work.studio or command is None or name not in studio.project.lent_views:
                return
            before = studio.project.pictures.get(command.picture)
            if before is not None and before.digest == command.kit.digest:
                return
            if self.work.execute(command):
                self.work.say(tr("{name} is back, thrown onto the model from where you looked.", name=name))

        self.errands.send(
            tr("Taking {name} back …", name=name),
            lambda: take_view_back(studio, name, read_file(path, PictureError, MOST_FILE), path.name),
            done,
        )


def _places(loan: Loan | LentView) -> list[str]:
    """The files that a loan lies in."""
    if not loan.file:
        return []
    if isinstance(loan, LentView):
        return [loan.file]
    return [str(file_of(loan, Path(loan.file), name)) for name in loan.lent]


def _all(project: Project) -> dict[str, Loan | LentView]:
    found: dict[str, Loan | LentView] = dict(project.loans)
    found.update(project.lent_views)
    return found


def _said(name: str, command: TakeBack) -> str:
    """Where what came back lies."""
    added = ", ".join(f"'{title}'" for title in command.added)
    if added and command.sheets:
        return tr("{name} is back: what was changed lies in the layer of that name, and {added} came along.",
                  name=name, added=added)  # fmt: skip
    if added:
        return tr("{name} is back: {added} came along.", name=name, added=added)
    return tr("{name} is back: what was changed lies in the layer of that name.", name=name)


def _says_more(project: Project, name: str, command: TakeBack) -> bool:
    """Whether what came back is other than what is there already."""
    loan = project.loans[name]
    layers = {layer.id: layer for layer in project.walk()}

    def there(number: int | None) -> object:
        layer = layers.get(-1 if number is None else number)
        return {} if layer is None else dict(layer.content.painted or {})

    mates = {title: dict(sheets) for title, sheets in command.added.items()}
    known = {title: there(number) for title, number in loan.added.items()}
    return there(loan.layer) != dict(command.sheets) or {t: s for t, s in known.items() if s} != mates
