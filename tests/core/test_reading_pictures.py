"""Every depth, profile, alpha and orientation in every format that has them is read to the same picture."""

from __future__ import annotations

import io
import struct
import zlib
from itertools import product

import imagecodecs
import numpy as np
import pytest
import tifffile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.picture import read_picture

GAMMA, D50 = 1.8, [0.3457, 0.3585, 1.0]
PRIMARIES = [0.60, 0.34, 1.0, 0.31, 0.56, 1.0, 0.17, 0.10, 1.0]  # inside those of sRGB
TO_SRGB = np.array([  # from XYZ under D50, by Bradford's adaptation (B. Lindbloom)
    [3.1338561, -1.6168667, -0.4906146], [-0.9787684, 1.9161415, 0.0334540], [0.0719453, -0.2289914, 1.4052427],
])  # fmt: skip
KINDS = [
    (form, depth, grey, profile, alpha, orientation)
    for form, depth, grey, profile, alpha, orientation in product(
        ("png", "tiff"), ("uint8", "uint16", "float32"), (False, True), (False, True),
        ("none", "straight", "premultiplied"), (1, 5, 6, 8),
    )
    if not (form == "png" and (depth == "float32" or alpha == "premultiplied"))
]  # fmt: skip


def encoded(linear: np.ndarray) -> np.ndarray:
    return np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)


def seen(values: np.ndarray, profile: bool, floats: bool) -> np.ndarray:
    """sRGB-encoded colours of stored values (…, 1 or 3) by the definition of the profile."""
    if not profile:
        return encoded(values) if floats else values
    if values.shape[-1] == 1:
        return encoded(values**GAMMA)
    corners = np.array(PRIMARIES).reshape(3, 3)[:, :2]
    columns = np.stack([corners[:, 0] / corners[:, 1], np.ones(3), (1 - corners.sum(1)) / corners[:, 1]])
    white = np.array([D50[0] / D50[1], 1.0, (1 - D50[0] - D50[1]) / D50[1]])
    to_xyz = columns * np.linalg.solve(columns, white)
    return encoded(np.clip(values**GAMMA @ to_xyz.T @ TO_SRGB.T, 0, 1))


def upright(values: np.ndarray, orientation: int) -> np.ndarray:
    """What a viewer does by EXIF 2.32, written as turns: 5 is mirrored about the diagonal, 6 turned clockwise."""
    return {1: values, 5: values.transpose(1, 0, 2), 6: np.rot90(values, -1), 8: np.rot90(values)}[orientation]


def icc(grey: bool) -> bytes:
    if grey:
        return imagecodecs.cms_profile("gray", whitepoint=D50, gamma=GAMMA)
    return imagecodecs.cms_profile("rgb", whitepoint=D50, primaries=PRIMARIES, gamma=GAMMA)


def png(stored: np.ndarray, profile: bytes | None, orientation: int) -> bytes:
    count = stored.shape[2]
    kind, deep = {1: 0, 2: 4, 3: 2, 4: 6}[count], stored.dtype == np.uint16
    rows, columns = stored.shape[:2]
    raw = b"".join(b"\0" + row.astype(stored.dtype.newbyteorder(">")).tobytes() for row in stored)

    def chunk(tag: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + tag + data + struct.pack(">I", zlib.crc32(tag + data))

    exif = Image.Exif()
    exif[0x0112] = orientation
    parts = [chunk(b"IHDR", struct.pack(">IIBBBBB", columns, rows, 16 if deep else 8, kind, 0, 0, 0))]
    if profile is not None:
        parts.append(chunk(b"iCCP", b"own\0\0" + zlib.compress(profile)))
    parts.append(chunk(b"eXIf", exif.tobytes().removeprefix(b"Exif\0\0")))
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        [*parts, chunk(b"IDAT", zlib.compress(raw)), chunk(b"IEND", b"")]
    )  # fmt: skip


def tiff(stored: np.ndarray, profile: bytes | None, orientation: int, alpha: str) -> bytes:
    out = io.BytesIO()
    extra = {"none": None, "straight": ["unassalpha"], "premultiplied": ["assocalpha"]}[alpha]
    tifffile.imwrite(
        out, stored if stored.shape[2] > 1 else stored[..., 0],
        photometric="rgb" if stored.shape[2] > 2 else "minisblack", planarconfig="contig" if stored.shape[2] > 1 else None,
        extrasamples=extra, iccprofile=profile, extratags=[(274, "H", 1, orientation, True)], metadata=None,
    )  # fmt: skip
    return out.getvalue()


@pytest.mark.parametrize(("form", "depth", "grey", "profile", "alpha", "orientation"), KINDS)
def test_what_is_read_is_what_the_file_means(
    form: str, depth: str, grey: bool, profile: bool, alpha: str, orientation: int
) -> None:
    rng = np.random.default_rng(5)
    colours = rng.uniform(0.2, 0.9, (5, 7, 1 if grey else 3))
    cover = rng.uniform(0.5, 1.0, (5, 7, 1))
    parts = [colours * cover if alpha == "premultiplied" else colours] + ([cover] if alpha != "none" else [])
    whole = np.concatenate(parts, axis=2)
    top = 1.0 if depth == "float32" else np.iinfo(depth).max
    stored = (whole if top == 1 else np.rint(whole * top)).astype(depth)
    icc_bytes = icc(grey) if profile else None
    data = png(stored, icc_bytes, orientation) if form == "png" else tiff(stored, icc_bytes, orientation, alpha)
    found = read_picture(data, f"one.{form}", "colour")
    assert found.has_alpha == (alpha != "none") and found.rgba.dtype == (np.uint8 if depth == "uint8" else np.uint16)
    got = found.rgba / np.iinfo(found.rgba.dtype).max
    want = upright(np.broadcast_to(seen(colours, profile, depth == "float32"), (5, 7, 3)), orientation)
    assert np.abs(got[..., :3] - want).max() < (0.012 if depth == "uint8" else 0.0006)
    if alpha != "none":
        assert np.abs(got[..., 3:] - upright(cover, orientation)).max() < (0.003 if depth == "uint8" else 2e-5)
    plain = read_picture(data, f"one.{form}", "data").rgba
    assert np.abs(plain[..., :3] / np.iinfo(plain.dtype).max - upright(
        np.broadcast_to(colours, (5, 7, 3)), orientation)).max() < (0.012 if depth == "uint8" else 6e-5)  # fmt: skip


def test_a_profile_that_is_srgb_leaves_every_number_as_it_is() -> None:
    from PIL import ImageCms

    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    for dtype in (np.uint8, np.uint16):
        stored = np.random.default_rng(3).integers(0, np.iinfo(dtype).max + 1, (9, 9, 4)).astype(dtype)
        assert np.array_equal(read_picture(png(stored, profile, 1), "one.png", "colour").rgba, stored)


def samples() -> list[tuple[str, bytes]]:
    rng = np.random.default_rng(1)
    frames = [Image.fromarray(rng.integers(0, 255, (20, 20, 3)).astype(np.uint8)).convert("P") for _ in range(3)]
    out = io.BytesIO()
    frames[0].save(out, "GIF", save_all=True, append_images=frames[1:])
    deep = rng.integers(0, 65536, (20, 20, 4)).astype(np.uint16)
    pages = io.BytesIO()
    tifffile.imwrite(pages, np.stack([deep[..., :3]] * 2), photometric="rgb", compression="zlib")
    flat = io.BytesIO()
    frames[0].convert("RGB").save(flat, "TIFF", compression="tiff_lzw")
    return [("a.gif", out.getvalue()), ("b.tif", pages.getvalue()), ("c.tif", flat.getvalue()),
            ("d.tif", tiff(deep, icc(False), 6, "premultiplied")), ("e.png", png(deep, icc(False), 6))]  # fmt: skip


SAMPLES = samples()


@settings(max_examples=400, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(
    st.integers(0, len(SAMPLES) - 1),
    st.lists(st.tuples(st.floats(0, 1), st.integers(0, 255)), max_size=6),
    st.floats(0.02, 1),
)
def test_damaged_files_are_refused_with_their_name_or_read(
    number: int, hits: list[tuple[float, int]], cut: float
) -> None:
    name, data = SAMPLES[number]
    spoilt = bytearray(data)
    for where, value in hits:
        spoilt[int(where**2 * (len(data) - 1))] = value
    try:
        read_picture(bytes(spoilt[: max(1, int(len(data) * cut))]), name)
    except PictureError as error:
        assert name in str(error)
