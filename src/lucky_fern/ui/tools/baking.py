"""A finer model in hand: its cage is shown, and what it has is baked beside the window."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.arrays import F64
from lucky_fern.core.baking import CAGE, CARRIED, Asked, Baked, Cage, bake, cage_round, moved_here, read_finer
from lucky_fern.core.model.model import Model
from lucky_fern.core.survey.finer import apart
from lucky_fern.ui.session.answers import Answers
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr


@dataclass(frozen=True)
class FinerModel:
    """As it was read, and by what name."""

    name: str
    model: Model


class Baking(QObject):
    """``changed``: another finer model, another cage, or other lines of it."""

    changed = Signal()

    def __init__(self, work: Work, errands: Errands, answers: Answers, looking: Looking) -> None:
        super().__init__()
        self.work, self.errands, self.answers, self.looking = work, errands, answers, looking
        self.finer: FinerModel | None = None
        self.cage = 0.0  # model units
        self.maps: tuple[str, ...] = CARRIED
        self.lines: F64 | None = None  # (N, 2, 3) the cage, while it is shown
        self._round: tuple[Model, Cage] | None = None  # what it is drawn from
        self.shown = False
        self.lost = 0.0  # share of the texels that found nothing, the last time
        work.studio_changed.connect(self._forget)
        looking.station_changed.connect(lambda _: self.show_cage(False))

    def _forget(self) -> None:
        self.finer, self.lines, self.shown, self.lost, self._round = None, None, False, 0.0, None
        studio = self.work.studio
        self.cage = 0.0 if studio is None else studio.model.diagonal * CAGE
        self.changed.emit()

    @property
    def far(self) -> float:
        """How far the finer model lies from the model, in its units; 0 where it is near enough, or there is none."""
        studio = self.work.studio
        if studio is None or self.finer is None:
            return 0.0
        return apart(studio.model, self.finer.model, self.cage)

    def open(self, path: Path) -> None:
        """Take a finer model in hand."""
        self.errands.send(tr("Reading {name} …", name=path.name), lambda: read_finer(path),
                          lambda model: self._take(FinerModel(path.name, model)))  # fmt: skip

    def _take(self, finer: FinerModel) -> None:
        self.finer, self.lost = finer, 0.0
        self.show_cage(True)
        self.changed.emit()

    def move_here(self) -> None:
        """Bring it to where the model is."""
        studio = self.work.studio
        if studio is not None and self.finer is not None:
            self._take(FinerModel(self.finer.name, moved_here(studio.model, self.finer.model)))

    def set_cage(self, units: float) -> None:
        self.cage = units
        self.changed.emit()
        self._ask_lines()

    def show_cage(self, on: bool) -> None:
        """Show the cage in the model view."""
        if on == self.shown and (on or self.lines is None):
            return
        self.shown = on
        if on:
            self._ask_lines()
        else:
            self.lines = None
        self.changed.emit()

    def _ask_lines(self) -> None:
        studio, cage = self.work.studio, self.cage
        if studio is None or not self.shown or cage <= 0:
            return
        model = studio.model
        if self._round is not None and self._round[0] is model:
            self.lines = self._round[1].lines(cage)
            self.changed.emit()
        else:
            self.answers.ask("the cage", lambda: (model, cage_round(model)), self._got_cage)

    def _got_cage(self, found: tuple[Model, Cage]) -> None:
        self._round = found
        if self.shown:
            self.lines = found[1].lines(self.cage)
            self.changed.emit()

    def bake(self, layer: str = "") -> None:
        """Bake what it has into a new layer, with progress; it can be called off."""
        studio, finer = self.work.studio, self.finer
        if studio is None or finer is None:
            return
        asked = Asked(self.maps, self.cage, layer or tr("Baked"))

        def done(baked: Baked) -> None:
            self.lost = baked.lost
            if self.work.execute(baked.command):
                said = tr("Baked {name} into a layer of its own.", name=finer.name)
                more = " ".join(f"{note[:1].upper()}{note[1:]}." for note in baked.notes)
                self.work.said.emit(more or said, bool(more))
            self.changed.emit()

        self.work.end_gesture()
        self.errands.send_long(
            tr("Baking {name} …", name=finer.name),
            lambda told: bake(studio, finer.model, finer.name, asked, told), done,
        )  # fmt: skip
