"""Drawings: SVG rendered with the fonts that ship, from nothing that lies outside of the file."""

from __future__ import annotations

import io
import re
from importlib import resources
from pathlib import PurePath
from typing import Any
from xml.etree import ElementTree
from xml.parsers import expat

import numpy as np
from PIL import Image

from lucky_fern.core.errors import PictureError
from lucky_fern.core.limits import DEEPEST_SVG, MOST_SMALL_FILE, MOST_STRETCHED
from lucky_fern.core.markup import check_markup
from lucky_fern.core.pictures.apart import render
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.planes import BROKEN, Picture
from lucky_fern.words import tr

SVG_LONGEST = 1024  # pixels, unless more are asked for


def is_drawing(name: str) -> bool:
    """Whether a picture is made of shapes, and so has no size of its own."""
    return PurePath(name).suffix.lower() == ".svg"


def tells_svg(data: bytes, name: str) -> bool:
    """Whether a file is an SVG."""
    start = data.lstrip()
    return is_drawing(name) or start[:4] == b"<svg" or (start[:5] == b"<?xml" and b"<svg" in data[:4096])


def read_svg(data: bytes, name: str, taken: Taken | None, longest: int) -> Picture:
    """An SVG, its longer side so many pixels; PictureError if it cannot be drawn."""
    notes: tuple[str, ...] = ()
    try:
        if len(data) > MOST_SMALL_FILE:
            raise ValueError(tr("it has {data:.0f} MB", data=len(data) / 1e6))
        check_markup(data, DEEPEST_SVG)
        text, left_out = _without_outside(data)
        if left_out:
            notes = (f"{left_out} picture(s) outside of it were left out; a drawing carries its pictures itself",)
        fonts = resources.files("lucky_fern") / "fonts"
        # Only the fonts that ship are used: the same file looks the same on every machine.
        options: dict[str, Any] = {"skip_system_fonts": True}
        if "<text" in text or ":text" in text:  # reading the fonts takes longer than most drawings do
            options |= {"font_dirs": [str(fonts)], "font_family": "Inter"}
        across, down = _svg_size(text)
        if max(across, down) > MOST_STRETCHED * min(across, down):
            raise ValueError(
                tr(
                    "it is {across:g} × {down:g}, more than {MOST_STRETCHED:g} times as long as wide",
                    across=across,
                    down=down,
                    MOST_STRETCHED=MOST_STRETCHED,
                )
            )
        zoom = longest / max(across, down)
        size = max(1, round(across * zoom)), max(1, round(down * zoom))
        # Its own size says nothing more: lengths in other units would ask for as many pixels as they like.
        sized = _with_size(text, *size)
        png = render({"svg_string": sized, "width": size[0], **options})
        pixels = np.array(Image.open(io.BytesIO(png)).convert("RGBA"))
    except (ElementTree.ParseError, expat.ExpatError, *BROKEN) as error:
        raise PictureError(
            tr("{name} is not a readable SVG ({error}); save it again as plain SVG.", name=name, error=error)
        ) from error
    return Picture(name, pixels, True, notes, taken or "colour")


def _without_outside(data: bytes) -> tuple[str, int]:
    """The text of a drawing without pictures that lie in other files, and how many those were."""
    root, found = ElementTree.fromstring(data), 0
    for element in root.iter():
        for key in [key for key in element.attrib if key.rpartition("}")[2] == "href"]:
            wanted = element.attrib[key].strip()
            if not wanted.startswith("#") and not re.match(r"data:image/(?!svg)", wanted, re.IGNORECASE):
                del element.attrib[key]
                found += element.tag.rpartition("}")[2] in ("image", "feImage", "use")
    if not found:
        try:
            return data.decode("utf-8"), 0
        except UnicodeDecodeError:
            pass
    return ElementTree.tostring(root, encoding="unicode"), found


_LENGTH = re.compile(r"\s*([0-9]*\.?[0-9]+(?:[eE][-+]?[0-9]+)?)(px|pt|pc|mm|cm|in|em|ex)?\s*\Z")
_PIXELS = {"pt": 4 / 3, "pc": 16.0, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0, "em": 16.0, "ex": 8.0}


def _svg_size(text: str) -> tuple[float, float]:
    """Natural proportions of an SVG: its width and height, else its viewBox, else a square."""
    root = ElementTree.fromstring(text)
    lengths = [_LENGTH.match(root.get(key, "")) for key in ("width", "height")]
    box = re.findall(r"[-+0-9.eE]+", root.get("viewBox", ""))
    if lengths[0] and lengths[1]:
        size = tuple(float(one[1]) * _PIXELS.get(one[2] or "px", 1.0) for one in lengths if one)
    elif len(box) == 4:
        size = float(box[2]), float(box[3])
    else:
        size = 100.0, 100.0
    if not all(0 < one < 1e9 for one in size):
        raise ValueError(tr("it has no size"))
    return size[0], size[1]


def _with_size(text: str, width: int, height: int) -> str:
    """A drawing with its own size replaced; what it shows is that of its viewBox, or of the size it had."""
    root = ElementTree.fromstring(text)
    lengths = [root.get(key, "") for key in ("width", "height")]
    plain = [re.fullmatch(r"\s*[0-9]*\.?[0-9]+(?:px)?\s*", one) for one in lengths]
    if all(plain) or not any(lengths):
        return text
    start = re.search(r"<([A-Za-z0-9_.]+:)?svg\b[^>]*>", text)
    if start is None:
        return text
    across, down = _svg_size(text)
    tag = re.sub(r"""\s(width|height)\s*=\s*("[^"]*"|'[^']*')""", "", start[0])
    more = "" if root.get("viewBox") else f' viewBox="0 0 {across:g} {down:g}"'
    closing = "/>" if tag.endswith("/>") else ">"
    tag = tag[: -len(closing)] + f' width="{width}" height="{height}"{more}{closing}'
    return text[: start.start()] + tag + text[start.end() :]
