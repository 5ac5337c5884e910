"""The tea kettle's pixels: shaded copper, iron on a sheet of its own, and a little window that glows at night."""

from __future__ import annotations

import numpy as np

from lucky_fern.core.arrays import U8
from lucky_fern.core.colour import from_hex
from lucky_fern.core.project.commands import AddLayer, SetPixelArt
from lucky_fern.core.project.document import Brushwork, Channel, Decal, Wash
from lucky_fern.core.project.layouts import GiveMaterial, Transform
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.canvas import reframe
from lucky_fern.core.texels.cutting import Wanted, cut_off, wanted_texels
from lucky_fern.core.texels.setting import set_block
from lucky_fern.demo.models import KETTLE, cross

_COPPER = ("#4a2016", "#6e3020", "#8f452a", "#b05c36", "#cc7a48", "#e6a26a", "#f6cf9a")
_IRON = ("#14181c", "#20262c", "#2e363d", "#404a52", "#56626b", "#74818a", "#9aa6ad")
_SHADE = {"top": 5, "front": 3, "left": 3, "right": 2, "back": 2, "bottom": 0}  # of a ramp
_IRON_AT = 34  # the row from below on which iron begins in the model's own cross
PANE, GLEAM = "#ffd75e", "#fff0a8"
_WINDOW = (
    "..ffff..",
    ".fppppf.",
    ".fpgfpf.",
    ".ffffff.",
    ".fppfgf.",
    ".fppfpf.",
    "ffffffff",
)


def pixel_kettle(studio: Studio) -> None:
    """Paint it, part by part, as a person would: with texels, a canvas, and a cut."""
    iron = SheetKey("iron", 1001)
    parts = np.isin(studio.model.part, [studio.model.parts.index(name) for name in ("spout", "handle")])
    studio.lay_out(GiveMaterial("iron"), parts)
    studio.lay_out(Transform(move=(0.0, -_IRON_AT / 64)), parts)
    command, _ = reframe(studio, iron, Extent(64, 32), "lower-left")
    studio.execute(command)
    for key in studio.surface.keys:
        studio.execute(SetPixelArt(str(key)))
    studio.execute(AddLayer("Metal", Wash(), {"colour": Channel("#b05c36"), "roughness": Channel(0.42),
                                              "metallic": Channel(0.85)}))  # fmt: skip
    studio.execute(AddLayer("Pixels", Brushwork(), {}))
    layer = studio.project.layers[-1].id
    for key, names, ramp, rows in ((SheetKey("kettle", 1001), ("body", "shoulder", "lid", "knob"), _COPPER, 64),
                                   (iron, ("spout", "handle"), _IRON, 32)):  # fmt: skip
        for part, _, size, (left, low) in KETTLE:
            if part not in names:
                continue
            at = (left, low - (_IRON_AT if key == iron else 0))
            for side, (x, y, wide, high) in cross(size, at).items():
                block = _side(side, wide, high, ramp, len(part) + x)
                if part == "body" and side == "front":
                    _put(block, _window(ramp), (2, 1))
                command_ = set_block(studio, layer, key, "colour", (x, rows - y - high), block)
                if command_ is not None:
                    studio.execute(command_)
    place = Throw((-0.375, 0.25, 0), (-1, 0, 0), (0, 1, 0), 0.5, depth=0.1, stand_off=1.0)
    studio.execute(AddLayer("Mark", Decal("pixel-teapot.png", place, "nearest"),
                   {"colour": Channel("picture"), "metallic": Channel(0.0)}))  # fmt: skip
    cut_off(studio, wanted_texels(studio, Wanted("colour", (PANE, GLEAM)), "window"), "window")
    studio.execute(AddLayer("Lamp within", Wash(), {"emissive": Channel("#ffb03a"), "metallic": Channel(0.0)},
                            scope=Scope(materials=("window",))))  # fmt: skip


def _rgba(colour: str) -> U8:
    return np.array([*(round(part * 255) for part in from_hex(colour)), 255], np.uint8)


def _side(side: str, wide: int, high: int, ramp: tuple[str, ...], seed: int) -> U8:
    """A side of a block: lit from above, its edges worn bright, riveted, a little uneven."""
    rng = np.random.default_rng(seed)
    level = np.full((high, wide), _SHADE[side], np.int64)
    if side in ("front", "left", "right", "back"):
        down = np.linspace(1, -1, high) if high > 2 else np.zeros(high)
        level += np.rint(down)[:, None].astype(np.int64)
        level[0] += 1
        level[-1] -= 1
    level[:, 0] += wide > 3
    level[:, -1] -= wide > 3
    if wide > 6 and high > 6:
        level[(rng.random((high, wide)) < 0.07)] -= 1
        level[1, 1::5] = level[-2, 1::5] = len(ramp) - 1  # rivets
        level[2, 1::5] = level[-1, 1::5] = 0
    colours = np.stack([_rgba(colour) for colour in ramp])
    return np.asarray(colours[np.clip(level, 0, len(ramp) - 1)])


def _window(ramp: tuple[str, ...]) -> U8:
    ink = {"f": _rgba(ramp[0]), "p": _rgba(PANE), "g": _rgba(GLEAM), ".": np.zeros(4, np.uint8)}
    return np.array([[ink[one] for one in row] for row in _WINDOW], np.uint8)


def _put(block: U8, picture: U8, at: tuple[int, int]) -> None:
    column, row = at
    into = block[row : row + len(picture), column : column + picture.shape[1]]
    into[picture[..., 3] > 0] = picture[picture[..., 3] > 0]
