"""Pictures made ready: ops on a photograph against the library calls that they rest on, small and large; memory."""

from __future__ import annotations

import statistics
import threading
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from lucky_fern.bench.measure import Row, side_by_side
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.preparing.run import Preview, prepared
from lucky_fern.core.project.effects import Blur, Levels
from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.preparations import (
    Adjust,
    CutOut,
    Despeckle,
    EvenLight,
    MendRim,
    PictureStep,
    Relief,
    Size,
    Straighten,
    Tile,
)

_WIDE, _HIGH, _SHOWN = 4000, 3000, 1100
_CORNERS = ((400.0, 300.0), (3600.0, 200.0), (3500.0, 2800.0), (300.0, 2700.0))
_OPS: dict[str, Op] = {
    "straighten": Straighten(_CORNERS, (2000, 1500)), "cut-out": CutOut((800, 600, 3200, 2400)),
    "mend-rim": MendRim(),
    "even-light": EvenLight(), "tile": Tile(), "levels": Adjust(Levels(0.1, 0.9, 1.2)), "blur": Adjust(Blur(6.0)),
    "despeckle": Despeckle(3.0), "relief": Relief(), "size": Size((1600, 1200)),
}  # fmt: skip


def _photograph() -> Picture:
    """4000 × 3000: a bright disc on soft noise."""
    rng = np.random.default_rng(9)
    small = rng.integers(60, 140, (150, 200, 3), dtype=np.uint8)
    rgb = np.asarray(cv2.resize(small, (_WIDE, _HIGH), interpolation=cv2.INTER_CUBIC))
    cv2.circle(rgb, (_WIDE // 2, _HIGH // 2), 800, (220, 80, 60), -1, cv2.LINE_AA)
    rgba: np.ndarray = np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)])
    return Picture("photograph.png", rgba, False)


def _made(picture: Picture, op: Op) -> None:
    prepared(picture, (PictureStep(op),))


def previews(folder: Path) -> Row:
    """The slowest op at view size, of all that are listed."""
    picture = _photograph()
    times: dict[str, float] = {}
    for name, op in _OPS.items():
        preview, steps = Preview(picture, _SHOWN), (PictureStep(op),)
        preview.shown(steps)
        runs = []
        for _ in range(5):
            preview.forget()
            begin = time.perf_counter()
            preview.shown(steps)
            runs.append(time.perf_counter() - begin)
        times[name] = statistics.median(runs)
    slowest = max(times, key=lambda name: times[name])
    detail = ", ".join(f"{name} {seconds * 1e3:.0f}" for name, seconds in times.items()) + " ms"
    return Row("preparing: the slowest op at view size", times[slowest] / 0.1, 1.0, "lower", detail)


def large(folder: Path) -> Row:
    """Ops on 4000 × 3000 pixels against the library's own call on as much, as light, in floating point."""
    picture = _photograph()
    linear = picture.rgba.astype(np.float32) / 255
    plane = np.ascontiguousarray(picture.rgba)
    matrix = cv2.getPerspectiveTransform(
        np.array(_CORNERS, np.float32), np.array([[0, 0], [2000, 0], [2000, 1500], [0, 1500]], np.float32)
    )
    from_fit = matrix @ np.array([[3300 / 2063, 0, 300], [0, 2600 / 1563, 200], [0, 0, 1.0]])

    def straightened() -> object:  # 1.6 pixels become one: filtered by area, or it would flicker
        fit = cv2.resize(linear[200:2800, 300:3600], (2063, 1563), interpolation=cv2.INTER_AREA)
        return cv2.warpPerspective(fit, from_fit, (2000, 1500), flags=cv2.INTER_CUBIC)

    calls: dict[str, Callable[[], object]] = {
        "straighten": straightened,
        "blur": lambda: cv2.GaussianBlur(linear, (37, 37), 6.0),
        "despeckle": lambda: cv2.medianBlur(plane, 7),
        "size": lambda: cv2.resize(linear, (1600, 1200), interpolation=cv2.INTER_AREA),
    }
    found: dict[str, tuple[float, float]] = {}
    for name, call in calls.items():
        found[name] = side_by_side(lambda op=_OPS[name]: _made(picture, op), call, runs=3)  # type: ignore[misc]  # bound now
    ratios = {name: mine / other for name, (mine, other) in found.items()}
    worst = max(ratios, key=lambda name: ratios[name])
    detail = ", ".join(f"{name} {mine:.2f} s against {other:.2f}" for name, (mine, other) in found.items())
    return Row("preparing: ops on 12 megapixels", ratios[worst], 1.5, "lower", detail)


def memory(folder: Path) -> Row:
    """What all ops need at the most while they work, against the picture's own bytes."""
    picture = _photograph()
    for op in _OPS.values():
        _made(Picture("small.png", picture.rgba[::16, ::16].copy(), False), op.scaled(1 / 16))
    peaks = {name: _peak(lambda op=op: _made(picture, op)) for name, op in _OPS.items()}  # type: ignore[misc]  # bound now
    worst = max(peaks, key=lambda name: peaks[name])
    ratio = 1 + peaks[worst] / picture.rgba.nbytes  # the picture itself is there too
    return Row(
        "preparing: peak memory", ratio, 4.0, "lower", f"{worst}; the picture has {picture.rgba.nbytes >> 20} MB"
    )


def _peak(work: Callable[[], object]) -> int:
    """The most bytes of memory that the process had more while something was done than before."""
    page, most, done = 4096, [0], threading.Event()

    def resident() -> int:
        return int(Path("/proc/self/statm").read_text().split()[1]) * page

    before = resident()

    def watch() -> None:
        while not done.wait(0.002):
            most[0] = max(most[0], resident() - before)

    thread = threading.Thread(target=watch)
    thread.start()
    work()
    done.set()
    thread.join()
    return most[0]


MEASURES = (previews, large, memory)
