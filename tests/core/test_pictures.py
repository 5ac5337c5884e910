"""Pictures of every kind come in right, and are filtered by area and as light."""

from __future__ import annotations

import io
import os
import re
import signal
import threading
import time
import zlib
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
import tifffile
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.apart import Helper, render
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.pictures.pyramid import build_pyramid


def encoded(image: Image.Image, kind: str, **options: object) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **options)
    return out.getvalue()


def test_srgb_follows_its_standard() -> None:
    assert decode_srgb(np.array([0.0, 0.04045, 0.5, 1.0])) == pytest.approx([0, 0.0031308, 0.2140411, 1], abs=1e-6)
    values = np.linspace(0, 1, 65536)
    assert np.abs(encode_srgb(decode_srgb(values)) - values).max() < 1e-7


def test_grey_alpha_palette_cmyk_and_turned_photographs() -> None:
    grey = read_picture(encoded(Image.new("LA", (3, 2), (90, 40)), "PNG"), "a.png")
    assert grey.rgba[0, 0].tolist() == [90, 90, 90, 40] and grey.has_alpha
    palette = Image.new("P", (2, 2), 1)
    palette.putpalette([0, 0, 0, 200, 30, 10])
    assert read_picture(encoded(palette, "PNG", transparency=0), "b.png").rgba[0, 0].tolist() == [200, 30, 10, 255]
    cmyk = read_picture(encoded(Image.new("CMYK", (8, 8), (0, 255, 255, 0)), "JPEG"), "c.jpg")
    assert cmyk.rgba[0, 0, 0] > 200 and cmyk.rgba[0, 0, 1] < 60 and any("CMYK" in note for note in cmyk.notes)
    exif = Image.Exif()
    exif[0x0112] = 6
    turned = read_picture(encoded(Image.new("RGB", (10, 4)), "JPEG", exif=exif), "d.jpg")
    assert (turned.width, turned.height) == (4, 10) and turned.notes


def test_sixteen_bits_stay_sixteen_bits() -> None:
    ramp = np.linspace(0, 65535, 256 * 256).astype(np.uint16).reshape(256, 256)
    done, data = cv2.imencode(".png", ramp)
    assert done
    assert (read_picture(bytes(data), "ramp.png").rgba[..., 1] == ramp).all()
    colour = np.stack([ramp, ramp[::-1], ramp.T], axis=-1)
    done, data = cv2.imencode(".png", np.ascontiguousarray(colour[..., ::-1]))
    assert (read_picture(bytes(data), "rgb.png").rgba[..., :3] == colour).all()
    out = io.BytesIO()
    tifffile.imwrite(out, colour)
    assert (read_picture(out.getvalue(), "rgb.tif").rgba[..., :3] == colour).all()


def test_a_long_picture_is_read_and_too_large_a_one_refused() -> None:
    assert read_picture(encoded(Image.new("L", (30000, 3), 7), "PNG"), "long.png").width == 30000
    header = b"IHDR" + (60000).to_bytes(4, "big") * 2 + bytes([8, 2, 0, 0, 0])
    bomb = b"\x89PNG\r\n\x1a\n" + (13).to_bytes(4, "big") + header + zlib.crc32(header).to_bytes(4, "big")
    empty = b"IDAT"
    bomb += (0).to_bytes(4, "big") + empty + zlib.crc32(empty).to_bytes(4, "big")
    with pytest.raises(PictureError, match=r"bomb\.png is 60000 × 60000"):
        read_picture(bomb, "bomb.png")


@pytest.mark.parametrize("data", [b"", b"hello", b"\x89PNG\r\n\x1a\n123", b"<svg", b"II*\0rest"])
def test_what_is_no_picture_gives_a_sentence_with_its_name(data: bytes) -> None:
    with pytest.raises(PictureError, match="odd"):
        read_picture(data, "odd.svg" if data == b"<svg" else "odd.png")


def test_a_truncated_png_gives_a_sentence() -> None:
    noise = np.random.default_rng(0).integers(0, 255, (64, 64, 3), dtype=np.uint8)
    data = encoded(Image.fromarray(noise), "PNG")
    with pytest.raises(PictureError, match=r"cut\.png"):
        read_picture(data[: len(data) // 2], "cut.png")


def test_svg_uses_only_shipped_fonts_and_keeps_proportions(tmp_path: Path) -> None:
    text = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20"><rect width="20" height="20" fill="#c2512e"/></svg>'
    picture = read_picture(text.encode(), "half.svg")
    assert picture.width == 2 * picture.height
    assert picture.rgba[5, 5].tolist() == [0xC2, 0x51, 0x2E, 255] and picture.rgba[5, -5, 3] == 0


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 1000), st.integers(1, 6), st.integers(1, 6))
def test_a_pyramid_keeps_the_mean_of_light(seed: int, across: int, down: int) -> None:
    rgba = np.random.default_rng(seed).integers(0, 256, (2**down, 2**across, 4), dtype=np.uint8)
    pyramid = build_pyramid(Picture("noise", rgba, True), "colour")
    light = decode_srgb(rgba[..., :3] / 255) * (rgba[..., 3:] / 255)
    assert np.allclose(pyramid.level(0)[..., :3], light, atol=1e-6)
    for level in range(len(pyramid.width)):
        assert np.allclose(pyramid.level(level)[..., :3].mean((0, 1)), light.mean((0, 1)), atol=1e-5)


@pytest.fixture
def helper() -> Iterator[Helper]:
    made = Helper()
    made.begin()
    yield made
    made.end()


def test_drawings_rendered_in_another_process_are_the_same_and_it_may_end_at_any_time(helper: Helper) -> None:
    text = '<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20"><circle r="9" fill="#c2512e"/></svg>'
    here = render({"svg_string": text, "width": 40})
    assert helper.render({"svg_string": text, "width": 40}) == here
    with pytest.raises(ValueError, match=re.escape(_refusal("<svg"))):
        helper.render({"svg_string": "<svg", "width": 40})
    first = helper.pid
    assert first is not None
    os.kill(first, signal.SIGKILL)
    assert helper.render({"svg_string": text, "width": 40}) == here
    assert helper.render({"svg_string": text, "width": 40}) == here and helper.pid not in (None, first)
    os.kill(helper.pid, signal.SIGSEGV)
    time.sleep(0.05)
    assert helper.render({"svg_string": text, "width": 40}) == here  # it ended before this drawing


def test_a_drawing_at_which_the_renderer_falls_over_is_refused(helper: Helper) -> None:
    helper.render({"svg_string": '<svg xmlns="http://www.w3.org/2000/svg" width="4" height="4"/>', "width": 4})
    assert helper.pid is not None
    os.kill(helper.pid, signal.SIGSTOP)  # it holds still while it is at work
    timer = threading.Timer(1.0, os.kill, (helper.pid, signal.SIGSEGV))
    timer.start()
    threading.Timer(1.1, os.kill, (helper.pid, signal.SIGCONT)).start()
    with pytest.raises(ValueError, match="falls over"):
        helper.render({"svg_string": "<svg/>", "width": 40})


def _refusal(text: str) -> str:
    with pytest.raises(ValueError) as found:
        render({"svg_string": text, "width": 40})
    return str(found.value)
