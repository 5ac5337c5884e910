"""Palettes: kept colours, read from and written to plain text (one colour a line), or taken from a picture."""

from __future__ import annotations

import re

import numpy as np

from lucky_fern.core.colour import to_hex
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.preparing.reducing import found_colours
from lucky_fern.core.preparing.state import State
from lucky_fern.core.project.commands.kit import MOST_COLOURS
from lucky_fern.words import tr

_LINE = re.compile(r"#?([0-9a-fA-F]{6}|[0-9a-fA-F]{3})(\s.*)?\Z")
_REMARKS = (";", "//", "# ", "#!")


def read_palette(data: bytes, name: str) -> tuple[str, ...]:
    """The colours of a text file, ``#rrggbb``, each once, in their order.

    A line holds one colour (``#c03020``, ``c03020``, ``#c32``), and a name after it if one likes; empty lines and
    those that begin with ``;``, ``//`` or ``#`` and a blank say nothing.

    Raises
    ------
    PictureError
        With the number of the first line that is none of that.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise PictureError(
            tr("{name} is no text; a palette has a colour a line, like #c03020.", name=name)
        ) from error
    found: dict[str, None] = {}
    for number, line in enumerate(text.splitlines(), 1):
        line = line.strip()
        if not line or line == "#" or line.startswith(_REMARKS):
            continue
        match = _LINE.match(line)
        if match is None:
            raise PictureError(
                tr("{name}, line {number}: {line!r} is no colour; write it like #c03020.", name=name, number=number,
                   line=line[:40])
            )  # fmt: skip
        digits = match[1].lower()
        found["#" + (digits if len(digits) == 6 else "".join(2 * one for one in digits))] = None
        if len(found) > MOST_COLOURS:
            raise PictureError(tr("{name} has more than {most} colours.", name=name, most=MOST_COLOURS))
    if not found:
        raise PictureError(tr("{name} has no colours in it; a palette has one a line, like #c03020.", name=name))
    return tuple(found)


def palette_text(colours: tuple[str, ...]) -> bytes:
    """What :func:`read_palette` reads."""
    return "".join(f"{colour}\n" for colour in colours).encode()


def palette_of(picture: Picture, count: int) -> tuple[str, ...]:
    """Up to ``count`` colours that stand for all of a picture best, from dark to light."""
    colours = found_colours(State(picture.rgba, picture.taken), count)
    order = np.argsort(colours @ np.array([0.2126, 0.7152, 0.0722], np.float32), kind="stable")
    return tuple(to_hex((float(r), float(g), float(b))) for r, g, b in colours[order])
