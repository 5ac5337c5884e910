"""Round models, and what a placed picture gives to their first sheet."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh

from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.placing.placed import PlacedPicture, draw_placed, touched_chunks
from lucky_fern.core.sheets.grid import span, square
from lucky_fern.core.sheets.surface import Surface
from samples import soft_noise

NOISE = Picture("noise", np.dstack([soft_noise((96, 160), cells=6), np.full((96, 160), 255, np.uint8)]), True)


def tube(folder: Path, sides: int = 96, rings: int = 24, radius: float = 0.5, height: float = 2.0) -> Model:
    """A closed tube round Y whose sheet is its arc and height: u 0…1 once round from the back, v 0…1."""
    text, turn = [], np.pi + np.arange(sides + 1) / sides * 2 * np.pi
    for level in range(rings + 1):
        y = height * level / rings
        text += [f"v {radius * np.sin(a):.12f} {y} {radius * np.cos(a):.12f}" for a in turn[:-1]]
    text += [f"vt {k / sides:.12f} {level / rings:.12f}" for level in range(rings + 1) for k in range(sides + 1)]
    for level in range(rings):
        for k in range(sides):
            v = [
                level * sides + k,
                level * sides + (k + 1) % sides,
                (level + 1) * sides + (k + 1) % sides,
                (level + 1) * sides + k,
            ]
            t = [
                level * (sides + 1) + k,
                level * (sides + 1) + k + 1,
                (level + 1) * (sides + 1) + k + 1,
                (level + 1) * (sides + 1) + k,
            ]
            text.append("f " + " ".join(f"{a + 1}/{b + 1}" for a, b in zip(v, t, strict=True)))
    (folder / "tube.obj").write_text("\n".join(text))
    return load_model(folder / "tube.obj")


def globe(folder: Path, rows: int = 16, columns: int = 24, radius: float = 1.0) -> Model:
    """A ball with UVs: u once round from the back, v from pole to pole; it narrows to a needle at each pole."""
    tilt, turn = np.pi * np.arange(rows + 1) / rows, np.pi + 2 * np.pi * np.arange(columns + 1) / columns
    text = [
        f"v {radius * np.sin(a) * np.sin(b):.12f} {-radius * np.cos(a):.12f} {radius * np.sin(a) * np.cos(b):.12f}"
        for a in tilt for b in turn[:-1]
    ]  # fmt: skip
    text += [f"vt {k / columns:.12f} {level / rows:.12f}" for level in range(rows + 1) for k in range(columns + 1)]
    for level in range(rows):
        for k in range(columns):
            v = [level * columns + k, level * columns + (k + 1) % columns,
                 (level + 1) * columns + (k + 1) % columns, (level + 1) * columns + k]  # fmt: skip
            t = [level * (columns + 1) + k, level * (columns + 1) + k + 1,
                 (level + 1) * (columns + 1) + k + 1, (level + 1) * (columns + 1) + k]  # fmt: skip
            corners = [f"{a + 1}/{b + 1}" for a, b in zip(v, t, strict=True)]
            if level > 0:
                text.append(f"f {corners[0]} {corners[1]} {corners[2]}")
            if level < rows - 1:
                text.append(f"f {corners[0]} {corners[2]} {corners[3]}")
    (folder / "globe.obj").write_text("\n".join(text))
    return load_model(folder / "globe.obj")


def ball(folder: Path, subdivisions: int) -> Model:
    """A unit ball without UVs."""
    mesh = trimesh.creation.icosphere(subdivisions=subdivisions)
    vertices = "\n".join(f"v {x:.12f} {y:.12f} {z:.12f}" for x, y, z in mesh.vertices)
    faces = "\n".join(f"f {a + 1} {b + 1} {c + 1}" for a, b, c in mesh.faces)
    path = folder / "ball.obj"
    path.write_text(f"{vertices}\n{faces}\n")
    return load_model(path)


def drawn(model: Model, placed: PlacedPicture, size: int = 512) -> np.ndarray:
    """The first sheet, straight RGBA 0…255."""
    surface = Surface(model)
    sheet = surface.sheet(surface.keys[0], square(size))
    out = np.zeros((size, size, 4))
    for chunk in touched_chunks(placed, sheet):
        out[span(chunk, square(size))] = (
            draw_placed(placed, sheet, chunk, build_pyramid(NOISE, "colour"), False, True) / 257
        )
    return out
