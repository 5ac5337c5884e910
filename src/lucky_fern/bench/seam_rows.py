"""What is measured of poses that many chunks share, and of filters that go over seams."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PIL import Image

from lucky_fern.bench.measure import Row, random_rgba, side_by_side
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.compositing.sources import Sources
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Adjustment, Channel, Wash
from lucky_fern.core.project.effects import Blur
from lucky_fern.core.project.places import Throw
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio, ensure_world

_ACROSS = 4  # islands along an edge of the sheet


def poses(folder: Path) -> Row:
    """Eighty decals asked for by sixteen chunks each, against working out eighty poses."""
    ensure_world()
    studio = demo_studio("ferry")
    model, low = studio.model, studio.model.bounds[0]
    middle, size = model.bounds.mean(axis=0), float(model.diagonal)
    places = [
        Throw((float(low[0]) + size * n / 80, float(middle[1]), float(middle[2])), (0, 0, 1), (0, 1, 0),
              0.2 * size, 0.2 * size, size)
        for n in range(80)
    ]  # fmt: skip

    def ours() -> None:
        sources = Sources(studio.surface, studio.blobs)
        for _ in range(16):
            for place in places:
                sources.pose(place, 0.2 * size, None)

    def reference() -> None:
        for place in places:
            throw(model, place, 0.2 * size)

    mine, other = side_by_side(ours, reference, 3)
    detail = f"{mine * 1e3:.0f} ms against {other * 1e3:.0f} ms, on the ferry"
    return Row("80 decals on 16 chunks", mine / other, 1.2, "lower", detail)


def _board(path: Path, joined: bool) -> None:
    """Sixteen squares on one sheet: neighbours on the surface (in another order than on the sheet), or each apart."""
    text, n = "", _ACROSS
    for number in range(n * n):
        row, column = divmod(number * 5 % (n * n), n)
        x, y = (column, row) if joined else (3 * column, 3 * row)
        u, v = (number % n) / n, (number // n) / n
        for a, b in ((0, 0), (1, 0), (1, 1), (0, 1)):
            text += f"v {x + a} {y + b} 0\nvt {u + (0.02 + 0.96 * a) / n:.6f} {v + (0.02 + 0.96 * b) / n:.6f}\n"
        at = 4 * number
        text += "f " + " ".join(f"{at + k}/{at + k}" for k in (1, 2, 3, 4)) + "\n"
    path.write_text("o board\nusemtl paint\n" + text)


def blur_over_seams(folder: Path) -> Row:
    """A blur over a sheet of islands that meet on the surface, against the same where nothing lies beyond them."""
    Image.fromarray(random_rgba(3, 1024)).save(folder / "noise.png")
    studios = []
    for joined in (True, False):
        _board(folder / f"board{joined}.obj", joined)
        studio = Studio.new(folder / f"board{joined}.obj", sheet_size=1024)
        picture = studio.add_picture(folder / "noise.png")
        studio.execute(AddLayer("noise", Wash(), {"colour": Channel("picture", picture=picture)}))
        studio.execute(AddLayer("soft", Adjustment(Blur(8.0)), {"colour": Channel()}))
        studios.append(studio)

    def blurred(studio: Studio) -> np.ndarray:
        sources = Sources(studio.surface, studio.blobs, pictures=studio.sources)
        sheet = studio.surface.sheet(studio.surface.keys[0], square(1024))
        return composite_sheet(sources, studio.project, "colour", sheet, 8)

    mine, other = side_by_side(lambda: blurred(studios[0]), lambda: blurred(studios[1]), 3)
    detail = f"{mine * 1e3:.0f} ms against {other * 1e3:.0f} ms: radius 8, 16 islands on a 1K sheet"
    return Row("blur over seams", mine / other, 2.0, "lower", detail)


MEASURES = (poses, blur_over_seams)
