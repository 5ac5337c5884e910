"""A picture of the kit being made ready: its ops as they are set just now, what they make small, at once, and large,
beside the window, as a step of the project once a hand rests.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from msgspec.structs import replace
from PySide6.QtCore import QObject, QTimer, Signal

from lucky_fern.core.arrays import Array
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.picturing import main_picture, new_pattern, original, preparation_of, prepare
from lucky_fern.core.preparing.corners import proposed_corners
from lucky_fern.core.preparing.rims import Rim, find_rim
from lucky_fern.core.preparing.run import Preview
from lucky_fern.core.preparing.state import State
from lucky_fern.core.project.commands import PreparePicture
from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.patterns import Pattern
from lucky_fern.core.project.preparations import MendRim, PictureStep, Point
from lucky_fern.ui.session.beside import beside
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_LONGEST = 1100  # pixels of what is shown
_REST = 600  # milliseconds after the last change before the large picture is made


@dataclass(frozen=True)
class Shown:
    """What the ops make, small: what the chosen op is given and what all of them make; or what is wrong."""

    before: Array
    after: State | None
    problem: str = ""


class Preparing(QObject):
    """``opened``: another picture, or none; ``changed``: its ops, or which is chosen; ``shown``: what they make."""

    opened = Signal()
    changed = Signal()
    shown = Signal()
    settled = Signal()  # nothing is left to be made large
    _made = Signal(int, object)

    def __init__(self, work: Work, errands: Errands) -> None:
        super().__init__()
        self.work, self.errands = work, errands
        self.picture = ""  # its name in the kit; "" while none is being made ready
        self.steps: tuple[PictureStep, ...] = ()
        self.at = -1  # the chosen op
        self.view: Shown | None = None
        self.rim: Rim | None = None  # of the original
        self._preview: Preview | None = None
        self._settled: tuple[PictureStep, ...] = ()  # those that the project has
        self._serial, self._working, self._again, self._sending = 0, False, False, False
        self._waiting: tuple[str, tuple[PictureStep, ...]] | None = None  # to be made after what is being made
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(self.settle)
        self._made.connect(self._show)
        work.project_changed.connect(self._follow)
        work.studio_changed.connect(self._leave)

    # --- which picture ------------------------------------------------------------------------------------------

    @property
    def busy(self) -> bool:
        """Whether something is still to be shown or made."""
        return self._working or self._sending or self._rest.isActive()

    @property
    def by(self) -> float:
        """How many pixels of what is shown a pixel of the picture is."""
        return self._preview.by(self.steps) if self._preview is not None else 1.0

    def open(self, identity: str, then: Op | None = None) -> None:
        """Make a picture ready; its original is read beside the window. ``then`` is an op to be added at once."""
        studio = self.work.studio
        if studio is None:
            return
        try:
            name = main_picture(studio.project, identity)
        except LuckyFernError as error:
            self.work.warn(str(error))
            return
        self.settle()
        kit = studio.project.pictures[name]

        def read() -> tuple[Preview, Rim | None]:
            picture = original(studio, kit)
            return Preview(picture, _LONGEST), find_rim(picture.rgba)

        self.errands.send(tr("Reading {name} …", name=name), read, partial(self._opened, name, then))

    def _opened(self, name: str, then: Op | None, found: tuple[Preview, Rim | None]) -> None:
        project = self.work.project
        if project is None or name not in project.pictures:
            return
        self.picture, (self._preview, self.rim) = name, found
        self.steps = self._settled = preparation_of(project.pictures[name]).steps
        self.at, self.view = len(self.steps) - 1, None
        self.opened.emit()
        self.changed.emit()
        if then is not None:
            self.add(then)
        self._draw()

    def draw(self, name: str, op: Pattern) -> None:
        """Have a pattern in the kit, and set it."""
        studio = self.work.studio
        if studio is None:
            return

        def done(command: PreparePicture) -> None:
            if studio is self.work.studio and self.work.execute(command):
                self.open(next(iter(command.pictures)))

        self.errands.send(tr("Drawing {name} …", name=name), lambda: new_pattern(studio, name, op), done)

    def close(self) -> None:
        """Back to the sheets; what was set is made."""
        self.settle()
        self._put_away()

    def _leave(self) -> None:
        """Another project is open: what was not made yet was of the one before."""
        self._waiting = None
        self._put_away()

    def _put_away(self) -> None:
        if not self.picture:
            return
        self.picture, self._preview, self.view, self.rim = "", None, None, None
        self._serial += 1
        self._rest.stop()
        self.opened.emit()

    def _follow(self, change: Change) -> None:
        """Undo and jobs change ops too."""
        if not self.picture or change.after is None or not change.touches("pictures"):
            return
        kit = change.after.pictures.get(self.picture)
        if kit is None:
            self.picture = ""
            self.opened.emit()
            return
        steps = preparation_of(kit).steps
        if steps != self._settled:
            self.steps = self._settled = steps
            self.at = min(self.at, len(steps) - 1)
            self._rest.stop()
            self.changed.emit()
            self._draw()

    # --- its ops ------------------------------------------------------------------------------------------------

    def add(self, op: Op) -> None:
        """One more, after the chosen one."""
        at = self.at + 1
        self._set((*self.steps[:at], PictureStep(op), *self.steps[at:]), at)

    def remove(self) -> None:
        """The chosen one goes."""
        if 0 <= self.at < len(self.steps):
            steps = (*self.steps[: self.at], *self.steps[self.at + 1 :])
            self._set(steps, min(self.at, len(steps) - 1))

    def move(self, by: int) -> None:
        """The chosen one, up or down the list."""
        to = self.at + by
        if 0 <= self.at < len(self.steps) and 0 <= to < len(self.steps):
            steps = [*self.steps]
            steps.insert(to, steps.pop(self.at))
            self._set(tuple(steps), to)

    def switch(self, at: int, on: bool) -> None:
        """One is done, or not."""
        self._set((*self.steps[:at], replace(self.steps[at], on=on), *self.steps[at + 1 :]), self.at)

    def choose(self, at: int) -> None:
        """Look at one: what it is given is shown beside what comes out."""
        if at != self.at:
            self.at = at
            self.changed.emit()
            self._draw()

    @property
    def op(self) -> Op | None:
        """The chosen one."""
        return self.steps[self.at].op if 0 <= self.at < len(self.steps) else None

    def set_op(self, op: Op) -> None:
        """The chosen one, set otherwise."""
        if 0 <= self.at < len(self.steps):
            steps = (*self.steps[: self.at], replace(self.steps[self.at], op=op), *self.steps[self.at + 1 :])
            self._set(steps, self.at)

    def mend_rim(self) -> None:
        """The rim that was found goes, with one op at the beginning."""
        self.at = -1
        self.rim = None
        self.add(MendRim())

    def propose_corners(self, then: Callable[[tuple[Point, Point, Point, Point]], object]) -> None:
        """Look for four corners in what the chosen op is given; ``then`` gets them, in the picture's pixels."""
        if self.view is None:
            return
        before, by = self.view.before, self.by

        def found(corners: tuple[Point, Point, Point, Point] | None) -> None:
            if corners is None:
                self.work.say(tr("No straight-sided sign was found in it; drag the corners where they belong."))
                return
            a, b, c, d = ((x / by, y / by) for x, y in corners)
            then((a, b, c, d))

        self.errands.send("", lambda: proposed_corners(before), found)

    def _set(self, steps: tuple[PictureStep, ...], at: int) -> None:
        self.steps, self.at = steps, at
        self.changed.emit()
        self._draw()
        self._rest.start()

    # --- small, at once -----------------------------------------------------------------------------------------

    def _draw(self) -> None:
        """Have what the ops make shown; the newest wish wins."""
        if self._working:
            self._again = True
            return
        if self._preview is None:
            return
        self._working, self._again = True, False
        self._serial += 1
        beside("Showing a picture", partial(self._work, self._serial, self._preview, self.steps, self.at))

    def _work(self, serial: int, preview: Preview, steps: tuple[PictureStep, ...], at: int) -> None:
        found = Shown(preview.original, None, tr("It could not be shown."))
        try:
            found = _shown(preview, steps, at)
        finally:
            self._made.emit(serial, found)

    def _show(self, serial: int, found: Shown) -> None:
        self._working = False
        if serial == self._serial and self.picture:
            self.view = found
            self.shown.emit()
        if self._again:
            self._draw()

    # --- large, beside ------------------------------------------------------------------------------------------

    def settle(self) -> None:
        """Make the large picture, and a step of the project of it."""
        self._rest.stop()
        name, steps = self.picture, self.steps
        if not name or (steps == self._settled and not self._sending):
            self.settled.emit()
        elif self._sending:
            self._waiting = name, steps
        else:
            self._send(name, steps)

    def _send(self, name: str, steps: tuple[PictureStep, ...]) -> None:
        studio = self.work.studio
        kit = None if studio is None else studio.project.pictures.get(name)
        if studio is None or kit is None:
            return
        self._sending = True

        def done(command: PreparePicture) -> None:
            if studio is self.work.studio:
                if self.picture == name:
                    self._settled = steps
                self.work.execute(command)
            ended()

        def ended() -> None:
            self._sending = False
            waiting, self._waiting = self._waiting, None
            if waiting is not None and waiting[1] != steps:
                self._send(*waiting)

        self.errands.send_long(
            tr("Preparing {name} …", name=name), lambda told: prepare(studio, name, kit, steps, told), done, ended
        )


def _shown(preview: Preview, steps: tuple[PictureStep, ...], at: int) -> Shown:
    """What the op at a place is given, and what all make."""
    before = preview.original
    try:
        before = preview.shown(steps[: max(at, 0)]).rgba
        return Shown(before, preview.shown(steps))
    except LuckyFernError as error:
        return Shown(before, None, str(error))
