"""Work on single texels: faces cut along them, a pencil's samples, and what a sheet that is not square costs."""

from __future__ import annotations

import statistics
import time
from pathlib import Path

import numpy as np

from lucky_fern.bench.measure import Row, side_by_side
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.layout.cutting import cut_texels
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Wash
from lucky_fern.core.project.effects import Blur
from lucky_fern.core.sheets.grid import Extent, SheetKey, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.drawing import trail
from lucky_fern.core.texels.setting import one_texel, put_places

_FACE = """o board
usemtl skin
v -1 -1 0
v 1 -1 0
v 1 1 0
v -1 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
f 1/1 2/2 3/3 4/4
"""
_FRAME = 1 / 60  # seconds


def _board(folder: Path) -> Path:
    path = folder / "board.obj"
    path.write_text(_FACE)
    return path


def cutting(folder: Path) -> Row:
    """200 texels, anywhere on a face of 64 × 64, against a tenth of a second."""
    model = load_model(_board(folder))
    area = np.zeros((64, 64), np.bool_)
    area.ravel()[np.random.default_rng(1).choice(4096, 200, replace=False)] = True
    every = np.ones(model.triangle_count, np.bool_)
    times = []
    for _ in range(6):
        begin = time.perf_counter()
        cut = cut_texels(model, SheetKey("skin", 1001), square(64), area, every, "glow")
        times.append(time.perf_counter() - begin)
    took = statistics.median(times[1:])
    return Row("texels: 200 cut out of a face", took / 0.1, 1.0, "lower",
               f"{took * 1e3:.0f} ms, {cut.model.triangle_count} triangles")  # fmt: skip


def pencil(folder: Path) -> Row:
    """A stroke of 500 points on a sheet of 128: its slowest samples (95th percentile) against a frame."""
    studio = Studio.new(_board(folder), sheet_size=128)
    studio.execute(AddLayer("Art", Brushwork(), {}))
    layer, key = studio.project.layers[-1].id, studio.surface.keys[0]
    turn = np.linspace(0, 20, 500)
    points = [(int(64 + (10 + t * 2.5) * np.cos(t)), int(64 + (10 + t * 2.5) * np.sin(t))) for t in turn]
    begun, texel, times = studio.project, one_texel("#ff8800", "colour"), []
    for count in range(1, len(points) + 1):
        begin = time.perf_counter()
        places = trail(points[:count])
        command = put_places(studio, layer, key, "colour", places, texel, begun)
        if command is not None:
            studio.execute(command, merge=True)
        times.append(time.perf_counter() - begin)
    slow = float(np.percentile(times, 95))
    return Row("texels: a pencil's sample", slow / _FRAME, 1.0, "lower", f"{slow * 1e3:.1f} ms, the stroke 500 long")


def rectangle(folder: Path) -> Row:
    """A sheet of 512 × 128 against one of 512 × 512: a quarter of the time."""
    studio = Studio.new(_board(folder), sheet_size=512)
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#335577")}))
    studio.execute(AddLayer("Soft", Adjustment(Blur(6.0)), {"colour": Channel()}))
    key = studio.surface.keys[0]

    def drawn(size: Extent) -> None:
        studio.sources.kept.clear()
        composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, size), 8)

    mine, other = side_by_side(lambda: drawn(Extent(512, 128)), lambda: drawn(square(512)))
    return Row("texels: 512 × 128 of 512 × 512", mine / other, 0.3, "lower",
               f"{mine * 1e3:.1f} ms against {other * 1e3:.1f}")  # fmt: skip


MEASURES = (cutting, pencil, rectangle)
