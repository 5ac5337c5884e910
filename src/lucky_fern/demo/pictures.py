"""The sample pictures: marks of two made-up firms, labels, patterns and a photographed sign."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from lucky_fern.core.arrays import F64, U8, U16
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.pictures.picture import read_picture

FERN, CREAM, RUST, INK, BRASS, RIVER = "#2f6b4f", "#f4ead2", "#c2512e", "#1d2b33", "#d9a441", "#2d6f8e"


def make_pictures(folder: Path) -> None:
    """Write every sample picture into ``folder``."""
    for name, text in _drawings().items():
        (folder / name).write_text(text, encoding="utf-8")
    _save(folder / "kettle-and-reed.png", _rendered(kettle_and_reed(), 1200))
    _save(folder / "leek-soup-label.png", _rendered(soup_label(), 1400))
    _save(folder / "canvas-weave.png", canvas_weave())
    planks, heights = deck_planks()
    _save(folder / "deck-planks.png", planks)
    Image.fromarray(heights).save(folder / "deck-planks-height.png")
    _save(folder / "grime.png", grime())
    _save(folder / "grime-mask.png", grime_mask())
    _save(folder / "sign-photograph.png", sign_photograph())
    _save(folder / "pixel-teapot.png", pixel_teapot())


def _drawings() -> dict[str, str]:
    return {
        "ferry-crest.svg": ferry_crest(),
        "hazard-bars.svg": hazard_bars(),
        "steam-warning.svg": steam_warning(),
        "name-marsh-hen.svg": name_plate("MARSH HEN", 960, 170),
        "fleet-number.svg": fleet_number("7"),
        "deck-stripe.svg": deck_stripe(),
        "solid-band.svg": _svg(512, 64, '<rect width="512" height="64" fill="#ffffff"/>'),
    }


def _svg(width: int, height: int, body: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
        f'width="{width}" height="{height}" viewBox="0 0 {width} {height}">{body}</svg>\n'
    )


_HEN = (
    "M -150 38 C -128 8 -84 -6 -44 -4 C -8 -2 12 -22 20 -56 C 26 -88 56 -102 84 -90 C 100 -84 108 -70 106 -56 "
    "L 138 -46 L 104 -38 C 100 -12 104 10 92 40 C 76 82 24 96 -36 90 C -88 86 -124 70 -150 38 Z"
)


def ferry_crest() -> str:
    """A moorhen on two waves in a ring of lettering."""
    ring = (
        '<path id="top" d="M 72 300 A 228 228 0 0 1 528 300" fill="none"/>'
        '<path id="low" d="M 40 300 A 260 260 0 0 0 560 300" fill="none"/>'
    )
    text = f'font-family="League Spartan" font-weight="800" fill="{CREAM}" text-anchor="middle"'
    waves = "".join(
        f'<path d="M 130 {y} q 42 -34 85 0 t 85 0 t 85 0 t 85 0" fill="none" stroke="{c}" stroke-width="17" '
        f'stroke-linecap="round"/>'
        for y, c in ((400, RIVER), (438, FERN))
    )
    return _svg(600, 600, (
        f'<defs>{ring}<clipPath id="inner"><circle cx="300" cy="300" r="186"/></clipPath></defs>'
        f'<circle cx="300" cy="300" r="292" fill="{FERN}"/>'
        f'<circle cx="300" cy="300" r="280" fill="none" stroke="{CREAM}" stroke-width="6"/>'
        f'<circle cx="300" cy="300" r="200" fill="{CREAM}"/>'
        f'<circle cx="300" cy="300" r="188" fill="none" stroke="{BRASS}" stroke-width="6"/>'
        f'<g clip-path="url(#inner)"><circle cx="395" cy="196" r="42" fill="{BRASS}"/>{waves}'
        f'<g transform="translate(296 318) scale(1.02)"><path d="{_HEN}" fill="{INK}"/>'
        f'<path d="M 104 -58 L 150 -46 L 103 -38 Z" fill="{BRASS}"/><path d="M 96 -84 Q 114 -76 108 -58 L 92 -60 Z" fill="{RUST}"/>'
        f'<circle cx="80" cy="-64" r="8" fill="{CREAM}"/>'
        f'<path d="M -96 34 C -60 16 -8 16 30 30 C 4 62 -58 66 -96 34 Z" fill="#34505c"/></g></g>'
        f'<text {text} font-size="62" letter-spacing="9"><textPath xlink:href="#top" startOffset="50%">OTTERWICK</textPath></text>'
        f'<text {text} font-size="47" letter-spacing="10"><textPath xlink:href="#low" startOffset="50%">FERRY COMPANY</textPath></text>'
        f'<circle cx="58" cy="322" r="9" fill="{BRASS}"/><circle cx="542" cy="322" r="9" fill="{BRASS}"/>'
    ))  # fmt: skip


def kettle_and_reed() -> str:
    """The soup kitchen's mark: a kettle between reeds over its name."""
    reeds = "".join(
        f'<g transform="translate({x} 0) rotate({a} 0 330)"><path d="M 0 330 Q {b} 210 0 {t + 40}" stroke="{FERN}" '
        f'stroke-width="11" fill="none" stroke-linecap="round"/><rect x="-15" y="{t - 56}" width="30" height="106" rx="15" fill="#7a4a2b"/>'
        f'<path d="M 4 330 Q {40 * side} 250 {52 * side} 190" stroke="#4c9168" stroke-width="13" fill="none" stroke-linecap="round"/></g>'
        for x, a, b, t, side in (
            (140, -12, -14, 120, -1),
            (196, -4, -8, 170, 1),
            (606, 5, 10, 165, -1),
            (662, 13, 14, 112, 1),
        )
    )
    steam = "".join(
        f'<path d="M {x} 78 q -26 -26 0 -50 t 0 -46" transform="translate(0 18)" stroke="{RUST}" stroke-width="13" fill="none" stroke-linecap="round"/>'
        for x in (362, 404, 446)
    )
    return _svg(800, 560, (
        f'{reeds}{steam}'
        f'<path d="M 282 180 Q 290 108 404 104 Q 518 108 526 180 Q 556 300 500 330 L 308 330 Q 252 300 282 180 Z" fill="{RUST}"/>'
        f'<path d="M 520 190 Q 590 180 604 128 L 640 138 Q 634 232 534 262 Z" fill="{RUST}"/>'
        f'<path d="M 276 186 Q 176 160 186 244 Q 194 296 276 290" fill="none" stroke="{RUST}" stroke-width="26"/>'
        f'<path d="M 290 172 H 518" stroke="{CREAM}" stroke-width="12"/><circle cx="404" cy="94" r="19" fill="{INK}"/>'
        f'<path d="M 330 252 q 18 -17 37 0 t 37 0 t 37 0 t 37 0" stroke="{CREAM}" stroke-width="11" fill="none" stroke-linecap="round"/>'
        f'<text x="400" y="472" font-family="Lobster Two" font-weight="700" font-size="148" text-anchor="middle" fill="{INK}">Kettle &amp; Reed</text>'
        f'<text x="400" y="538" font-family="League Spartan" font-weight="700" font-size="38" letter-spacing="11" text-anchor="middle" fill="{FERN}">NIGHT MARKET SOUPS</text>'
    ))  # fmt: skip


def soup_label() -> str:
    """A paper label with rounded corners."""
    line = "".join(f'<rect x="{70 + 92 * k}" y="470" width="60" height="10" fill="{RUST}"/>' for k in range(10))
    return _svg(1040, 560, (
        f'<rect x="6" y="6" width="1028" height="548" rx="56" fill="{CREAM}"/>'
        f'<rect x="30" y="30" width="980" height="500" rx="40" fill="none" stroke="{RUST}" stroke-width="9"/>{line}'
        f'<text x="520" y="214" font-family="Lobster Two" font-weight="700" font-size="170" text-anchor="middle" fill="{FERN}">Leek &amp; Sorrel</text>'
        f'<text x="520" y="320" font-family="League Spartan" font-weight="800" font-size="88" letter-spacing="14" text-anchor="middle" fill="{INK}">MARSH SOUP</text>'
        f'<text x="520" y="415" font-family="Inter" font-weight="600" font-size="38" text-anchor="middle" fill="{RUST}">Keeps warm till the last ferry · Ragoût à l’oseille</text>'
    ))  # fmt: skip


def hazard_bars() -> str:
    """Slanted bars, black on yellow."""
    bars = "".join(f'<path d="M {x} 120 l 60 -120 h 60 l -60 120 Z" fill="{INK}"/>' for x in range(-120, 960, 120))
    return _svg(960, 120, f'<rect width="960" height="120" fill="#f2c230"/>{bars}')


def steam_warning() -> str:
    """A triangle that warns of hot steam."""
    return _svg(420, 400, (
        '<path d="M 210 24 L 396 350 Q 404 376 376 376 L 44 376 Q 16 376 24 350 Z" fill="#f2c230" '
        f'stroke="{INK}" stroke-width="22" stroke-linejoin="round"/>'
        + "".join(f'<path d="M {x} 318 q -24 -32 0 -64 t 0 -64" transform="translate(4 12)" stroke="{INK}" stroke-width="22" fill="none" '
                  'stroke-linecap="round"/>' for x in (152, 206, 260))
    ))  # fmt: skip


def name_plate(text: str, width: int, height: int) -> str:
    """Cream lettering with a brass outline, on nothing."""
    return _svg(width, height, (
        f'<text x="{width / 2}" y="{height * 0.79}" font-family="League Spartan" font-weight="800" font-size="{height * 0.88}" letter-spacing="8" '
        f'text-anchor="middle" fill="{CREAM}" stroke="{BRASS}" stroke-width="5">{text}</text>'
    ))  # fmt: skip


def fleet_number(text: str) -> str:
    """A number in a ring."""
    return _svg(300, 300, (
        f'<circle cx="150" cy="150" r="136" fill="{CREAM}" stroke="{RUST}" stroke-width="22"/>'
        f'<text x="150" y="222" font-family="League Spartan" font-weight="800" font-size="216" text-anchor="middle" fill="{INK}">{text}</text>'
    ))  # fmt: skip


def deck_stripe() -> str:
    """Three stripes that repeat from left to right."""
    return _svg(
        512,
        96,
        (
            f'<rect y="0" width="512" height="52" fill="{RUST}"/><rect y="62" width="512" height="14" fill="{CREAM}"/>'
            f'<rect y="86" width="512" height="10" fill="{RUST}"/>'
        ),
    )


def _rendered(svg: str, width: int) -> U8:
    """An SVG as 8-bit RGBA of a width."""
    rgba = read_picture(svg.encode(), "drawing.svg").rgba.astype(np.float64)
    alpha = rgba[..., 3:] / 255
    linear = np.concatenate([decode_srgb(rgba[..., :3] / 255) * alpha, alpha], axis=2)
    size = (width, round(rgba.shape[0] * width / rgba.shape[1]))
    small = cv2.resize(linear, size, interpolation=cv2.INTER_AREA)
    colour = encode_srgb(small[..., :3] / np.maximum(small[..., 3:], 1e-6))
    return np.round(np.concatenate([colour, small[..., 3:]], axis=2) * 255).astype(np.uint8)


def _save(path: Path, pixels: U8) -> None:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", optimize=False)
    path.write_bytes(out.getvalue())


def canvas_weave(size: int = 512, threads: int = 64) -> U8:
    """A woven cloth that repeats: warp and weft with slightly uneven threads."""
    rng = np.random.default_rng(11)
    axis = np.arange(size) / size * threads
    x, y = np.meshgrid(axis, axis)
    over = (np.floor(x) + np.floor(y)) % 2 == 0
    across, along = np.where(over, x, y) % 1, np.where(over, y, x) % 1
    thread = np.where(over, rng.normal(0, 0.03, threads)[np.floor(x).astype(int)],
                      rng.normal(0, 0.03, threads)[np.floor(y).astype(int)])  # fmt: skip
    height = np.sqrt(np.clip(1 - (2 * across - 1) ** 2, 0, 1)) * (0.75 + 0.25 * np.sin(np.pi * along))
    fibre = cv2.GaussianBlur(rng.normal(0, 1, (size, size)), (0, 0), 1.2, borderType=cv2.BORDER_REFLECT_101)
    light = 0.62 + 0.33 * height + thread + 0.02 * fibre
    colour = np.clip(light[..., None] * np.array([0.93, 0.88, 0.77]), 0, 1)
    return np.asarray(np.round(colour * 255), np.uint8)


def _tiling_noise(seed: int, size: int, rough: float) -> F64:
    """Noise 0…1 that repeats, made of waves whose strength falls with their number to the power ``rough``."""
    rng = np.random.default_rng(seed)
    number = np.hypot(*np.meshgrid(np.fft.fftfreq(size) * size, np.fft.fftfreq(size) * size))
    number[0, 0] = np.inf
    waves = np.fft.fft2(rng.normal(0, 1, (size, size))) / number**rough
    noise = np.fft.ifft2(waves).real
    ranks = np.argsort(np.argsort(noise.ravel())).reshape(size, size)
    return np.asarray(ranks / (size * size - 1.0))


def deck_planks(size: int = 1024, planks: int = 8) -> tuple[U8, U16]:
    """Planks that repeat, their grain running from left to right: colours, and heights with 16 bits."""
    y, x = np.mgrid[0:size, 0:size] / size
    number = np.floor(y * planks).astype(int)
    across = (y * planks) % 1
    rng = np.random.default_rng(31)
    tone = rng.normal(0, 0.06, planks)[number]
    start = rng.random(planks)[number]
    butt = np.abs((x - start + 0.5) % 1 - 0.5) < 0.0022
    warped = _tiling_noise(3, size, 1.6)
    grain = np.sin((across * 9 + 2.4 * warped + number * 1.7) * 2 * np.pi) * 0.5 + 0.5
    fine = cv2.blur(_tiling_noise(5, size, 0.3), (61, 1), borderType=cv2.BORDER_REFLECT)
    gap = (np.minimum(across, 1 - across) < 0.018) | butt
    light = 0.62 + tone + 0.10 * grain + 0.5 * (fine - fine.mean()) - 0.42 * gap
    colour = np.clip(light[..., None] * np.array([0.98, 0.74, 0.50]), 0.02, 1)
    crown = 1 - (2 * across - 1) ** 8
    height = np.clip(0.5 + 0.10 * crown + 0.02 * grain + 0.06 * (fine - fine.mean()) - 0.34 * gap, 0, 1)
    height = cv2.GaussianBlur(height, (0, 0), 1.2)
    return np.asarray(np.round(colour * 255), np.uint8), np.asarray(np.round(height * 65535), np.uint16)


def grime(size: int = 512) -> U8:
    """Brown and grey blotches that repeat, to be multiplied."""
    blotch, hue = _tiling_noise(41, size, 1.35), _tiling_noise(43, size, 1.8)
    dark = np.clip((blotch - 0.35) * 1.7, 0, 1) ** 1.6
    brown, grey = np.array([0.55, 0.40, 0.28]), np.array([0.50, 0.49, 0.45])
    tint = hue[..., None] * brown + (1 - hue[..., None]) * grey
    colour = 1 - dark[..., None] * (1 - tint)
    return np.asarray(np.round(np.clip(colour, 0, 1) * 255), np.uint8)


def grime_mask(size: int = 512) -> U8:
    """Where dirt gathers: grey clouds."""
    cloud = np.clip((_tiling_noise(47, size, 1.5) - 0.25) * 1.5, 0, 1)
    return np.asarray(np.round(cloud * 255), np.uint8)[..., None].repeat(3, axis=2)


def sign_photograph(width: int = 1600, height: int = 1100) -> U8:
    """A landing-stage sign as somebody photographed it: aslant, unevenly lit, a little grainy."""
    rng = np.random.default_rng(23)
    face = _svg(1000, 640, (
        f'<rect width="1000" height="640" rx="30" fill="{RIVER}"/><rect x="28" y="28" width="944" height="584" rx="18" fill="none" '
        f'stroke="{CREAM}" stroke-width="12"/>'
        f'<text x="500" y="210" font-family="League Spartan" font-weight="800" font-size="150" text-anchor="middle" fill="{CREAM}">LANDING 4</text>'
        f'<text x="500" y="340" font-family="Lobster Two" font-weight="700" font-size="112" text-anchor="middle" fill="{BRASS}">to the night market</text>'
        f'<text x="500" y="470" font-family="Inter" font-weight="600" font-size="54" text-anchor="middle" fill="{CREAM}">every quarter of an hour</text>'
        f'<path d="M 250 540 h 470 m -60 -36 l 62 36 l -62 36" fill="none" stroke="{CREAM}" stroke-width="16" stroke-linecap="round"/>'
        + "".join(f'<circle cx="{x}" cy="{y}" r="13" fill="#9aa5a8"/>' for x in (58, 942) for y in (58, 582))
    ))  # fmt: skip
    sign = _rendered(face, 1000).astype(np.float64) / 255
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    planks = np.floor(x / 133)
    grain = cv2.GaussianBlur(rng.normal(0, 1, (height, width)), (0, 0), sigmaX=1.0, sigmaY=26)
    tone = 0.30 + 0.05 * np.sin(planks * 2.7) + 0.16 * grain - 0.18 * (np.abs((x % 133) - 66) > 63)
    wall = np.clip(tone[..., None] * np.array([1.0, 0.83, 0.62]), 0.02, 1)
    corners = np.array([[300, 210], [1330, 330], [1275, 905], [250, 860]], np.float32)
    whole = np.array([[0, 0], [1000, 0], [1000, 640], [0, 640]], np.float32)
    warped: F64 = cv2.warpPerspective(
        sign, cv2.getPerspectiveTransform(whole, corners), (width, height), flags=cv2.INTER_AREA
    )
    shadow = cv2.GaussianBlur(np.roll(warped[..., 3], (26, 20), axis=(0, 1)), (0, 0), 16)
    picture = wall * (1 - 0.55 * shadow[..., None])
    picture = picture * (1 - warped[..., 3:]) + warped[..., :3] * warped[..., 3:]
    lamp = 0.52 + 0.75 * np.exp(-(((x - 520) / 700) ** 2 + ((y - 260) / 520) ** 2))
    picture = picture * lamp[..., None] * np.array([1.04, 0.99, 0.9]) + rng.normal(0, 0.012, picture.shape)
    return np.asarray(np.round(np.clip(picture, 0, 1) * 255), np.uint8)


def pixel_teapot() -> U8:
    """An 8 × 6 mark in square pixels, for the kettle."""
    rows = ["...ww...", "..wwww.w", "w.wwwwww", "wwwwwww.", "..wwww..", ".bbbbbb."]
    ink = {
        ".": (0, 0, 0, 0),
        "r": (194, 81, 46, 255),
        "c": (217, 164, 65, 255),
        "w": (244, 234, 210, 255),
        "b": (29, 43, 51, 255),
    }
    return np.array([[ink[c] for c in row] for row in rows], np.uint8)
