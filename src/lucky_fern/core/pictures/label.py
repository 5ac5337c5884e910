"""Live text as a picture: what a label says and looks like, and drawing it.

Letters are shaped by Raqm, so that scripts that run from right to left and accents come out right.
"""

from __future__ import annotations

import io
from functools import lru_cache
from importlib import resources
from typing import Any, Literal

import cv2
import msgspec
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from lucky_fern.core.arrays import U8
from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.fonts import SHIPPED
from lucky_fern.words import tr

EM = 256  # pixels; the height of the letters' em as they are drawn
LONGEST = 400  # characters
_WIDEST = 16384  # pixels


class Label(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a label says and looks like. Lengths in em (the font's size).

    ``arc`` bends the line by so many degrees, upwards if above 0. A ``plate`` lies under the text, with a ``border``
    of the text's colour; ``plate_space`` is left round the text. ``second`` fills letters from ``split`` of their
    height downwards; ``fade`` runs from one colour into the other instead.
    """

    text: str = "Text"
    font: str = "Inter Bold"
    colour: str = "#ffffff"
    tracking: float = 0.0
    line_spacing: float = 1.15
    align: Literal["left", "center", "right"] = "center"
    outline: float = 0.0
    outline_colour: str = "#000000"
    arc: float = 0.0
    plate: str | None = None
    plate_space: float = 0.35
    border: float = 0.0
    corner: float = 0.15
    second: str | None = None
    split: float = 0.5
    fade: bool = False


def check_label(label: Label) -> None:
    """Refuse labels that cannot be drawn.

    Raises
    ------
    PictureError
        With a sentence that names the key.
    """
    if not label.text.strip():
        raise PictureError(tr("a label needs some text"))
    if len(label.text) > LONGEST:
        raise PictureError(
            tr("a label holds up to {LONGEST} characters, not {words}", LONGEST=LONGEST, words=len(label.text))
        )
    for name in ("colour", "outline_colour", "plate", "second"):
        value = getattr(label, name)
        if value is not None and not is_hex(value):
            raise PictureError(tr("{name} {value!r} is not a colour: write it as #rrggbb", name=name, value=value))
    for name, low, high in (("tracking", -0.5, 5), ("line_spacing", 0.5, 5), ("outline", 0, 0.5), ("arc", -350, 350),
                            ("plate_space", 0, 4), ("border", 0, 1), ("corner", 0, 4), ("split", 0, 1)):  # fmt: skip
        if not low <= getattr(label, name) <= high:
            raise PictureError(
                tr(
                    "{name} runs from {low:g} to {high:g}, not {getattr:g}",
                    name=name,
                    low=low,
                    high=high,
                    getattr=getattr(label, name),
                )
            )
    _font(label.font)


@lru_cache(maxsize=32)
def _font(name: str) -> Any:
    """A shipped font by its name, or one of this computer by its file."""
    if name in SHIPPED:
        data = (resources.files("lucky_fern") / "fonts" / SHIPPED[name]).read_bytes()
        return ImageFont.truetype(io.BytesIO(data), EM, layout_engine=ImageFont.Layout.RAQM)
    try:
        return ImageFont.truetype(name, EM, layout_engine=ImageFont.Layout.RAQM)
    except OSError:
        raise PictureError(
            tr(
                "there is no font {name!r}; there are {SHIPPED}, or the path of a font file",
                name=name,
                SHIPPED=", ".join(SHIPPED),
            )
        ) from None


def draw_label(label: Label) -> U8:
    """(rows, columns, 4) uint8 straight sRGB and alpha.

    Raises
    ------
    PictureError
        If it cannot be drawn; see :func:`check_label`.
    """
    check_label(label)
    text = _lines(label)
    if label.arc:
        text = _bent(text, label.arc)
    text = _trimmed(text)
    return text if label.plate is None and label.border == 0 else _on_plate(text, label)


def label_png(label: Label) -> bytes:
    """A label as the PNG that the kit keeps."""
    out = io.BytesIO()
    Image.fromarray(draw_label(label)).save(out, "PNG", compress_level=3)
    return out.getvalue()


def _lines(label: Label) -> U8:
    """The text in its lines, with air all round."""
    font = _font(label.font)
    lines = label.text.split("\n")
    stroke = round(label.outline * EM)
    widths = [_width(font, line, label.tracking) for line in lines]
    air = EM // 2 + stroke
    step = round(label.line_spacing * EM)
    width, height = int(max(widths)) + 2 * air, step * (len(lines) - 1) + 2 * EM + 2 * air
    if width > _WIDEST or height > _WIDEST:
        raise PictureError(tr("that text is too long for one label; write it on several lines, or as several labels"))
    # The canvas has the colour of what is drawn, so that no edge takes from another.
    under = label.outline_colour if stroke else label.colour
    canvas = Image.new("RGBA", (width, height), (*_rgb(under), 0))
    ink = ImageDraw.Draw(canvas)
    for number, (line, wide) in enumerate(zip(lines, widths, strict=True)):
        left = {"left": air, "center": (width - wide) / 2, "right": width - air - wide}[label.align]
        y = air + EM + number * step
        for layer in ("outline", "fill") if stroke else ("fill",):
            options: dict[str, Any] = {"anchor": "ls", "font": font}
            colour = (*_rgb(label.outline_colour if layer == "outline" else label.colour), 255)
            options |= {"fill": colour, "stroke_width": stroke if layer == "outline" else 0, "stroke_fill": colour}
            x = left
            for piece in [line] if not label.tracking else list(line):
                ink.text((x, y), piece, **options)
                x += font.getlength(piece) + label.tracking * EM
    pixels = np.array(canvas)
    if label.second is not None:
        tops = [air + number * step for number in range(len(lines))]
        _two_coloured(pixels, label, font, tops)
    return pixels


def _two_coloured(pixels: U8, label: Label, font: Any, tops: list[int]) -> None:
    """Give the letters of each line (its em begins at one of ``tops``) their second colour, lower down."""
    assert label.second is not None
    first, second = np.array(_rgb(label.colour), np.float64), np.array(_rgb(label.second), np.float64)
    # Letters run from the top of a capital to the base line.
    capital = -int(font.getbbox("H", anchor="ls")[1])
    share = np.zeros(len(pixels))
    rows = np.arange(len(pixels)) + 0.5
    for top in tops:
        line = (rows >= top - EM // 2) & (rows < top + 2 * EM)
        share[line] = (rows[line] - (top + EM - capital)) / capital
    wanted = np.clip(share, 0, 1) if label.fade else np.clip((share - label.split) * capital + 0.5, 0, 1)
    if label.outline:
        # What lies between outline and fill keeps its share of both.
        edge = np.array(_rgb(label.outline_colour), np.float64)
        span = first - edge
        axis = int(np.abs(span).argmax())
        fill = (
            np.clip((pixels[..., axis] - edge[axis]) / span[axis], 0, 1) if span[axis] else np.ones(pixels.shape[:2])
        )
    else:
        fill = np.ones(pixels.shape[:2])
    shift = wanted[:, None, None] * (second - first) * fill[..., None]
    pixels[..., :3] = np.clip(np.rint(pixels[..., :3] + shift), 0, 255)


def _width(font: Any, line: str, tracking: float) -> float:
    if not tracking:
        return float(font.getlength(line))
    return float(sum(font.getlength(piece) + tracking * EM for piece in line)) - tracking * EM


def _rgb(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def _trimmed(pixels: U8) -> U8:
    """Without the empty rim; two pixels of it are left, for soft edges."""
    rows, columns = np.flatnonzero(pixels[..., 3].any(axis=1)), np.flatnonzero(pixels[..., 3].any(axis=0))
    if not len(rows):
        raise PictureError(tr("none of those letters can be seen; the font may lack them"))
    top, left = max(rows[0] - 2, 0), max(columns[0] - 2, 0)
    return np.ascontiguousarray(pixels[top : rows[-1] + 3, left : columns[-1] + 3])


def _bent(pixels: U8, degrees: float) -> U8:
    """The line bent round a circle; the middle of its letters keeps its length."""
    pixels = _trimmed(pixels)
    height, width = pixels.shape[:2]
    angle = np.radians(abs(degrees))
    radius = width / angle
    if radius <= height / 2:
        raise PictureError(tr("that arc is too tight for these letters; take fewer degrees or longer text"))
    outer = radius + height / 2
    half = min(angle / 2, np.pi)
    across = outer * (np.sin(half) if half < np.pi / 2 else 1.0)
    down = outer - (radius - height / 2) * np.cos(half) if half <= np.pi / 2 else outer - outer * np.cos(half)
    y, x = np.mgrid[0 : int(np.ceil(down)) + 4, 0 : int(np.ceil(2 * across)) + 4].astype(np.float64)
    x, y = x - across - 2, outer + 2 - y
    if degrees < 0:
        y = y[::-1]
    around, out = np.arctan2(x, y), np.hypot(x, y)
    source_x = around * radius + width / 2
    source_y = outer - out if degrees > 0 else out - (radius - height / 2)
    # Premultiplied, or the rim would take up the colour of nothing.
    light = pixels.astype(np.float32)
    light[..., :3] *= light[..., 3:] / 255
    bent = cv2.remap(light, source_x.astype(np.float32), source_y.astype(np.float32), cv2.INTER_LINEAR,
                     borderMode=cv2.BORDER_CONSTANT, borderValue=(0, 0, 0, 0))  # fmt: skip
    bent[..., :3] /= np.maximum(bent[..., 3:], 1e-3) / 255
    return np.asarray(np.clip(bent + 0.5, 0, 255), np.uint8)


def _on_plate(text: U8, label: Label) -> U8:
    """The text on a plate with round corners, or in a frame alone."""
    space, border = round(label.plate_space * EM), round(label.border * EM)
    rows, columns = text.shape[0] + 2 * (space + border), text.shape[1] + 2 * (space + border)
    if columns > _WIDEST or rows > _WIDEST:
        raise PictureError(tr("that plate is too large; take less space or shorter text"))
    base = _rgb(label.plate if label.plate is not None else label.colour)
    # Twice as large at first, for smooth corners.
    plate = Image.new("RGBA", (2 * columns, 2 * rows), (*base, 0))
    ink = ImageDraw.Draw(plate)
    fill = (*_rgb(label.plate), 255) if label.plate is not None else None
    edge = (*_rgb(label.colour), 255) if border else None
    radius = min(round(label.corner * EM), min(rows, columns) // 2)
    ink.rounded_rectangle((0, 0, 2 * columns - 1, 2 * rows - 1), 2 * radius, fill, edge, 2 * border)
    plate = plate.reduce(2)
    over = Image.new("RGBA", plate.size, (*_rgb(label.colour), 0))
    over.paste(Image.fromarray(text), (space + border, space + border))
    if label.plate is not None:
        return np.array(Image.alpha_composite(plate, over))
    return np.asarray(np.maximum(np.array(plate), np.array(over)), np.uint8)
