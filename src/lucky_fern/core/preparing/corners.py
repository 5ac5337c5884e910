"""The corners of a sign in a photograph, proposed: the largest outline with four straight sides."""

from __future__ import annotations

import cv2
import numpy as np

from lucky_fern.core.arrays import F64, U8, U16, Array
from lucky_fern.core.preparing.cutting import smaller
from lucky_fern.core.project.preparations import Point


def proposed_corners(rgba: U8 | U16) -> tuple[Point, Point, Point, Point] | None:
    """The corners (upper left, then clockwise) of what looks most like a straight-sided sign; None if none."""
    fine, by = smaller(rgba, 900)
    grey = np.asarray(cv2.cvtColor(fine, cv2.COLOR_RGB2GRAY))
    if (rgba[..., 3] == 0).any():
        alpha = cv2.resize(rgba[..., 3], fine.shape[1::-1], interpolation=cv2.INTER_AREA)
        grey = np.asarray(np.where(alpha > np.iinfo(rgba.dtype).max // 2, 255, 0), np.uint8)
    soft = np.asarray(cv2.GaussianBlur(grey, (5, 5), 0))
    level = float(np.median(soft))
    best, outlined, most = None, None, 0.0  # what is smaller than a few percent is a detail
    whole = grey.shape[0] * grey.shape[1]
    planes = [cv2.dilate(cv2.Canny(soft, low * level + 5, high * level + 10), np.ones((3, 3), np.uint8))
              for low, high in ((0.3, 0.8), (0.66, 1.33))]  # fmt: skip
    threshold = cv2.threshold(soft, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[1]
    planes += [threshold, 255 - threshold]
    for plane in planes:
        for outline in cv2.findContours(plane, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)[0]:
            hull = cv2.convexHull(outline)
            area = cv2.contourArea(hull)
            if area < 0.03 * whole or area <= most or area > 0.97 * whole:
                continue
            four = _four(hull)
            if four is None or cv2.contourArea(four) < 0.9 * area:
                continue
            # A side that is the picture's own is no edge of a sign.
            score = area * 0.1 ** _on_border(four, grey.shape)
            if score > most:
                best, outlined, most = four, outline, score
    if best is None or outlined is None:
        return None
    return _ordered((_met(best.reshape(4, 2), outlined.reshape(-1, 2), soft) + 0.5) / by)


def _met(four: Array, outline: Array, grey: U8) -> F64:
    """Corners where straight sides meet, each laid along the outline and then along the change of brightness there.

    A sign's own corners are often round.
    """
    lines = []
    for at in range(4):
        begin, end = four[at].astype(np.float64), four[(at + 1) % 4].astype(np.float64)
        length = float(np.linalg.norm(end - begin))
        if length < 16:
            return four.astype(np.float64)
        along, across = _frame_of(begin, end)
        place, off = (outline - begin) @ along, (outline - begin) @ across
        of_side = (place > 0.12 * length) & (place < 0.88 * length) & (np.abs(off) < 0.06 * length)
        line = _line_through(outline[of_side], begin, end)
        lines.append(_line_through(_brightest_change(line, (begin, end), grey), *line))
    corners = []
    for at in range(4):
        (a, b), (c, d) = lines[at - 1], lines[at]
        way = np.array([b - a, c - d]).T
        if abs(float(np.linalg.det(way))) < 1e-6:
            return four.astype(np.float64)
        corners.append(a + (b - a) * np.linalg.solve(way, c - a)[0])
    return np.array(corners)


def _frame_of(begin: F64, end: F64) -> tuple[F64, F64]:
    """Unit vectors along a side and across it."""
    along = (end - begin) / max(float(np.linalg.norm(end - begin)), 1e-9)
    return along, np.array([-along[1], along[0]])


def _line_through(points: Array, begin: F64, end: F64) -> tuple[F64, F64]:
    """Two points of the line that fits points, whatever single ones stray; as it was if there are few."""
    if len(points) < 8:
        return begin, end
    vx, vy, x, y = cv2.fitLine(points.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel().astype(np.float64)
    way, at = np.array([vx, vy]), np.array([x, y])
    return at + way * ((begin - at) @ way), at + way * ((end - at) @ way)


def _brightest_change(line: tuple[F64, F64], ends: tuple[F64, F64], grey: U8) -> F64:
    """(n, 2) where brightness changes most, a few pixels across a line."""
    along, across = _frame_of(*line)
    length = float(np.linalg.norm(ends[1] - ends[0]))
    places, offs = np.linspace(0.12, 0.88, 96) * length, np.arange(-4, 4.01, 0.25)
    at = line[0] + places[:, None, None] * along + offs[None, :, None] * across
    seen = cv2.remap(grey.astype(np.float32), at[..., 0].astype(np.float32), at[..., 1].astype(np.float32),
                     cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)  # fmt: skip
    change = np.abs(np.gradient(seen, axis=1))
    most = change.argmax(axis=1)
    clear = change.max(axis=1) > 0.5 * np.median(change.max(axis=1))
    return np.asarray(at[np.arange(len(at)), most][clear])


def _on_border(four: Array, shape: tuple[int, ...]) -> int:
    """How many sides of four lie along the picture's border."""
    near = 0.015 * max(shape) + 2
    found = 0
    for at in range(4):
        ends = np.array([four.reshape(4, 2)[at], four.reshape(4, 2)[(at + 1) % 4]])
        for axis, length in ((0, shape[1]), (1, shape[0])):
            found += bool((ends[:, axis] < near).all() or (ends[:, axis] > length - near).all())
    return found


def _four(hull: Array) -> Array | None:
    """A convex outline as four corners, if it all but has as many."""
    around = cv2.arcLength(hull, True)
    for share in (0.01, 0.02, 0.03, 0.05, 0.08):
        found = cv2.approxPolyDP(hull, share * around, True)
        if len(found) == 4:
            return np.asarray(found)
        if len(found) < 4:
            return None
    return None


def _ordered(points: Array) -> tuple[Point, Point, Point, Point]:
    """Clockwise as seen, from the one that is nearest to the upper left."""
    middle = points.mean(axis=0)
    angles = np.arctan2(points[:, 1] - middle[1], points[:, 0] - middle[0])
    points = points[np.argsort(angles)]
    first = int(np.argmin(points.sum(axis=1)))
    a, b, c, d = (tuple(float(n) for n in point) for point in np.roll(points, -first, axis=0))
    return (a[0], a[1]), (b[0], b[1]), (c[0], c[1]), (d[0], d[1])
