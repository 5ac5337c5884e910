"""A subject cut out of a picture: found roughly, then how much of each pixel along its outline it covers.

Roughly by graph cuts over colour mixtures (C. Rother, V. Kolmogorov and A. Blake, "GrabCut", 2004, as OpenCV has it)
in a small copy, or by one colour that is no part of it. Along the outline a pixel is taken as a mixture of colours of
subject and background nearby: its place between the two is its alpha (A. R. Smith and J. F. Blinn, "Blue Screen
Matting", 1996), and what the background gave to it is taken out.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from lucky_fern.core.arrays import F32, F64, U8, U16, Array, Bool
from lucky_fern.core.colour import from_hex
from lucky_fern.core.compiled import kernel
from lucky_fern.core.errors import PictureError
from lucky_fern.core.parallel import for_each
from lucky_fern.core.preparing.bands import bands
from lucky_fern.core.preparing.state import OpRow, State
from lucky_fern.core.project.preparations import CutOut, Point
from lucky_fern.words import tr

_ROUGH = 220  # pixels a side of the copy that is cut by graph cuts
_FINE = 1400  # … and of that in which the outline's neighbourhood is found
_ROUNDS = 2  # more change nothing on all scenes that were tried
_LEAST = 12  # steps of 255 from the background that count as something else
_ROUGH_GROUND = 24.0  # steps of 255: a background that varies more says nothing of what lies within the subject
_ALIKE = 0.3  # cosine of the angle between two ways in colour space
_COMMON = 4.0  # times as common outside as inside
_USUAL = 0.002  # share of the pixels round the box
_SMOOTH = 3  # pixels of the fine copy over which colours along the outline are averaged
_CELL = 8  # pixels of the fine copy over which the background is averaged
_BAND = 2  # pixels of the fine copy on each side of the outline that may be mixed


class CuttingOut(OpRow):
    def apply(self, state: State, op: CutOut) -> State:
        frame = _frame(state.size, op)
        part = state.rgba[frame.rows, frame.columns]
        fine, by = smaller(part, _FINE)
        points = [_dots(points, frame, by, op.radius, fine.shape[:2]) for points in (op.keep, op.drop)]
        if op.colour is not None:
            inside, sure = _by_colour(fine, op, points)
        else:
            inside, sure = _by_box(fine, frame, by, points)
        if not inside.any():
            raise PictureError(_nothing(op))
        front, back = _fields(fine, inside & sure, ~inside & sure, op)
        cut = _covered(part, inside, sure, front, back)
        out = state.rgba.copy()
        out[..., 3] = 0
        out[frame.rows, frame.columns] = cut
        return replace(state, rgba=out)


def _nothing(op: CutOut) -> str:
    if op.colour is not None:
        return tr("nothing is left of it without {colour}; make the tolerance smaller", colour=op.colour)
    return tr("nothing was found to cut out there; draw the box closer round it, or mark some of it to be kept")


@dataclass(frozen=True)
class _Frame:
    """What is looked at: all of the picture, or the box with some of the background round it."""

    left: int
    upper: int
    right: int
    lower: int
    box: tuple[int, int, int, int]  # in the picture
    whole: bool  # the box is the picture, all but

    @property
    def rows(self) -> slice:
        return slice(self.upper, self.lower)

    @property
    def columns(self) -> slice:
        return slice(self.left, self.right)


def _frame(size: tuple[int, int], op: CutOut) -> _Frame:
    wide, high = size
    if op.colour is not None and op.box is None:
        return _Frame(0, 0, wide, high, (0, 0, wide, high), True)
    if op.box is None:
        aside = max(1, round(0.02 * min(wide, high)))
        box = (aside, aside, wide - aside, high - aside)
    else:
        left, upper, right, lower = (round(one) for one in op.box)
        box = (max(0, left), max(0, upper), min(wide, right), min(high, lower))
    left, upper, right, lower = box
    if right - left < 2 or lower - upper < 2:
        raise PictureError(
            tr("the box {box} holds nothing of a picture of {wide} × {high} pixels", box=list(op.box or box),
               wide=wide, high=high)
        )  # fmt: skip
    more = max(4, round(0.12 * max(right - left, lower - upper)))
    return _Frame(max(0, left - more), max(0, upper - more), min(wide, right + more), min(high, lower + more), box,
                  op.box is None)  # fmt: skip


def smaller(rgba: U8 | U16, longest: int) -> tuple[U8, float]:
    """Encoded colours (r, c, 3) uint8, no longer than that, and by what they were multiplied."""
    by = min(1.0, longest / max(rgba.shape[:2]))
    rgb: Array = np.ascontiguousarray(rgba[..., :3])
    if by < 1:
        size = max(2, round(rgba.shape[1] * by)), max(2, round(rgba.shape[0] * by))
        rgb = np.asarray(cv2.resize(rgb, size, interpolation=cv2.INTER_AREA))
    return (rgb if rgb.dtype == np.uint8 else np.asarray(rgb // 257, np.uint8)), by


def _dots(points: tuple[Point, ...], frame: _Frame, by: float, radius: float, shape: tuple[int, ...]) -> Bool:
    """Where a stroke's points lie in the smaller copy."""
    found = np.zeros(shape, np.uint8)
    for x, y in points:
        at = round((x - frame.left) * by - 0.5), round((y - frame.upper) * by - 0.5)
        cv2.circle(found, at, max(0, round(radius * by)), 1, -1)
    return found > 0


def _by_colour(fine: U8, op: CutOut, points: list[Bool]) -> tuple[Bool, Bool]:
    """Which pixels are not of a colour, and of which of them that is sure."""
    colour = np.array(from_hex(op.colour or "#000000"), np.float32) * 255
    away = _most_apart(fine, np.broadcast_to(colour, fine.shape))
    inside = (away > op.tolerance * 255 + 0.5) | points[0]
    inside &= ~points[1]
    return inside, _sure(inside, np.zeros_like(inside)) | points[0] | points[1]


def _by_box(fine: U8, frame: _Frame, by: float, points: list[Bool]) -> tuple[Bool, Bool]:
    """Which pixels are the subject's, and of which that is sure."""
    boxed = np.zeros(fine.shape[:2], np.bool_)
    left, upper = round((frame.box[0] - frame.left) * by), round((frame.box[1] - frame.upper) * by)
    right, lower = round((frame.box[2] - frame.left) * by), round((frame.box[3] - frame.upper) * by)
    boxed[upper:lower, left:right] = True
    rough = _rough(fine, boxed, points)
    inside = np.asarray(cv2.resize(rough.astype(np.uint8) * 255, fine.shape[1::-1], interpolation=cv2.INTER_LINEAR))
    inside = (inside > 127) & boxed
    inside &= ~_of_background(fine, inside) | points[0]
    # What is thinner than the rough copy shows: what differs from the background more than that does from itself, and
    # touches the subject.
    away, noise, smooth = _from_background(fine, inside | points[0], boxed)
    unlike = (away > max(_LEAST, 1.1 * noise)) & boxed & ~points[1]
    # A darker joint between planks is unlike, but no subject.
    unlike[unlike & ~inside] = _towards(fine, inside | points[0], smooth, unlike & ~inside)
    inside = (_touching(unlike, inside) | inside | points[0]) & ~points[1] & boxed
    # What is like the background within it, and by its outline: holes that colour mixtures alone do not tell.
    typical = float(np.percentile(away[inside], 75)) if inside.any() else 0.0
    like = (away < max(_LEAST / 2, noise, min(3 * noise, 0.35 * typical))) & inside
    if noise < _ROUGH_GROUND:
        holes = cv2.morphologyEx(like.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
        like = np.asarray(holes > 0) | (like & _edge(inside, 3))
    else:
        like &= _edge(inside, 3)
    inside &= ~like | points[0]
    return inside, _sure(inside, unlike & ~inside) | points[0] | points[1]


def _of_background(fine: U8, inside: Bool) -> Bool:
    """What lies along the outline, inside, and has colours that are common outside and rare further in."""
    width = max(3, 3 * max(inside.shape) // _ROUGH)
    zone = _edge(inside, width)
    around = cv2.dilate(inside.astype(np.uint8), np.ones((5, 5), np.uint8))
    core, outside = inside & ~zone, np.asarray(around == 0)
    if core.sum() < 0.3 * inside.sum() or not outside.any():  # thin all over: nothing to compare with
        return np.zeros_like(inside)
    codes = _codes(fine)
    foreign = _shares(codes[outside][::3]) > _COMMON * _shares(codes[core][::3]) + 1e-5
    found = (zone & foreign[codes]).astype(np.uint8)
    return np.asarray(cv2.morphologyEx(found, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0)


def _codes(rgb: U8) -> U16:
    """(r, c) which of 4096 coarse colours each pixel has."""
    high = (rgb >> 4).astype(np.uint16)
    return np.asarray((high[..., 0] << 8) | (high[..., 1] << 4) | high[..., 2])


def _shares(codes: U16) -> F32:
    """(4096,) how common each coarse colour is; neighbouring ones count too."""
    counts = np.bincount(codes, minlength=4096).reshape(16, 16, 16).astype(np.float32)
    for axis in range(3):
        counts = counts * 2 + np.roll(counts, 1, axis) + np.roll(counts, -1, axis)
    return np.asarray(counts.ravel() / max(float(counts.sum()), 1.0))


def _rough(fine: U8, boxed: Bool, points: list[Bool]) -> Bool:
    """Graph cuts in a small copy."""
    by = min(1.0, _ROUGH / max(fine.shape[:2]))
    size = max(2, round(fine.shape[1] * by)), max(2, round(fine.shape[0] * by))
    small = np.ascontiguousarray(cv2.resize(fine, size, interpolation=cv2.INTER_AREA)[..., ::-1])

    def shrunk(where: Bool, least: float) -> Bool:
        shares = cv2.resize(where.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        return np.asarray(shares > least)

    within = shrunk(boxed, 0.5)
    mask = np.where(within, cv2.GC_PR_FGD, cv2.GC_BGD).astype(np.uint8)
    mask[shrunk(points[0], 0.1)] = cv2.GC_FGD
    mask[shrunk(points[1], 0.1)] = cv2.GC_BGD
    if not ((mask & 1) == 0).any():  # nothing is background for sure: the outermost pixels are taken for it
        mask[0], mask[-1], mask[:, 0], mask[:, -1] = (cv2.GC_BGD,) * 4
    if not ((mask & 1) == 1).any():
        return np.zeros(fine.shape[:2], np.bool_)
    found = _cut(small, mask)
    if found.any() or within.all():
        return found
    # A subject that is small in its box drowns in what may be of it: colours of what lies round the box are taken for
    # background at first.
    codes = _codes(small)
    mask[(mask == cv2.GC_PR_FGD) & (_shares(codes[~within]) > _USUAL)[codes]] = cv2.GC_PR_BGD
    return _cut(small, mask) if ((mask & 1) == 1).any() else found


def _cut(small: Array, mask: Array) -> Bool:
    """Subject or not by graph cuts; the mask is left as it is."""
    cv2.setRNGSeed(7)  # its first guess is drawn at random: the same picture is cut alike every time
    found = mask.copy()
    cv2.grabCut(small, found, None, np.zeros((1, 65)), np.zeros((1, 65)), _ROUNDS, cv2.GC_INIT_WITH_MASK)
    return np.asarray((found & 1) == 1)


def _from_background(fine: U8, inside: Bool, boxed: Bool) -> tuple[F32, float, Array]:
    """How far each pixel is from the background as it goes on there (steps of 255), how noisy that is, and it."""
    outside = ~np.asarray(cv2.dilate(inside.astype(np.uint8), np.ones((5, 5), np.uint8)), np.bool_)
    if not outside.any():
        return np.zeros(fine.shape[:2], np.float32), 255.0, fine
    smooth = cv2.resize(_averaged(fine, outside, _CELL), fine.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    away = _most_apart(fine, np.asarray(smooth))
    sample = away[outside & boxed] if (outside & boxed).any() else away[outside]
    return np.asarray(away, np.float32), float(np.percentile(sample, 99)), np.asarray(smooth)


def _towards(fine: U8, inside: Bool, back: Array, where: Bool) -> Bool:
    """Which of some pixels lie from the background's colour towards the subject's nearby: mixtures of both."""
    rows, columns = np.nonzero(where)
    if not inside.any() or not len(rows):
        return np.zeros(len(rows), np.bool_)
    front = _averaged(fine, inside, _CELL)
    cells = rows * front.shape[0] // where.shape[0], columns * front.shape[1] // where.shape[1]
    behind = back[rows, columns].astype(np.float32)
    way, off = front[cells] - behind, fine[rows, columns] - behind
    lengths = (way * way).sum(axis=1) * (off * off).sum(axis=1)
    return np.asarray((way * off).sum(axis=1) > np.float32(_ALIKE) * np.sqrt(lengths))


def _most_apart(fine: U8, colours: Array) -> F32:
    """By how much (r, c) pixels differ from other colours in the channel that differs most, in steps of 255."""
    planes = [cv2.absdiff(fine[..., k].astype(np.float32), colours[..., k].astype(np.float32)) for k in range(3)]
    return np.asarray(cv2.max(cv2.max(planes[0], planes[1]), planes[2]), np.float32)


def _averaged(fine: U8, known: Bool, cell: int) -> F32:
    """Known colours as means of cells of some pixels, which have less noise, carried on smoothly: smaller."""
    rows, columns = known.shape
    size = max(2, columns // cell), max(2, rows // cell)
    weight = cv2.resize(known.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    there = cv2.copyTo(fine, known.view(np.uint8)).astype(np.float32)
    total = cv2.resize(there, size, interpolation=cv2.INTER_AREA)
    mean = total / np.maximum(weight, 1e-6)[..., None]
    return _spread_out(np.asarray(mean, np.float32), np.asarray(weight > min(0.2, float(weight.max()) / 2)))


def _touching(where: Bool, start: Bool) -> Bool:
    """The pieces of ``where`` that touch ``start``, or lie within two pixels of it or of each other."""
    grown = cv2.dilate((where | start).astype(np.uint8), np.ones((3, 3), np.uint8))  # over gaps of two pixels
    _, labels = cv2.connectedComponents(grown, connectivity=8)
    wanted = np.zeros(int(labels.max()) + 1, np.bool_)
    wanted[labels[start]] = True
    wanted[0] = False
    return np.asarray(wanted[labels] & where)


def _edge(inside: Bool, width: int) -> Bool:
    """What lies within so many pixels of the outline, inside."""
    kernel_ = np.ones((2 * width + 1, 2 * width + 1), np.uint8)
    return np.asarray(inside & ~np.asarray(cv2.erode(inside.astype(np.uint8), kernel_), np.bool_))


def _sure(inside: Bool, doubtful: Bool) -> Bool:
    """What is not near the outline, and not doubtful."""
    around = np.ones((2 * _BAND + 1, 2 * _BAND + 1), np.uint8)
    cells = inside.astype(np.uint8)
    border = cv2.BORDER_REPLICATE
    mixed = np.asarray(cv2.dilate(cells, around, borderType=border) != cv2.erode(cells, around, borderType=border))
    return np.asarray(~mixed & ~doubtful)


def _fields(fine: U8, front: Bool, back: Bool, op: CutOut) -> tuple[F32, F32]:
    """Colours of subject and background (r, c, 3) float32 as they go on over all of it, smaller."""
    rows, columns = fine.shape[:2]
    whole = np.ones((rows, columns), np.bool_)
    before = _averaged(fine, front if front.any() else whole, _SMOOTH)
    if op.colour is not None:
        behind = np.empty_like(before)
        behind[:] = np.array(from_hex(op.colour), np.float32) * 255
    else:
        behind = _averaged(fine, back, _SMOOTH) if back.any() else np.zeros_like(before)
    return before, behind


def _spread_out(values: F32, known: Bool) -> F32:
    """Known colours carried on smoothly into what is not known, from near ones more than from far ones.

    Pull and push over halved copies (S. J. Gortler et al., "The Lumigraph", 1996, section 3.4).
    """
    weight = known.astype(np.float32)
    levels = [(values.astype(np.float32) * weight[..., None], weight)]
    while min(levels[-1][1].shape) > 1:
        colours, shares = levels[-1]
        size = ((shares.shape[1] + 1) // 2, (shares.shape[0] + 1) // 2)
        levels.append((np.asarray(cv2.resize(colours, size, interpolation=cv2.INTER_AREA), np.float32),
                       np.asarray(cv2.resize(shares, size, interpolation=cv2.INTER_AREA), np.float32)))  # fmt: skip
    colours, shares = levels[-1]
    far = np.asarray(colours.reshape(-1, 3).sum(0) / max(float(shares.sum()), 1e-9), np.float32)
    found = np.broadcast_to(far, (*shares.shape, 3))
    for colours, shares in reversed(levels[:-1]):
        larger = cv2.resize(np.ascontiguousarray(found), shares.shape[1::-1], interpolation=cv2.INTER_LINEAR)
        full = np.clip(shares * 4, 0, 1)[..., None]  # a quarter known is enough to go by
        own = colours / np.maximum(shares, 1e-6)[..., None]
        found = np.asarray(own * full + larger.reshape(*shares.shape, 3) * (1 - full), np.float32)
    return np.asarray(found, np.float32)


def _covered(part: U8 | U16, inside: Bool, sure: Bool, front: F32, back: F32) -> U8 | U16:
    """The cut-out at full size: alpha, and colours without the background's."""
    out = np.empty_like(part)
    rows, columns = part.shape[:2]
    by = inside.shape[1] / columns, inside.shape[0] / rows
    share = front.shape[1] / columns, front.shape[0] / rows
    state = np.where(sure, np.where(inside, 2, 0), np.where(inside, 1, 3)).astype(np.uint8)

    def one(band: tuple[int, int]) -> None:
        top, bottom = band
        out[top:bottom] = part[top:bottom]
        scale = np.iinfo(part.dtype).max / 255
        _mix(part[top:bottom], state, front, back, top, by, share, scale, out[top:bottom])

    for_each(one, bands(rows))
    return out


@kernel
def _field(field: F32, y: float, x: float, out: F64) -> None:
    y = min(max(y, 0.0), field.shape[0] - 1.0)
    x = min(max(x, 0.0), field.shape[1] - 1.0)
    r, c = min(int(y), max(field.shape[0] - 2, 0)), min(int(x), max(field.shape[1] - 2, 0))
    fy, fx = y - r, x - c
    r1, c1 = min(r + 1, field.shape[0] - 1), min(c + 1, field.shape[1] - 1)
    for k in range(3):
        above = field[r, c, k] * (1 - fx) + field[r, c1, k] * fx
        below = field[r1, c, k] * (1 - fx) + field[r1, c1, k] * fx
        out[k] = above * (1 - fy) + below * fy


@kernel
def _mix(
    pixels: Array, state: U8, front: F32, back: F32, top: int, by: tuple[float, float], share: tuple[float, float],
    scale: float, out: Array,
) -> None:  # fmt: skip
    """Alpha by where a colour lies between background and subject; ``state`` 0 background, 2 subject, else mixed."""
    colour, behind = np.empty(3, np.float64), np.empty(3, np.float64)
    for r in range(pixels.shape[0]):
        y, i = (top + r + 0.5) * share[1] - 0.5, min(int((top + r + 0.5) * by[1]), state.shape[0] - 1)
        for c in range(pixels.shape[1]):
            x, j = (c + 0.5) * share[0] - 0.5, min(int((c + 0.5) * by[0]), state.shape[1] - 1)
            where = state[i, j]
            if where == 2:
                continue
            length, along = 0.0, 0.0
            _field(front, y, x, colour)
            if where == 0:
                for k in range(3):
                    out[r, c, k] = min(max(colour[k], 0.0), 255.0) * scale + 0.5
                out[r, c, 3] = 0
                continue
            _field(back, y, x, behind)
            for k in range(3):
                way = colour[k] - behind[k]
                length += way * way
                along += way * (pixels[r, c, k] / scale - behind[k])
            if length < 24.0 * 24.0:  # subject and background look alike here: the rough cut must do
                alpha = 1.0 if where == 1 else 0.0
            else:
                alpha = min(max((along / length - 0.04) / 0.92, 0.0), 1.0)
            out[r, c, 3] = pixels[r, c, 3] * alpha + 0.5
            if alpha >= 1.0:
                continue
            trust = min(max((alpha - 0.3) / 0.5, 0.0), 1.0)  # what is mostly background says little of the subject
            for k in range(3):
                own = (pixels[r, c, k] / scale - (1 - alpha) * behind[k]) / max(alpha, 1e-3)
                value = trust * min(max(own, 0.0), 255.0) + (1 - trust) * colour[k]
                out[r, c, k] = min(max(value, 0.0), 255.0) * scale + 0.5
