"""A colour to be taken from wherever the next click is: a view's map, or any picture in the window."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, Signal

from lucky_fern.core.compositing.reading import averaged, texel_at
from lucky_fern.core.maps import MAPS
from lucky_fern.core.sheets.picking import SurfaceHit, local_uv, sheet_of
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.words import tr

REACH = 1  # texels, or pixels, on each side that are averaged


class ColourPicking(QObject):
    """``changed``: a colour is asked for, or not any more. If nobody asked, the paint takes all its values."""

    changed = Signal()

    def __init__(self, work: Work, looking: Looking, maps: Maps, painting: Painting) -> None:
        super().__init__()
        self.work, self.looking, self.maps, self.painting = work, looking, maps, painting
        self.active = False
        self._then: Callable[[str], object] | None = None
        work.studio_changed.connect(self.stop)

    def ask(self, then: Callable[[str], object] | None = None) -> None:
        """The next click gives a colour to ``then``; or, without it, every value there to the paint."""
        self.active, self._then = True, then
        said = tr("Click where the colour is to come from: either view, or any picture in the window. Esc: leave it.")
        if then is None:
            said = tr("Click in a view: the paint takes what is there, on every map that it gives to. Esc: leave it.")
        self.work.say(said)
        self.changed.emit()

    def stop(self) -> None:
        if self.active:
            self.active, self._then = False, None
            self.changed.emit()

    def take(self, colour: str) -> None:
        """What was clicked is no view: it has a colour and nothing else."""
        then = self._then
        self.stop()
        if then is not None:
            then(colour)
        else:
            self.painting.values["colour"] = colour
            self.painting.use("colour", True)
        self.work.say(tr("Taken: {colour}.", colour=colour))

    def take_at(self, hit: SurfaceHit) -> None:
        """A place of the surface: from the map that is looked at, or from all that the paint gives to."""
        studio, levels = self.work.studio, self.maps.levels
        key = None if studio is None else sheet_of(studio.surface, hit)
        if studio is None or levels is None or key is None:
            self.work.warn(tr("That place lies on no sheet."))
            return
        size = studio.project.size_of(key)
        row, column = texel_at(*local_uv(hit, key), size)

        def value(name: str) -> str | float:
            found = averaged(levels, key, size, name, row, column, REACH)
            return found if isinstance(found, str) else round(found, 4)

        if self._then is not None:
            shown = self.looking.shown_map or "colour"
            found = value(shown)
            self.take(found if isinstance(found, str) else _grey(found))
            return
        self.stop()
        names = [name for name in self.painting.values if name in self.painting.used] or ["colour"]
        found_all = {name: value(name) for name in names}
        self.painting.values.update(found_all)
        self.painting.set(used=set(found_all))
        told = ", ".join(f"{MAPS[name].title} {one}" for name, one in found_all.items())
        self.work.say(tr("The paint is: {told}.", told=told))


def _grey(value: float) -> str:
    """A number as a grey that holds it."""
    return "#" + f"{round(min(max(value, 0.0), 1.0) * 255):02x}" * 3
