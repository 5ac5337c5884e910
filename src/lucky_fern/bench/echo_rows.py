"""Maps made from maps: an echo, an edit below one, specks taken out."""

from __future__ import annotations

import time
from functools import partial
from pathlib import Path

import cv2
import numpy as np

from lucky_fern.bench.measure import Row, random_rgba, side_by_side
from lucky_fern.core.compositing.around import Islands
from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.effects import effect_row
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.files import write_whole
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import AddLayer, PaintPixels
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.more_effects import Specks
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.setting import set_block

_FACE = "v -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"
_SIZE = 2048
_CORNERS = ((0, 0), (1, 0), (1, 1), (0, 1))


def _studio(folder: Path) -> Studio:
    """A 2K board with a picture's colours."""
    (folder / "board.obj").write_text(_FACE)
    write_whole(folder / "noise.png", encode_png(random_rgba(3, 512)[..., :3]))
    studio = Studio.new(folder / "board.obj", sheet_size=_SIZE)
    picture = studio.add_picture(folder / "noise.png")
    studio.execute(AddLayer("Base", Wash((3.0, 3.0)), {"colour": Channel("picture", picture=picture)}))
    return studio


def echo(folder: Path) -> Row:
    """A 2K map that an echo makes of colour, against one that a repeating picture makes; both drawn anew."""
    ours, other = _studio(folder), _studio(folder)
    ours.execute(AddLayer("Echo", Echo(), {"roughness": Channel(ECHO)}))
    picture = next(iter(other.project.pictures))
    other.execute(AddLayer("Wash", Wash((3.0, 3.0)), {"roughness": Channel("picture", picture=picture)}))

    def drawn(studio: Studio) -> None:
        studio.sources.kept.clear()
        studio.sources.below.clear()
        studio.sources.pictures.pyramid(studio.project.pictures[picture], "data")
        key = MapKey(studio.surface.keys[0], "roughness")
        MapStore(studio.sources).update(studio.project, key, all_chunks(square(_SIZE)), pad=False)

    mine, reference = side_by_side(lambda: drawn(ours), lambda: drawn(other))
    return Row("echo: a map from colour, of a wash's", mine / reference, 1.3, "lower",
               f"{mine * 1e3:.0f} ms against {reference * 1e3:.0f}, 2K")  # fmt: skip


def below(folder: Path) -> Row:
    """The chunks that a block of 64 texels painted below an echo has it draw anew, of those that it touched."""
    studio = _studio(folder)
    studio.execute(AddLayer("Art", Brushwork(), {}))
    layer = studio.project.layers[-1].id
    studio.execute(AddLayer("Echo", Echo(), {"roughness": Channel(ECHO)}))
    before = studio.project
    block = np.full((64, 64, 4), 255, np.uint8)
    edit = set_block(studio, layer, studio.surface.keys[0], "colour", (700, 700), block)
    assert isinstance(edit, PaintPixels)
    studio.execute(edit)
    begin = time.perf_counter()
    news = dirtied(studio.sources, before, studio.project)
    took = time.perf_counter() - begin
    touched = {piece.map: len(chunks) for piece, chunks in news.items()}
    return Row("echo: chunks redone after an edit below", touched["roughness"] / touched["colour"], 1.0, "lower",
               f"{touched['roughness']} of {touched['colour']}, told in {took * 1e3:.1f} ms")  # fmt: skip


def specks(folder: Path) -> Row:
    """Specks of radius 2 out of a 2K map of one number and out of colours, against OpenCV's median of the same."""
    noise = np.random.default_rng(4).random((_SIZE, _SIZE, 3)).astype(np.float32)
    effect, around = Specks(2.0, 0.2), Islands(np.zeros((_SIZE, _SIZE), np.int32))
    row, found = effect_row(effect), []
    for name, values in (("colour", noise), ("roughness", np.ascontiguousarray(noise[..., :1]))):
        mine = partial(row.apply, values, effect, MAPS[name], around)
        found.append(side_by_side(mine, partial(cv2.medianBlur, values, 5)))
    (ours3, median3), (ours, median) = found
    return Row("despeckle: of OpenCV's median", max(ours / median, ours3 / median3), 1.5, "lower",
               f"{ours * 1e3:.0f} ms against {median * 1e3:.0f}, 2K, one core; "
               f"colours {ours3 * 1e3:.0f} against {median3 * 1e3:.0f}")  # fmt: skip


def strokes(folder: Path) -> Row:
    """Colour and normals of four 2K sheets in brush strokes, against the 20 s that a person may wait."""
    quads = [(x, y) for x in (0, 1) for y in (0, 1)]
    points = "".join(f"v {x + a} {y + b} 0\nvt {x + a} {y + b}\n" for x, y in quads for a, b in _CORNERS)
    faces = "".join("f " + " ".join(f"{4 * n + k}/{4 * n + k}" for k in (1, 2, 3, 4)) + "\n" for n in range(4))
    (folder / "board.obj").write_text(points + faces)
    write_whole(folder / "noise.png", encode_png(random_rgba(3, 512)[..., :3]))
    studio = Studio.new(folder / "board.obj", sheet_size=_SIZE)
    picture = studio.add_picture(folder / "noise.png")
    studio.execute(AddLayer("Base", Wash((0.5, 0.5)), {"colour": Channel("picture", picture=picture)}))
    maps = ("colour", "normal")
    studio.execute(AddLayer("Strokes", Adjustment(PaintStrokes()), {name: Channel() for name in maps}))
    store = MapStore(studio.sources)
    begin = time.perf_counter()
    for name in maps:
        for key in studio.surface.keys:
            store.update(studio.project, MapKey(key, name), all_chunks(square(_SIZE)))
    took = time.perf_counter() - begin
    return Row("paintstrokes: of 20 s", took / 20, 1.0, "lower", f"{took:.1f} s, 2K × 4, colour and normal")


MEASURES = (echo, below, specks, strokes)
