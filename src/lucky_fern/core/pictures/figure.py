"""Simple figures as pictures: rectangles, ellipses, polygons, arrows, bars and checkers, drawn as SVG.

They stay drawings, so they are rendered as finely as the texels under them ask.
"""

from __future__ import annotations

from typing import Literal

import msgspec
import numpy as np

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import PictureError
from lucky_fern.words import tr

Form = Literal["rectangle", "ellipse", "polygon", "arrow", "bars", "checker", "lines", "dashes"]
FORMS: tuple[Form, ...] = ("rectangle", "ellipse", "polygon", "arrow", "bars", "checker", "lines", "dashes")
_HIGH = 256  # units of the drawing


class Figure(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a figure looks like. Lengths are shares of its height; ``wide`` is its width over its height.

    ``second`` fills what ``colour`` leaves free in bars, checkers, lines and dashes (None: nothing is there).
    ``count`` is how many sides a polygon has, or bars, squares, lines or dashes there are; ``slant`` (degrees) leans
    bars over, ``thick`` is the share that bars, lines and dashes fill, or an arrow's shaft.
    """

    form: Form = "rectangle"
    wide: float = 1.0
    colour: str = "#ffffff"
    second: str | None = None
    outline: float = 0.0
    outline_colour: str = "#000000"
    corner: float = 0.0
    count: int = 6
    slant: float = 45.0
    thick: float = 0.5


def check_figure(figure: Figure) -> None:
    """Refuse figures that cannot be drawn.

    Raises
    ------
    PictureError
        With a sentence that names the key.
    """
    for name in ("colour", "second", "outline_colour"):
        value = getattr(figure, name)
        if value is not None and not is_hex(value):
            raise PictureError(tr("{name} {value!r} is not a colour: write it as #rrggbb", name=name, value=value))
    for name, low, high in (("wide", 0.02, 50), ("outline", 0, 0.4), ("corner", 0, 0.5), ("count", 1, 200),
                            ("slant", -80, 80), ("thick", 0.02, 1)):  # fmt: skip
        if not low <= getattr(figure, name) <= high:
            raise PictureError(
                tr(
                    "{name} runs from {low:g} to {high:g}, not {getattr:g}",
                    name=name,
                    low=low,
                    high=high,
                    getattr=getattr(figure, name),
                )
            )
    if figure.form == "polygon" and figure.count < 3:
        raise PictureError(tr("a polygon has three sides or more"))


def figure_svg(figure: Figure) -> bytes:
    """The drawing that the kit keeps.

    Raises
    ------
    PictureError
        If it cannot be drawn; see :func:`check_figure`.
    """
    check_figure(figure)
    width, height = figure.wide * _HIGH, float(_HIGH)
    line = figure.outline * _HIGH
    inside = {
        "rectangle": _rectangle, "ellipse": _ellipse, "polygon": _polygon, "arrow": _arrow, "bars": _bars,
        "checker": _checker, "lines": _lines, "dashes": _dashes,
    }[figure.form](figure, width, height, line)  # fmt: skip
    around = ""
    if line and figure.form in ("bars", "checker", "lines", "dashes"):
        around = _box(line / 2, line / 2, width - line, height - line, f'fill="none" {_stroke(figure, line)}')
    text = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:g} {height:g}">{inside}{around}</svg>'
    return text.encode()


def figure_size(figure: Figure) -> tuple[int, int]:
    """Width and height that stand for its proportions, in the kit's pixels."""
    longest = 1024
    wide = figure.wide
    return (longest, max(1, round(longest / wide))) if wide >= 1 else (max(1, round(longest * wide)), longest)


def _stroke(figure: Figure, line: float) -> str:
    return f'stroke="{figure.outline_colour}" stroke-width="{line:g}"' if line else ""


def _box(x: float, y: float, width: float, height: float, look: str, corner: float = 0.0) -> str:
    return f'<rect x="{x:g}" y="{y:g}" width="{width:g}" height="{height:g}" rx="{corner:g}" {look}/>'


def _fill(figure: Figure, line: float) -> str:
    return f'fill="{figure.colour}" {_stroke(figure, line)}'


def _rectangle(figure: Figure, width: float, height: float, line: float) -> str:
    corner = figure.corner * _HIGH
    return _box(line / 2, line / 2, width - line, height - line, _fill(figure, line), max(corner - line / 2, 0))


def _ellipse(figure: Figure, width: float, height: float, line: float) -> str:
    return (f'<ellipse cx="{width / 2:g}" cy="{height / 2:g}" rx="{(width - line) / 2:g}" '
            f'ry="{(height - line) / 2:g}" {_fill(figure, line)}/>')  # fmt: skip


def _polygon(figure: Figure, width: float, height: float, line: float) -> str:
    angle = 2 * np.pi * np.arange(figure.count) / figure.count
    x, y = np.sin(angle), -np.cos(angle)
    # As large as the box allows, with room for the outline's corners.
    reach = line / 2 / np.cos(np.pi / figure.count)
    x = (x - x.min()) / (x.max() - x.min()) * (width - 2 * reach) + reach
    y = (y - y.min()) / (y.max() - y.min()) * (height - 2 * reach) + reach
    return _points(figure, list(zip(x.tolist(), y.tolist(), strict=True)), line)


def _arrow(figure: Figure, width: float, height: float, line: float) -> str:
    head = min(height * 0.75, width * 0.6)
    half = figure.thick * height / 2
    low, high, left, right = line, height - line, line / 2, width - line
    neck, middle = right - head, height / 2
    points = [(left, middle - half), (neck, middle - half), (neck, low), (right, middle), (neck, high),
              (neck, middle + half), (left, middle + half)]  # fmt: skip
    return _points(figure, points, line)


def _points(figure: Figure, points: list[tuple[float, float]], line: float) -> str:
    listed = " ".join(f"{x:g},{y:g}" for x, y in points)
    return f'<polygon points="{listed}" stroke-linejoin="round" {_fill(figure, line)}/>'


def _ground(figure: Figure, width: float, height: float) -> str:
    return "" if figure.second is None else _box(0, 0, width, height, f'fill="{figure.second}"')


def _bars(figure: Figure, width: float, height: float, line: float) -> str:
    """Leaning bars that meet themselves where the figure is repeated."""
    lean = height * np.tan(np.radians(figure.slant))
    step = width / figure.count
    more = int(np.ceil(abs(lean) / step)) + 1
    made = [_ground(figure, width, height)]
    for number in range(-more, figure.count + more):
        x = number * step
        bar = step * figure.thick
        listed = f"{x:g},{height:g} {x + bar:g},{height:g} {x + bar + lean:g},0 {x + lean:g},0"
        made.append(f'<polygon points="{listed}" fill="{figure.colour}"/>')
    return "".join(made)


def _checker(figure: Figure, width: float, height: float, line: float) -> str:
    """``count`` squares upwards, and an even number across, so that it can be repeated."""
    side = height / figure.count
    across = max(2, 2 * round(width / side / 2))
    wide = width / across
    made = [_ground(figure, width, height)]
    for row in range(figure.count):
        made += [_box(column * wide, row * side, wide, side, f'fill="{figure.colour}"')
                 for column in range(across) if (row + column) % 2 == 0]  # fmt: skip
    return "".join(made)


def _lines(figure: Figure, width: float, height: float, line: float) -> str:
    """Lines along it, the outermost at its edges."""
    count = figure.count
    thick = height * figure.thick / count
    gap = (height - thick * count) / max(count - 1, 1)
    return _ground(figure, width, height) + "".join(
        _box(0, number * (thick + gap), width, thick, f'fill="{figure.colour}"') for number in range(count)
    )


def _dashes(figure: Figure, width: float, height: float, line: float) -> str:
    step = width / figure.count
    long, corner = step * figure.thick, figure.corner * _HIGH
    return _ground(figure, width, height) + "".join(
        _box(number * step + (step - long) / 2, 0, long, height, f'fill="{figure.colour}"', min(corner, long / 2))
        for number in range(figure.count)
    )
