"""Colours along the border of alpha: rims of another colour found and mended, colour grown outwards."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, I32, U8, U16, Array, Bool
from lucky_fern.core.colour import from_hex, to_hex
from lucky_fern.core.compiled import kernel
from lucky_fern.core.errors import PictureError
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import MendRim, Spread
from lucky_fern.core.sheets.padding import nearest_covered
from lucky_fern.words import tr

# Pixels from the border that a rim is looked for inwards: near first, as what lies further in differs by itself. What
# goes deeper than the last may be an outline, and is a rim only where its colour is asked for.
_DEEPEST = (4, 8)
_ASKED = (*_DEEPEST, 14, 26)
_SEEN = 0.08  # of the encoded range: what differs less is no rim
_MOST = 0.4  # of the border that has a rim, for one to be told
_FEWEST = 8  # pixels of the border that say anything
_SAMPLES = 40_000  # pixels of the border that are looked at


@dataclass(frozen=True)
class Rim:
    """A rim: its ``colour`` (#rrggbb), the share of the border that has it, how many pixels deep it goes.

    A depth of 0 says that it does not end where rims do: it is the picture's own colour.
    """

    colour: str
    share: float
    depth: int


class Spreading(OpRow):
    def apply(self, state: State, op: Spread) -> State:
        return replace(state, rgba=spread(state.rgba))


class Mending(OpRow):
    def apply(self, state: State, op: MendRim) -> State:
        if op.colour == "auto":
            rim = find_rim(state.rgba)
            if rim is None:
                return replace(state, notes=(*state.notes, tr("no rim was found along its alpha")))
        else:
            rim = _asked_for(state.rgba, op.colour)
        if rim.depth == 0:
            return replace(state, notes=(*state.notes, tr("what looks like a rim is too deep for one; it was left")))
        return replace(state, rgba=mended(state.rgba, rim))


def nearest(known: Bool) -> I32:
    """(rows, columns) int32: the flat number of a pixel near each that is among the ``known`` (the nearest, but for
    distances that are all but alike).

    Raises
    ------
    PictureError
        If none is known.
    """
    if not known.any():
        raise PictureError(tr("there is no solid pixel in it to take colours from"))
    _, labels, numbers = nearest_covered(known)
    return np.asarray(numbers[labels], np.int32)


def spread(rgba: U8 | U16) -> U8 | U16:
    """Clear pixels get the colour of the nearest that is not; alpha stays."""
    clear = rgba[..., 3] == 0
    if not clear.any() or clear.all():
        return rgba
    out = rgba.copy()
    _take(out, nearest(~clear), clear)
    return out


def mended(rgba: U8 | U16, rim: Rim) -> U8 | U16:
    """What leans towards the rim's colour near the border of alpha gets the colours further in."""
    top = np.iinfo(rgba.dtype).max
    solid, depth_of = _inwards(rgba, rim.depth + 3)
    near = (depth_of > 0) & (depth_of <= rim.depth + 1)
    inside = solid & (depth_of > rim.depth)
    colour, seen = np.array(from_hex(rim.colour), np.float32) * top, _SEEN * float(top)
    further = solid & (depth_of > rim.depth + 1)
    if further.any():  # what lies between rim and inside may be of both: then it is no source
        inside &= ~_leans(rgba, nearest(further), near & (depth_of == rim.depth + 1), colour, seen)
    if not inside.any():  # all of it is thinner than the rim is deep: the deepest there is must do
        deepest = int(depth_of.max())
        inside = solid & (depth_of >= deepest)
    near &= ~inside
    source = nearest(inside)
    out = rgba.copy()
    _take(out, source, _leans(rgba, source, near, colour, seen))
    clear = rgba[..., 3] == 0
    _take(out, nearest(~clear), clear)
    return out


def find_rim(rgba: U8 | U16) -> Rim | None:
    """A rim of one colour along the alpha's border: white, black, or the commonest there; None if there is none."""
    top = int(np.iinfo(rgba.dtype).max)
    if rgba[..., 3].min() > top // 2 or rgba[..., 3].max() == 0:
        return None
    border = _border(rgba, _DEEPEST[0])
    if border is None or not len(border[0][0]):
        return None
    edge = border[0][0]
    candidates = [np.zeros(3, np.float32), np.ones(3, np.float32)]
    codes = (edge * 15 + 0.5).astype(np.int64) @ np.array([256, 16, 1])
    common = np.bincount(codes, minlength=4096).argmax()
    candidates.append(np.median(edge[codes == common], axis=0).astype(np.float32))
    found = [rim for one in candidates if (rim := _measured(rgba, one, _DEEPEST)) is not None]
    return max(found, key=lambda rim: rim.share) if found else None


def _measured(rgba: U8 | U16, colour: F32, depths: tuple[int, ...]) -> Rim | None:
    """A rim of a colour, if most of the border has it and it ends within one of some depths."""
    for deepest in depths:
        border = _border(rgba, deepest)
        rim = None if border is None else _rim_of(border, colour)
        if rim is not None and rim.depth > 0:
            return rim
    return None


def _asked_for(rgba: U8 | U16, colour: str) -> Rim:
    """The rim of a colour that is said to be there: as deep as it goes, or of depth 0; thin where little is seen."""
    wanted = np.array(from_hex(colour), np.float32)
    rim = _measured(rgba, wanted, _ASKED)
    if rim is not None:
        return rim
    border = _border(rgba, _DEEPEST[0])
    edge = border[0][0] if border is not None else np.zeros((0, 3), np.float32)
    like = float((np.abs(edge - wanted).max(axis=1) < _SEEN).mean()) if len(edge) else 0.0
    return Rim(colour, like, 0 if like > _MOST else 2)


def _inwards(rgba: U8 | U16, most: int) -> tuple[Bool, U8]:
    """Which pixels are solid, and how many pixels from the clear ones each lies, up to ``most`` (0: it is clear)."""
    top = int(np.iinfo(rgba.dtype).max)
    there = np.ascontiguousarray(rgba[..., 3] > 0).astype(np.uint8)
    if there.all():
        return rgba[..., 3] >= top * 0.98, np.full(there.shape, most + 1, np.uint8)
    away = cv2.distanceTransform(there, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    depth = np.minimum(np.rint(away), most + 1).astype(np.uint8)
    return rgba[..., 3] >= top * 0.98, depth


def _border(rgba: U8 | U16, deepest: int) -> list[tuple[F32, F32]] | None:
    """For each depth from the border inwards, (n, 3) encoded colours there and those further in; None if nothing lies
    further in.
    """
    top = np.float32(np.iinfo(rgba.dtype).max)
    solid, depth = _inwards(rgba, deepest + 4)
    inside = solid & (depth > deepest + 1)  # one more is looked at, to see that it ends
    if not inside.any():
        inside = solid & (depth >= int(depth.max()))
        if not inside.any():
            return None
    source, flat, found = nearest(inside).ravel(), rgba.reshape(-1, 4), []
    for level in range(1, deepest + 2):
        at = np.flatnonzero((depth == level) & (rgba[..., 3] > 0.05 * top))
        at = at[:: max(1, len(at) // _SAMPLES)] if len(at) >= _FEWEST else at[:0]
        found.append((np.asarray(flat[at, :3] / top, np.float32), np.asarray(flat[source[at], :3] / top, np.float32)))
    return found


def _rim_of(border: list[tuple[F32, F32]], colour: F32) -> Rim | None:
    """How much of the border leans from what is further in towards a colour, and how deep."""
    shares = [float(_leaning(own, further, colour).mean()) if len(own) else 0.0 for own, further in border]
    if max(shares[:2]) < _MOST:
        return None
    deep = next((level for level, share in enumerate(shares) if level and share < 0.15), 0)
    return Rim(to_hex((float(colour[0]), float(colour[1]), float(colour[2]))), max(shares[:2]), deep)


def _leaning(own: Array, further: Array, colour: F32) -> Bool:
    """Which colours lie well on the way from those further in to another."""
    way = colour - further
    length = np.maximum((way**2).sum(axis=1), 1e-6)
    share = ((own - further) * way).sum(axis=1) / length
    aside = np.abs(own - further - share[:, None] * way).max(axis=1)
    gone = np.abs(own - further).max(axis=1)
    return np.asarray((share > 0.15) & (gone > _SEEN) & (aside < 0.35 * gone + 0.02))


@kernel
def _take(rgba: Array, source: I32, where: Bool) -> None:
    columns = rgba.shape[1]
    for r in range(rgba.shape[0]):
        for c in range(columns):
            if where[r, c]:
                at = source[r, c]
                for k in range(3):
                    rgba[r, c, k] = rgba[at // columns, at % columns, k]


@kernel
def _leans(rgba: Array, source: I32, near: Bool, colour: F32, seen: float) -> Bool:
    """(rows, columns) which near pixels lie on the way from the colour further in towards the rim's."""
    columns = rgba.shape[1]
    found = np.zeros(near.shape, np.bool_)
    for r in range(rgba.shape[0]):
        for c in range(columns):
            if not near[r, c]:
                continue
            at = source[r, c]
            i, j = at // columns, at % columns
            length, along, gone = np.float32(1e-6), np.float32(0), np.float32(0)
            for k in range(3):
                further = np.float32(rgba[i, j, k])
                way = colour[k] - further
                off = np.float32(rgba[r, c, k]) - further
                length += way * way
                along += way * off
                gone = max(gone, abs(off))
            found[r, c] = along / length > 0.04 and (gone > 0.25 * seen)
    return found
