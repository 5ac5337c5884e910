"""The slide in hand: a picture held over the model view, printed or brushed onto the surface."""

from __future__ import annotations

from typing import cast

import numpy as np
from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core import easel
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.placing.pose import scaled
from lucky_fern.core.placing.slide import Held, held_of, held_throw, printed
from lucky_fern.core.placing.warp import regrid
from lucky_fern.core.project.commands import AddLayer, KeepSlide, Several, free_name
from lucky_fern.core.project.document import Channel, Decal, Slide
from lucky_fern.core.project.places import Throw, Warp
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_WIDTH = 0.9  # of half the view's height, at first


class Sliding(QObject):
    """Moves with the view, or is ``pinned`` to the place where it was let go."""

    changed = Signal()

    def __init__(self, work: Work, selection: Selection, looking: Looking) -> None:
        super().__init__()
        self.work, self.selection, self.looking = work, selection, looking
        self.slide: Slide | None = None
        self.pinned = False
        self.brushing = False
        self.hidden = False  # while the brush is down
        self.pulling = False
        self.radius = 0.0  # of the brush, in model units; 0 before it was ever chosen
        self.hardness = 0.6
        self._held = Held((0.0, 0.0), _WIDTH, 0.0)
        self._printed: tuple[int, Throw] | None = None  # the layer that brushing reveals, and its pose
        looking.eye_changed.connect(self.follow)
        work.studio_changed.connect(self.put_away)

    @property
    def up(self) -> bool:
        return self.slide is not None

    @property
    def height(self) -> float:
        """Of the picture, in model units."""
        assert self.slide is not None and self.work.project is not None
        wide, high = self.work.project.picture_size(self.slide.picture)
        return self.slide.place.height or self.slide.place.width * high / wide

    @property
    def brush(self) -> Brush:
        studio = self.work.studio
        if self.radius <= 0 and studio is not None:
            self.radius = studio.model.diagonal * 0.03
        return Brush(max(self.radius, 1e-9), self.hardness, 1.0, 1.0, 0.12)

    # --- holding it up ------------------------------------------------------------------------------------------

    def hold_up(self, picture: str) -> None:
        """Hold a kit picture before the view; another picture takes over the pose of the one in hand."""
        eye = self.looking.eye
        if eye is None:
            return
        if self.slide is not None:
            self._put(replace(self.slide, picture=picture))
            return
        self._held, self.pinned = Held((0.0, 0.0), _WIDTH, 0.0), False
        self._put(Slide(picture, held_throw(eye, self._held)))

    def put_away(self) -> None:
        self.slide, self.brushing, self.hidden, self.pulling, self._printed = None, False, False, False, None
        self.work.end_gesture()
        self.changed.emit()

    def follow(self) -> None:
        """The view looks from elsewhere: a slide that is not pinned goes with it."""
        if self.slide is not None and not self.pinned and self.looking.eye is not None:
            self._put(replace(self.slide, place=held_throw(self.looking.eye, self._held, self.slide.place)))

    def pin(self, on: bool) -> None:
        """Leave it where it is while the view turns, or have it go along again."""
        self.pinned = on
        if not on and self.slide is not None and self.looking.eye is not None:
            self._held = held_of(self.looking.eye, self.slide.place)
            self.follow()
        self.changed.emit()

    def set(self, **changes: object) -> None:
        """Change its settings: ``opacity``."""
        if self.slide is not None:
            self._put(replace(self.slide, **changes))

    def set_place(self, place: Throw) -> None:
        """Change its pose or what a pose says besides."""
        if self.slide is None:
            return
        if self.looking.eye is not None and not self.pinned:
            self._held = held_of(self.looking.eye, place)
            place = held_throw(self.looking.eye, self._held, place)
        self._put(replace(self.slide, place=place))

    def resize(self, factor: float) -> None:
        if self.slide is not None:
            self.set_place(cast(Throw, scaled(self.slide.place, self.height, factor, factor, 1e-9)))

    def pull(self, count: int) -> None:
        """By ``count`` × ``count`` points; 0 makes it straight again."""
        if self.slide is None:
            return
        warp: Warp | None = regrid(self.slide.place.warp, count, count) if count else None
        self.pulling = count > 0
        self._put(replace(self.slide, place=replace(self.slide.place, warp=warp)))

    def set_brushing(self, on: bool) -> None:
        self.brushing = on and self.slide is not None
        self.changed.emit()

    def hide(self, on: bool) -> None:
        """Out of the way while the brush is down."""
        self.hidden = on
        self.changed.emit()

    def _put(self, slide: Slide) -> None:
        self.slide = slide
        self.changed.emit()

    # --- by name ------------------------------------------------------------------------------------------------

    def keep(self, name: str) -> None:
        """Keep the slide in hand in the project, to return to."""
        if self.slide is not None and self.work.execute(KeepSlide(name, self.slide)):
            self.work.said.emit(tr("Kept as ‘{strip}’.", strip=name.strip()), False)

    def take(self, name: str) -> None:
        """A kept slide in hand again, pinned where it was."""
        project = self.work.project
        if project is not None and name in project.slides:
            self.pinned = True
            self._put(project.slides[name])

    def forget(self, name: str) -> None:
        self.work.execute(KeepSlide(name, None))

    # --- onto the surface -------------------------------------------------------------------------------------------

    def print_all(self) -> None:
        """The slide as a decal on all that it reaches."""
        if self.slide is not None and self._add(self.slide) is not None:
            self.work.said.emit(tr("Printed as a decal: it can be moved, masked and changed like any other."), False)

    def print_kept(self) -> None:
        """All kept slides as decals, each fading out where its faces turn away, so that they blend."""
        project, studio = self.work.project, self.work.studio
        if project is None or studio is None or not project.slides:
            self.work.said.emit(tr("No slide is kept yet: keep one for each side first."), True)
            return
        made = []
        for name, slide in project.slides.items():
            place = replace(printed(slide.place, studio.model.diagonal), fade=40.0, angle_limit=80.0)
            made.append(AddLayer(name, Decal(slide.picture, place), {"colour": Channel("picture")}))
        self.work.execute(Several(tuple(made), named="Print slides"))

    def _add(self, slide: Slide) -> int | None:
        studio = self.work.studio
        assert studio is not None
        kit = studio.project.pictures.get(slide.picture)
        title = tr("Slide") if kit is None else kit.name.rpartition(".")[0].replace("-", " ").capitalize() or kit.name
        place = printed(slide.place, studio.model.diagonal)
        name = free_name(studio.project, title)
        if not self.work.execute(AddLayer(name, Decal(slide.picture, place), {"colour": Channel("picture")})):
            return None
        return self.selection.selected

    def layer_to_brush(self) -> int | None:
        """The layer that the brush reveals: the one it did last if the slide is where it was, else a new one."""
        project = self.work.project
        if self.slide is None or project is None:
            return None
        there = {layer.id for layer in project.walk()}
        if self._printed is not None and self._printed[0] in there and self._printed[1] == self.slide.place:
            return self._printed[0]
        made = self._add(self.slide)
        if made is None or self.work.studio is None:
            return None
        self._printed = made, self.slide.place
        # Nothing of it shows before the brush has been there.
        easel.painted_mask(self.work.studio, made)
        self.work.refresh()
        return made

    def look_straight(self) -> None:
        """Ask the view to look from where the slide's lens is."""
        if self.slide is not None:
            self.looking.look_along(self.slide.place)


def look_of(place: Throw) -> tuple[float, float, float]:
    """Yaw and pitch in degrees, and the distance, from which a view sees a throw straight."""
    x, y, z = place.normal
    yaw = float(np.degrees(np.arctan2(x, z)))
    pitch = float(np.degrees(np.arcsin(np.clip(y / max(float(np.linalg.norm(place.normal)), 1e-300), -1, 1))))
    return yaw, pitch, place.lens or 0.0
