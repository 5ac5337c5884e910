"""A large commission, made when it is asked for and never shipped: what the program is measured with.

``python -m lucky_fern.demo.commission FOLDER`` makes the *Great Bittern* there: a car ferry of 1.2 million triangles
on sixteen tiles of 4096 texels, with two hundred layers, as a model, and as a project that opens in the program.
"""

from __future__ import annotations

import sys
from itertools import cycle, islice
from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.core.compositing.levels import first_look
from lucky_fern.core.project.commands import AddLayer, SetSheetSize
from lucky_fern.core.project.document import Adjustment, Channel, Decal, Wash
from lucky_fern.core.project.effects import Curve, Shade
from lucky_fern.core.project.file import SUFFIX
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.livery import Livery, picture
from lucky_fern.demo.pictures import make_pictures

NAME = "great-bittern"
TILES, LAYERS, SIDE = 16, 200, 4096
_LONG, _BEAM, _HIGH = 64.0, 13.0, 6.0  # metres
_ALONG, _UP = 256, 147  # faces of a tile's grid
_EDGE = 0.02  # of a tile, round what lies on it
_MARKS = (
    "ferry-crest.svg", "fleet-number.svg", "name-marsh-hen.svg", "hazard-bars.svg", "steam-warning.svg",
    "kettle-and-reed.png", "leek-soup-label.png",
)  # fmt: skip


def great_bittern(path: Path, along: int = _ALONG, up: int = _UP) -> None:
    """Write the model: sixteen grids of ``along`` times ``up`` faces, each on a tile of its own; Y up, metres."""
    rows, columns = np.meshgrid(np.linspace(0, 1, up + 1), np.linspace(0, 1, along + 1), indexing="ij")
    with path.open("w") as file:
        for number, (part, points) in enumerate(_pieces(columns, rows)):
            flat = np.stack([columns, rows], axis=-1) * (1 - 2 * _EDGE) + _EDGE
            _write(file.write, part, points, flat + [number % 10, number // 10], number * (up + 1) * (along + 1))


def _pieces(a: F64, b: F64) -> list[tuple[str, F64]]:
    """The parts and (rows, columns, 3) points of all tiles; ``a`` runs to the right, ``b`` up, as seen from outside."""
    found: list[tuple[str, F64]] = []
    for sign in (1.0, -1.0):  # starboard is seen from +Z with the bow to the right
        for at in range(5):
            share = (at + (a if sign > 0 else 1 - a)) / 5
            found.append(("hull", _side(share, b) * [1, 1, sign]))
    for at in range(2):
        share = (at + a) / 2
        edge = _side(share, np.ones_like(b))
        found.append(("deck", edge * [1, 1, 0] + (edge * [0, 0, 1]) * (1 - 2 * b[..., None]) * 0.98))
    for sign in (1.0, -1.0):
        x = (a - 0.5) * (0.5 * _LONG) * sign
        found.append(("house", np.stack([x, _HIGH + 5 * b, sign * (0.36 * _BEAM - 0.4 * b)], axis=-1)))
    x, z = (a - 0.5) * (0.5 * _LONG), (0.5 - b) * 0.66 * _BEAM
    found.append(("roof", np.stack([x, _HIGH + 5.0 + 0.4 * np.cos(np.pi * (b - 0.5)), z], axis=-1)))
    turn = 2 * np.pi * a
    wide = 1.6 - 0.3 * b
    found.append(("funnel", np.stack([wide * np.sin(turn) - 6, _HIGH + 5.2 + 4 * b, wide * np.cos(turn)], axis=-1)))
    return found


def _side(t: F64, s: F64) -> F64:
    """(…, 3) points of the starboard side: t from the stern (0) to the bow (1), s from the keel (0) to the deck (1)."""
    bow = np.clip((t - 0.7) / 0.3, 0, 1)
    beam = _BEAM / 2 * np.sqrt(1 - 0.96 * bow**2.2) * (0.35 + 0.65 * s ** (0.35 + 0.5 * bow))
    return np.stack([_LONG * (t - 0.5) + 2.5 * s * bow**2, _HIGH * s + 1.2 * s * bow**2, beam], axis=-1)


def _write(write: object, part: str, points: F64, uv: F64, first: int) -> None:
    rows, columns = points.shape[:2]
    at = 1 + first + np.arange(rows * columns).reshape(rows, columns)
    corners = np.stack([at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]], axis=-1).reshape(-1, 4)
    faces = np.concatenate([corners[:, [0, 1, 2]], corners[:, [0, 2, 3]]])
    assert callable(write)
    write("".join(f"v {x:.5f} {y:.5f} {z:.5f}\n" for x, y, z in points.reshape(-1, 3).tolist()))
    write("".join(f"vt {u:.6f} {v:.6f}\n" for u, v in uv.reshape(-1, 2).tolist()))
    write(f"g {part}\nusemtl ferry\n")
    write("".join(f"f {i}/{i} {j}/{j} {k}/{k}\n" for i, j, k in faces.tolist()))


def paint(studio: Studio, layers: int = LAYERS) -> None:
    """Two hundred layers: washes of whole parts, decals all over the sides, a few adjustments over everything."""
    coat = Livery(studio)
    coat.add("Cream", Wash(), colour="#ebe4d2", roughness=0.42, metallic=0.0)
    coat.add("Hull green", Wash(), ("hull",), colour="#2c6550", roughness=0.3)
    coat.add("Deck", Wash(repeat=(12, 12)), ("deck",), colour=picture("deck-planks.png"), roughness=0.7,
             height=picture("deck-planks-height.png", relief=True))  # fmt: skip
    coat.add("Funnel red", Wash(), ("funnel", "roof"), colour="#bd4f2d", roughness=0.48)
    boot = coat.add("Bottom paint", Wash(), ("hull",), colour="#7c2f24", roughness=0.62)
    below = Throw((0, 0.0, 0), (0, 0, 1), (0, 1, 0), 80.0, 4.0, depth=30.0, angle_limit=180.0, through=True)
    coat.mask(boot, MaskEntry(PictureShape("solid-band.svg", below)))
    rng = np.random.default_rng(16)
    top = 4
    marks = layers - 5 - top
    for number, file in enumerate(islice(cycle(_MARKS), marks)):
        sign = 1 if number % 2 else -1
        x, y = float(rng.uniform(-0.48, 0.42) * _LONG), float(rng.uniform(1.2, 5.4))
        place = Throw((x, y, 0.5 * _BEAM * sign), (0, 0, sign), (0, 1, 0), float(rng.uniform(0.8, 3.2)), depth=6.0)
        maps = {"colour": Channel("picture"), "roughness": Channel(float(rng.uniform(0.2, 0.6)))}
        if number % 5 == 0:
            maps["emissive"] = Channel("picture")
        studio.execute(AddLayer(f"Mark {number + 1}", Decal(file, place), maps, scope=Scope(parts=("hull",))))
    coat.add(
        "Stains", Wash(repeat=(9, 9), by="triplanar"), blend="multiply", opacity=0.5, colour=picture("grime.png")
    )
    coat.add("Bleached", Adjustment(Shade(4.0, -0.12, 0.05)), ("roof", "deck"), colour=Channel())
    coat.add("Drier", Adjustment(Curve(((0.0, 0.05), (0.5, 0.58), (1.0, 1.0)))), roughness=Channel())
    coat.add("Whole", Adjustment(Shade(0.0, 0.04, 0.0)), colour=Channel())


def make(folder: Path, side: int = SIDE, layers: int = LAYERS) -> Path:
    """Make the model, its pictures and the project in a folder; the project's path."""
    (folder / "pictures").mkdir(parents=True, exist_ok=True)
    model, project = folder / f"{NAME}.obj", folder / f"{NAME}{SUFFIX}"
    great_bittern(model)
    make_pictures(folder / "pictures")
    studio = Studio.new(model, "Great Bittern")
    studio.execute(SetSheetSize(square(side)))
    for path in sorted((folder / "pictures").iterdir()):
        studio.add_picture(path)
    paint(studio, layers)
    studio.write(project, studio.project, look=first_look(studio.sources, studio.project))
    return project


if __name__ == "__main__":
    print(make(Path(sys.argv[1])))
