"""All ops of a preparation in their order; results so far are kept, so that the last op can be moved quickly."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from typing import Any, cast

import cv2
import numpy as np

from lucky_fern.core.arrays import U8, U16, Array
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.kinds import OPS, Op
from lucky_fern.core.project.preparations import PictureStep, op_name, scaled
from lucky_fern.words import tr

_KEPT = 4  # results of the last ops


def op_row(op: Op) -> OpRow:
    """What does an op."""
    return cast(OpRow, OPS.of(op))


def prepared(
    picture: Picture, steps: tuple[PictureStep, ...], told: Callable[[float], None] = lambda _: None
) -> State:
    """What the ops make of a picture.

    ``told`` is told the share that is done; what it raises ends the work.

    Raises
    ------
    PictureError
        If an op makes no sense for the picture; it says which.
    """
    state = State(picture.rgba, picture.taken)
    wanted = [(number, step.op) for number, step in in_turn(steps) if step.on]
    for done, (number, op) in enumerate(wanted):
        told(done / len(wanted))
        state = _applied(state, op, number)
    told(1.0)
    return state


def in_turn(steps: tuple[PictureStep, ...]) -> list[tuple[int, PictureStep]]:
    """Ops with their numbers, in the order in which they are done: those last that go by what all others make."""
    return sorted(enumerate(steps, 1), key=lambda one: one[1].op.goes_last)


def _applied(state: State, op: Op, number: int) -> State:
    try:
        return op_row(op).apply(state, op)
    except PictureError as error:
        name = op_name(op)
        raise PictureError(tr("op {number} ({name}): {error}", number=number, name=name, error=error)) from error
    except (cv2.error, MemoryError) as error:
        raise PictureError(
            tr("op {number} ({name}) cannot be done on a picture of {wide} × {high} pixels; make it smaller before",
               number=number, name=op_name(op), wide=state.size[0], high=state.size[1])
        ) from error  # fmt: skip


class Preview:
    """A picture at reduced size with the ops of a list done to it; those that stayed the same are not done again.

    Can be used from any thread, by one at a time.
    """

    def __init__(self, picture: Picture, longest: int) -> None:
        """``longest`` is the longer side of what is shown, in pixels."""
        self._longest = longest
        self._by = min(1.0, longest / max(picture.rgba.shape[:2]))
        self._first = replace(picture, rgba=_reduced(picture.rgba, self._by))
        self._kept: OrderedDict[tuple[float, tuple[PictureStep, ...]], State] = OrderedDict()
        self._lock = threading.Lock()

    def forget(self) -> None:
        """Do all ops anew the next time."""
        with self._lock:
            self._kept.clear()

    @property
    def original(self) -> Array:
        """(rows, columns, 4) the picture as it came, reduced."""
        return self._first.rgba

    def by(self, steps: tuple[PictureStep, ...]) -> float:
        """How many pixels of what is shown a pixel of the picture is; ops that draw one anew say how large."""
        drawn = [max(size) for step in steps if step.on and (size := step.op.drawn_size) is not None]
        return min(1.0, self._longest / max(drawn)) if drawn else self._by

    def shown(self, steps: tuple[PictureStep, ...]) -> State:
        """What the ops make of it.

        Raises
        ------
        PictureError
            As :func:`prepared` does.
        """
        with self._lock:
            state, done, by = State(self._first.rgba, self._first.taken), 0, self.by(steps)
            numbers = [number for number, _ in in_turn(steps)]
            steps = tuple(step for _, step in in_turn(steps))
            for count in range(len(steps), 0, -1):
                if (by, steps[:count]) in self._kept:
                    state, done = self._kept[by, steps[:count]], count
                    break
            small = scaled(steps, by)
            for count in range(done, len(steps)):
                if steps[count].on:
                    state = _applied(state, small[count].op, numbers[count])
                self._kept[by, steps[: count + 1]] = state
                self._kept.move_to_end((by, steps[: count + 1]))
            while len(self._kept) > max(_KEPT, len(steps) + 1):
                self._kept.popitem(last=False)
            return state


def _reduced(rgba: U8 | U16, by: float) -> U8 | U16:
    """A smaller copy to look at: encoded values averaged, which is quick."""
    if by >= 1:
        return rgba
    size = max(1, round(rgba.shape[1] * by)), max(1, round(rgba.shape[0] * by))
    found: Any = cv2.resize(rgba, size, interpolation=cv2.INTER_AREA)
    return cast("U8 | U16", np.asarray(found))


def as_picture(state: State, name: str) -> Picture:
    """What was made, as a picture."""
    alpha = bool((state.rgba[..., 3] < state.top).any())
    return Picture(name, state.rgba, alpha, state.notes, state.taken)


def encoded(pixels: Array) -> bytes:
    """A PNG of (rows, columns[, 1, 3 or 4]) uint8 or uint16; compressed as far as is quick.

    Raises
    ------
    PictureError
        If it cannot be written.
    """
    if pixels.ndim == 3 and pixels.shape[2] >= 3:  # blue first
        pixels = pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    try:
        done, data = cv2.imencode(".png", np.ascontiguousarray(pixels), [cv2.IMWRITE_PNG_COMPRESSION, 2])
    except cv2.error as error:
        raise PictureError(tr("the prepared picture is too large to be kept; make it smaller")) from error
    if not done:
        raise PictureError(tr("the prepared picture is too large to be kept; make it smaller"))
    return bytes(data)


def taken_of(what: str, taken: Taken) -> Taken:
    """How what was made is taken."""
    return taken if what == "picture" else "data"
