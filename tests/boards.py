"""A board cut in two by a seam, its halves laid in many ways."""

from __future__ import annotations

from pathlib import Path

from lucky_fern.core.studio import Studio

SIZE = 128
# A board of 2 × 1 in two halves: the left one is 1 × 1, laid on the left of its tile; where the other lies, varies.
LEFT = [(0.1, 0.1), (0.4, 0.1), (0.4, 0.4), (0.1, 0.4)]
RIGHT = {
    "beside it": [(0.6, 0.6), (0.9, 0.6), (0.9, 0.9), (0.6, 0.9)],
    "turned by 90°": [(0.9, 0.6), (0.9, 0.9), (0.6, 0.9), (0.6, 0.6)],
    "turned by 37°": [(0.7, 0.5), (0.9396, 0.6805), (0.7591, 0.9201), (0.5195, 0.7396)],
    "mirrored": [(0.9, 0.6), (0.6, 0.6), (0.6, 0.9), (0.9, 0.9)],
    "twice as fine": [(0.41, 0.41), (1.0, 0.41), (1.0, 1.0), (0.41, 1.0)],
    "on another tile": [(2.6, 1.6), (2.9, 1.6), (2.9, 1.9), (2.6, 1.9)],
    "at the tile's very edge": [(1.0, 0.6), (1.3, 0.6), (1.3, 0.9), (1.0, 0.9)],
}


def board(folder: Path, right: list[tuple[float, float]], material: str = "a") -> Studio:
    corners = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\n"
    uv = "".join(f"vt {u} {v}\n" for u, v in [*LEFT, *right])
    faces = f"o l\nusemtl a\nf 1/1 2/2 3/3 4/4\no r\nusemtl {material}\nf 2/5 5/6 6/7 3/8\n"
    (folder / "board.obj").write_text(corners + uv + faces)
    return Studio.new(folder / "board.obj", sheet_size=SIZE)
