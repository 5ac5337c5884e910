"""A stand-in for another paint program: it opens a picture, paints a rectangle on it, and saves it in its place.

``python -m lucky_fern.demo.other_program FILE LEFT UPPER RIGHT LOWER [#rrggbb]``. OpenRaster, PNG or TIFF; of
OpenRaster a layer of its own comes on top, called as nobody would expect.
"""

from __future__ import annotations

import io
import os
import sys
import zipfile
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from PIL import Image

from lucky_fern.core.colour import from_hex

Box = tuple[int, int, int, int]


def paint_on(path: Path, box: Box, colour: str = "#d4572f") -> None:
    """Paint a rectangle (left, upper, right, lower) and save: first beside, then in the file's place."""
    paint = tuple(round(255 * part) for part in from_hex(colour))
    data = _archive(path, box, paint) if path.suffix.lower() == ".ora" else _plain(path, box, paint)
    beside = path.with_name(path.name + ".part")
    beside.write_bytes(data)
    os.replace(beside, path)


def _plain(path: Path, box: Box, paint: tuple[int, ...]) -> bytes:
    with Image.open(path) as image:
        image.load()
        kind = image.format
    image.paste(paint if image.mode == "RGB" else sum(paint) // 3, box)
    out = io.BytesIO()
    image.save(out, kind)
    return out.getvalue()


def _archive(path: Path, box: Box, paint: tuple[int, ...]) -> bytes:
    with zipfile.ZipFile(path) as archive:
        held = {name: archive.read(name) for name in archive.namelist()}
    root = ElementTree.fromstring(held["stack.xml"])
    stack = root.find("stack")
    assert stack is not None
    source = f"data/own {len(held)}.png"
    stack.insert(0, ElementTree.Element("layer", {"name": "Ebene ∞ <1>", "src": source, "x": str(box[0]),
                                                  "y": str(box[1]), "composite-op": "svg:src-over"}))  # fmt: skip
    held["stack.xml"] = ElementTree.tostring(root, encoding="utf-8", xml_declaration=True)
    own = np.full((box[3] - box[1], box[2] - box[0], 4), (*paint, 255), np.uint8)
    held[source] = _png(Image.fromarray(own))
    merged = Image.open(io.BytesIO(held["mergedimage.png"]))
    merged.paste((*paint, 255), box)
    held["mergedimage.png"] = _png(merged)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in held.items():
            archive.writestr(name, data, zipfile.ZIP_STORED if name == "mimetype" else zipfile.ZIP_DEFLATED)
    return out.getvalue()


def _png(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


if __name__ == "__main__":
    file, *numbers = sys.argv[1:6]
    left, upper, right, lower = map(int, numbers)
    paint_on(Path(file), (left, upper, right, lower), *sys.argv[6:7])
