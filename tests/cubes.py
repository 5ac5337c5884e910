"""A cube whose six sides lie beside each other on the sheet, and a studio that begins on it."""

from __future__ import annotations

from pathlib import Path

from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.studio import Studio

SIDES = ((0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3))


def box(path: Path, low: float = 0.0, high: float = 1.0, inward: bool = False, scale: float = 1.0) -> Path:
    """A cube, its six sides beside each other in a row of UV space with gaps, seen from outside or from inside."""
    ends = (low * scale, high * scale)
    points = [(x, y, z) for x in ends for y in ends for z in ends]
    lines = [f"v {x} {y} {z}" for x, y, z in points]
    for n in range(6):
        left, right = n / 6 + 0.01, (n + 1) / 6 - 0.01
        lines += [f"vt {u} {v}" for u, v in ((left, 0.1), (right, 0.1), (right, 0.9), (left, 0.9))]
    for n, side in enumerate(SIDES):
        corners = [f"{v + 1}/{4 * n + k + 1}" for k, v in enumerate(side)]
        lines.append("f " + " ".join(corners[::-1] if inward else corners))
    path.write_text("\n".join(lines) + "\n")
    return path


def begun(path: Path, size: int = 256) -> Studio:
    studio = Studio.new(path, sheet_size=size)
    do_step(studio, {"do": "wash", "name": "Wear", "values": {"colour": "#aa7744"}}, path.parent)
    return studio
