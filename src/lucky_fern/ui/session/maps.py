"""The maps of what is open, composited beside the window, and what the views have not seen of them yet."""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from lucky_fern.core.arrays import Array
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.levels import Levels, Needs, usual_room
from lucky_fern.core.maps import LOOK
from lucky_fern.core.project.document import Project
from lucky_fern.core.project.first_look import Look
from lucky_fern.core.sheets.grid import Chunk, SheetKey
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.ui.session.change import Change
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.compositing_thread import CompositingThread, Order, Seen
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.packing import Packing
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work

_BREATH = 60  # milliseconds
_GLANCE = 80  # milliseconds after which what is looked at now is worked out
_JUST_NOW = 2.0  # seconds


class Maps(QObject):
    """Has the project composited whenever it changes, and what is done packed for the views."""

    changed = Signal()  # some chunks are done
    arrived = Signal()  # some of them are packed
    busy = Signal(bool)
    seen_done = Signal()  # what is looked at is there, as finely as it is seen
    looked = Signal()  # the same, after something else was looked at
    rested = Signal()  # everything asked for is composited and told

    def __init__(self, work: Work, selection: Selection, looking: Looking, comparing: Comparing) -> None:
        super().__init__()
        self.work, self.selection, self.looking, self.comparing = work, selection, looking, comparing
        self.levels: Levels | None = None
        self.compositing: CompositingThread | None = None
        self.packing: Packing | None = None
        self.lookers: list[Callable[[], Seen]] = []
        self._room = usual_room()  # bytes that maps may take at their sheets' own size
        self._surface: Surface | None = None  # the one that the maps are of
        self._rested = 0  # the request that was told of in full last
        # Another project is composited once the window has shown what it has of it.
        self._soon = QTimer(self, singleShot=True, interval=_BREATH)
        self._due = False  # whether it runs: other threads ask, and a timer is its own thread's alone
        self._soon.timeout.connect(self.composite)
        self._glance = QTimer(self, singleShot=True, interval=_GLANCE)
        self._glance.timeout.connect(self._look)
        self._glancing = False
        work.look_of = self._look_of
        work.studio_changed.connect(self._start_anew)
        work.layout_changed.connect(self._follow_surface)
        work.project_changed.connect(self._follow)
        selection.changed.connect(self._follow_selection)
        comparing.changed.connect(self.composite)

    # --- reading --------------------------------------------------------------------------------------------

    @property
    def store(self) -> MapStore | None:
        """The maps at the sheets' own size."""
        return None if self.levels is None else self.levels.store

    @property
    def settled(self) -> bool:
        """Whether everything is composited that is going to be, and told here."""
        thread = self.compositing
        if thread is None:
            return True
        return self._rested == thread.serial and thread.resting and not (self._due or self._glancing)

    @property
    def seen_is_done(self) -> bool:
        """Whether what is looked at is there, as finely as it is seen; asked on any thread."""
        thread = self.compositing
        return thread is None or (thread.seen_is_done and not self._due)

    @property
    def share(self) -> float:
        """How much of what is looked at is done, 0…1."""
        return 1.0 if self.compositing is None else self.compositing.share

    @property
    def measuring(self) -> str:
        """What the survey is measuring now ("" for nothing)."""
        studio = self.work.studio
        if studio is None or self.settled:
            return ""
        what, when = studio.sources.survey.measuring
        return what if time.monotonic() - when < _JUST_NOW else ""

    @property
    def quiet(self) -> bool:
        """Whether nobody works on an older state of the project in the background, or holds on to its contents."""
        work = self.work
        return self.settled and not work.errands.busy and not work.saves.busy and not work.readers

    def finished(self, project: Project) -> MapStore | None:
        """The maps, if they are all composited and those of this project; asked by exports from their thread."""
        thread, store = self.compositing, self.store
        if thread is None or store is None or not thread.settled.is_set() or thread.shown is not project:
            return None
        return store

    def give_room(self, room: int) -> None:
        """Let maps take so many bytes (0: a quarter of the computer's memory), now and in what is opened later."""
        self._room = room or usual_room()
        if self.levels is not None:
            self.levels.room = self._room
            self.look_again()

    def on_screen(self) -> Seen:
        """Finds, on any thread, what the views show now, and how finely; it is composited first."""
        looks = [look() for look in self.lookers]

        def find() -> Needs:
            seen: dict[SheetKey, Array] = {}
            for look in looks:
                for key, need in look().items():
                    seen[key] = np.minimum(seen[key], need) if key in seen else need
            return seen

        return find

    def _look_of(self, project: Project) -> Look:
        """What a project's maps look like, if that is known; asked by a save from its thread."""
        return {} if self.levels is None else self.levels.look(project)

    # --- compositing ----------------------------------------------------------------------------------------

    def composite(self) -> None:
        """Have the maps brought to what is to be seen: the project, or the project without the selected layers."""
        studio = self.work.studio
        self._soon.stop()
        self._due = False
        if studio is None or self.compositing is None:
            return
        self.compositing.request(self.comparing.seen(studio.project), self._order())

    def look_again(self) -> None:
        """Something else is on the screen, or how finely it is: that comes first, once it stays for a moment."""
        if self.compositing is not None:
            self._glancing = True
            self._glance.start()

    def _look(self) -> None:
        self._glancing = False
        if self.compositing is not None and not self._due:
            order = self._order()
            self.compositing.look(order)
            if self.comparing.pinned is not None:
                self.comparing.pinned.look(order)

    def pin(self) -> None:
        """Keep the state as it is now in view, left of the line; done again, let it go."""
        self.comparing.pin(self._order())

    def _order(self) -> Order:
        return Order(self.looking.shown_map or LOOK, self.selection.selected, self.on_screen())

    def close(self) -> None:
        """End the work in the background, and wait for it."""
        going = [one for one in (self.compositing, self.packing) if one is not None]
        self._let_go()
        for thread in going:
            thread.close()

    def _let_go(self) -> None:
        """Have the work in the background end; nobody waits."""
        self.comparing.unpin()
        self._soon.stop()
        self._glance.stop()
        self._due = self._glancing = False
        if self.compositing is not None:
            self.compositing.stop()
            self.compositing = None
        if self.packing is not None:
            self.packing.stop()
            self.packing = None

    def _start_anew(self) -> None:
        self._let_go()
        studio = self.work.studio
        assert studio is not None
        self.levels = Levels(studio.sources)
        self.levels.room = self._room
        self.levels.take_look(studio.project, studio.look)
        self._surface = studio.surface
        self.packing = Packing(self.levels)
        self.packing.arrived.connect(self.arrived)
        self._composite_with(CompositingThread(self.levels))

    def _composite_with(self, thread: CompositingThread) -> None:
        self.compositing, self._rested = thread, 0
        thread.chunks_done.connect(self._chunks_done)
        thread.reshown.connect(self._reshown)
        thread.busy.connect(self.busy)
        thread.seen_done.connect(self.seen_done)
        thread.looked.connect(self.looked)
        thread.rested.connect(self._note_rest)
        thread.failed.connect(self.work.warn)

    def _follow_surface(self) -> None:
        """Go on over another surface if the layout or the model changed; sheets that are as they were are kept."""
        studio, before, thread = self.work.studio, self._surface, self.compositing
        if studio is None or before is None or thread is None or self.levels is None or studio.surface is before:
            return
        self.comparing.unpin()
        thread.stop()
        new = studio.surface.unlike(before)
        self._composite_with(CompositingThread(self.levels, studio.sources, new, thread))
        self._surface = studio.surface

    def _follow(self, change: Change) -> None:
        if change.whole:
            self._due = True
            self._soon.start()
        elif change.before is not change.after:
            self.composite()

    def _follow_selection(self) -> None:
        if self.comparing.mask_look is not None:
            self.composite()  # another layer's mask is to be seen
        elif self.compositing is not None:
            self._glance.start()  # what is edited next is made ready for

    def _note_rest(self, serial: int) -> None:
        if self.sender() is self.compositing:
            self._rested = serial
            self.rested.emit()

    def _chunks_done(self, key: MapKey, chunks: set[Chunk], level: int) -> None:
        if self.sender() is not self.compositing:
            return  # a late answer for a studio that is gone
        if self.packing is not None:
            self.packing.want(key, chunks, level)
        self.changed.emit()

    def _reshown(self, keys: list[SheetKey]) -> None:
        if self.sender() is self.compositing and self.packing is not None:
            self.packing.want_all(keys)
            self.changed.emit()
