"""Figures of painting by hand."""

from __future__ import annotations

import time
import tracemalloc
from pathlib import Path

import numpy as np

from lucky_fern.bench.measure import Row
from lucky_fern.core import easel
from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.painting.stroke import Stroke
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.sheets.grid import CHUNK
from lucky_fern.core.studio import Studio

FOUR = "".join(f"v {x} {y} 0\nvt {x} {y}\n" for y in range(3) for x in range(3)) + (
    "usemtl paint\nf 1/1 2/2 5/5 4/4\nf 2/2 3/3 6/6 5/5\nf 4/4 5/5 8/8 7/7\nf 5/5 6/6 9/9 8/8\n"
)  # four boards on four tiles, a unit of length for a tile
UP = np.array([0.0, 0.0, 1.0])
SIZE = 4096


class _Easel:
    """Four 4K sheets with a wash and an empty brushwork layer, and maps that follow."""

    def __init__(self, folder: Path) -> None:
        (folder / "four.obj").write_text(FOUR)
        self.studio = Studio.new(folder / "four.obj", sheet_size=SIZE)
        self.studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#335577")}))
        self.studio.execute(AddLayer("Paint", Brushwork(), {}))
        self.layer = self.studio.project.layers[-1].id
        self.store = MapStore(self.studio.sources)
        self.began = self.studio.project

    def show(self, stroke: Stroke) -> None:
        """Put what is new of a stroke onto the layer, and bring the map up to date."""
        studio, before = self.studio, self.studio.project
        fresh = stroke.take_fresh()
        if fresh.coverage:
            easel.paint_on_layer(studio, self.layer, fresh, {"colour": "#aa5522"}, self.began)
        for dirty, chunks in dirtied(studio.sources, before, studio.project).items():
            if dirty.map == "colour":
                self.store.update(studio.project, dirty, list(chunks), lambda: False, self.layer, False)


def _copying(sheet: np.ndarray) -> list[float]:
    """Seconds that copying a sheet takes, some times over."""
    times = []
    for _ in range(12):
        begin = time.perf_counter()
        sheet.copy()
        times.append(time.perf_counter() - begin)
    return times


def _samples(folder: Path, radius: int, runs: int, goal: float, name: str, middle: float) -> Row:
    """Samples of a brush on a 4K sheet, input to updated maps, against copying such a sheet."""
    desk = _Easel(folder)
    wide = radius / SIZE
    stroke = easel.begin_stroke(desk.studio, Brush(wide, 0.5, 0.5, spacing=1.0))
    rng = np.random.default_rng(2)
    sheet = rng.integers(0, 255, (SIZE, SIZE, 4), dtype=np.uint8)
    place, times, copies = np.array([middle - 0.4, middle - 0.05, 0.0]), [], _copying(sheet)
    step = wide if radius < 256 else 0.15 * wide
    for number in range(runs + runs // 5):
        place = place + np.array([step, rng.uniform(-0.3, 0.3) * step, 0.0])
        if place[0] > middle + 0.4:
            place[0] = middle - 0.4
        stroke.lift()
        begin = time.perf_counter()
        stroke.go_to(place, UP)
        desk.show(stroke)
        if number >= runs // 5:
            times.append(time.perf_counter() - begin)
    copies += _copying(sheet)
    mine, other = float(np.quantile(times, 0.95)), float(np.median(copies))
    detail = f"95 of 100 samples within {mine * 1e3:.1f} ms; copying a 4K RGBA8 sheet takes {other * 1e3:.1f} ms"
    return Row(name, mine / other, goal, "lower", detail)


def brush_sample(folder: Path) -> Row:
    """A brush of 64 texels' radius on one sheet."""
    return _samples(folder, 64, 100, 1.0, "one brush sample on a 4K sheet", 0.5)


def large_sample(folder: Path) -> Row:
    """A brush of 1 024 texels' radius where four tiles meet."""
    return _samples(folder, 1024, 60, 6.0, "one brush sample of 1024 texels over four 4K tiles", 1.0)


def long_stroke(folder: Path) -> Row:
    """2 000 samples drawn in one stroke, shown every ten: memory against the bytes of the chunks that it touches."""
    desk = _Easel(folder)
    wide, count = 64 / SIZE, 2000
    first = easel.begin_stroke(desk.studio, Brush(0.05))
    first.go_to(np.array([1.0, 1.0, 0.0]), UP)  # what every sheet has once comes before
    desk.show(first)
    desk.began = desk.studio.project
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    stroke = easel.begin_stroke(desk.studio, Brush(wide, 0.5, 0.5, spacing=0.15))
    turn = np.linspace(0, 6 * np.pi, 40 * count)
    places = 1 + 0.2 * np.stack([np.cos(turn) * (1 + turn / 20), np.sin(turn) * (1 + turn / 20)], axis=1)
    way = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])
    for number in range(count):  # as far apart as samples lie
        at = [np.interp(number * 0.15 * wide, way, places[:, axis]) for axis in range(2)]
        stroke.go_to(np.array([*at, 0.0]), UP)
        if number % 10 == 9:
            desk.show(stroke)
    stroke.end()
    desk.show(stroke)
    desk.studio.history.seal()
    desk.studio.tidy()
    grown = tracemalloc.get_traced_memory()[1] - before
    tracemalloc.stop()
    # Of each texel: how far it is covered, its owner, its pixels, and what lies below, as the compositor keeps it.
    touched = len(stroke.coverage) * CHUNK * CHUNK * (4 + 4 + 4 + 12)
    detail = f"{stroke.samples} samples of {count}; {grown / 2**20:.0f} MB for {len(stroke.coverage)} chunks"
    return Row("memory of a stroke of 2000 samples", grown / touched, 1.5, "lower", detail)


MEASURES = (brush_sample, large_sample, long_stroke)
