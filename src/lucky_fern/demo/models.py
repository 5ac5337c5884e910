"""The sample models: soup flask, tea kettle and the ferry Marsh Hen."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lucky_fern.core.arrays import F64
from lucky_fern.demo.shapes import Rect, Shape, arc


def soup_flask(path: Path) -> None:
    """A stubby insulated flask with a cup for a lid and a carrying strap: one sheet."""
    shape = Shape()
    per_metre = 2.86  # UV units a metre, the same on every island
    body = [(0.0425, 0.006), *arc((0.0425, 0.009), 0.003, -80, 0, 3), (0.0455, 0.142),
            *arc((0.0375, 0.142), 0.008, 8, 70, 6), (0.0372, 0.1525)]  # fmt: skip
    width, tall = 2 * np.pi * 0.0455 * per_metre, _length(body) * per_metre
    shape.lathe("body", body, (0.02, 0.98 - tall, 0.02 + width, 0.98))
    foot = [(0.039, 0.0), (0.0425, 0.0015), (0.0425, 0.006)]
    shape.lathe("foot", foot, (0.02, 0.515, 0.02 + width, 0.515 + 0.02))
    lid = [(0.0372, 0.1525), (0.0405, 0.1535), (0.041, 0.156), (0.0402, 0.1585), (0.041, 0.161),
           (0.0402, 0.1635), (0.041, 0.166), (0.0405, 0.196), *arc((0.0355, 0.197), 0.005, 0, 82, 5)]  # fmt: skip
    lid_tall = _length(lid) * per_metre
    shape.lathe("lid", lid, (0.02, 0.49 - lid_tall, 0.02 + 2 * np.pi * 0.041 * per_metre, 0.49))
    x, _, z = np.eye(3)
    top = lid[-1]
    shape.disc("lid", np.array([0, top[1], 0]), x, -z, top[0], (0.15, 0.15), top[0] * per_metre, 96)
    shape.disc("foot", np.zeros(3), x, z, 0.039, (0.42, 0.15), 0.039 * per_metre, 96)
    _strap(shape, per_metre)
    shape.write(path, "flask")


def _length(profile: list[tuple[float, float]]) -> float:
    return float(np.linalg.norm(np.diff(np.array(profile), axis=0), axis=1).sum())


def _strap(shape: Shape, per_metre: float) -> None:
    """A flat band from the shoulder to the foot on the right side, with a steel ring at each end."""
    along = np.linspace(0, 1, 49)
    angle = np.radians(100 - 200 * along)
    middle = np.stack(
        [0.047 + 0.034 * np.cos(angle) ** 1, 0.082 + 0.052 * np.sin(angle), np.zeros_like(angle)], axis=1
    )
    ahead = np.gradient(middle, axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    out = np.stack([-ahead[:, 1], ahead[:, 0], np.zeros(len(along))], axis=1)
    wide = np.array([0, 0, 0.009])
    thick = 0.0011 * out
    length = float(np.linalg.norm(np.diff(middle, axis=0), axis=1).sum()) * per_metre
    w, edge = 0.018 * per_metre, 0.0022 * per_metre
    left, bottom = 0.865, 0.03
    v = bottom + length * along
    bands = [
        (middle + thick - wide, middle + thick + wide, left, w),
        (middle - thick + wide, middle - thick - wide, left + w + 0.012, w),
        (middle + thick + wide, middle - thick + wide, left + 0.02, edge),
        (middle - thick - wide, middle + thick - wide, left + 0.05, edge),
    ]
    for number, (a, b, u, across) in enumerate(bands):
        shift = 0.0 if number < 2 else length + 0.02
        uv = np.stack(
            [
                np.stack([np.full_like(v, u), v + shift], 1),
                np.stack([np.full_like(v, u + across), v + shift], 1),
            ],
            1,
        )
        if number >= 2:
            uv[..., 1] = bottom + shift + (uv[..., 1] - bottom - shift) * 0.9
        shape.grid("strap", np.stack([a, b], axis=1), uv)
    for height, place in ((0.134, 0.63), (0.030, 0.63)):
        ring = np.linspace(0, 2 * np.pi, 33)[:-1]
        centre = np.array([0.0445, height, 0])
        path = centre + 0.0045 * np.stack([np.cos(ring), np.sin(ring) * 0.6, np.zeros_like(ring)], 1) + [0.002, 0, 0]
        v0 = 0.05 if height > 0.1 else 0.12
        shape.tube("rings", path, 0.0011, (place, v0, place + 0.0045 * 6.28 * per_metre, v0 + 0.02), 10, closed=True)


Whole = tuple[int, int, int]
# Part, lowest corner and size in blocks of 1/16, and the lower left texel of its unfolded cross.
KETTLE: tuple[tuple[str, Whole, Whole, tuple[int, int]], ...] = (
    ("body", (-6, 0, -6), (12, 9, 12), (0, 0)), ("shoulder", (-4, 9, -4), (8, 2, 8), (0, 22)),
    ("lid", (-3, 11, -3), (6, 1, 6), (33, 22)), ("knob", (-1, 12, -1), (2, 2, 2), (49, 0)),
    ("spout", (6, 3, -1), (3, 2, 2), (0, 34)), ("spout", (9, 3, -1), (2, 5, 2), (12, 34)),
    ("spout", (10, 8, -1), (3, 1, 2), (22, 34)), ("handle", (-11, 8, -1), (5, 2, 2), (34, 34)),
    ("handle", (-12, 2, -1), (2, 8, 2), (50, 34)), ("handle", (-10, 2, -1), (4, 2, 2), (0, 44)),
)  # fmt: skip


def cross(size: Whole, at: tuple[int, int]) -> dict[str, tuple[int, int, int, int]]:
    """Where the sides of a block lie in its unfolded cross: left, low, width and height in texels."""
    (w, h, d), (x, y) = size, at
    return {
        "left": (x, y, d, h), "front": (x + d, y, w, h), "right": (x + d + w, y, d, h),
        "back": (x + 2 * d + w, y, w, h), "top": (x + d, y + h, w, d), "bottom": (x + d + w, y + h, w, d),
    }  # fmt: skip


def tea_kettle(path: Path) -> None:
    """A blocky kettle for a 64-texel sheet: every face is a whole number of texels, 16 to the block."""
    shape = Shape()
    unit, texel = 1 / 16, 1 / 64

    def block(part: str, low: tuple[int, int, int], size: tuple[int, int, int], at: tuple[int, int]) -> None:
        """Lay a box's six faces out as an unfolded cross whose lower left texel is ``at``."""
        places = cross(size, at)
        rects: dict[str, Rect] = {
            side: (a * texel, b * texel, (a + c) * texel, (b + e) * texel) for side, (a, b, c, e) in places.items()
        }
        start = np.array(low) * unit
        shape.box(part, start.tolist(), (start + np.array(size) * unit).tolist(), rects)

    for part, low, size, at in KETTLE:
        block(part, low, size, at)
    shape.write(path, "kettle", crease_deg=1.0)


# --- the ferry ----------------------------------------------------------------------------------------

LENGTH, BEAM = 9.0, 3.2  # metres; the bow points along +X, port is −Z
_HULL = 0.1  # UV units a metre on the hull's tile


def marsh_hen(path: Path) -> None:
    """The ferry: hull on tile 1001, deckhouse 1002, fittings 1003, canopy cloth 1011."""
    shape = Shape()
    _hull(shape)
    _deckhouse(shape)
    _fittings(shape)
    _canopy(shape)
    shape.write(path, "ferry", crease_deg=32.0)


def _sheer(t: F64) -> F64:
    """Height of the deck's edge: lowest amidships, rising to a proud bow."""
    return 1.15 + 0.28 * (2 * t - 0.8) ** 2 * np.where(t > 0.4, 1.7, 0.6)


def _half_beam(t: F64) -> F64:
    """Half the beam at the deck: full stern, stubby curved bow."""
    bow = np.clip((t - 0.55) / 0.45, 0, 1)
    stern = np.clip((0.2 - t) / 0.2, 0, 1)
    return BEAM / 2 * np.sqrt(np.clip(1 - bow**2.4, 0, 1)) * (1 - 0.10 * stern**2)


def _section(t: F64, s: F64) -> F64:
    """Points of the starboard side: t along the length (0 stern … 1 bow), s from keel (0) to deck (1)."""
    flare = np.clip((t - 0.6) / 0.4, 0, 1)
    beam = _half_beam(t) * (0.55 * np.sin(s * np.pi / 2) ** 0.7 + 0.45 * s ** (0.6 + 0.9 * flare))
    rise = 0.45 * np.clip((t - 0.72) / 0.28, 0, 1) ** 2 + 0.18 * np.clip((0.15 - t) / 0.15, 0, 1)
    y = rise + (_sheer(t) - rise) * s**1.35
    x = -LENGTH / 2 + LENGTH * t + 0.35 * s * flare**2
    return np.stack([x, y, beam], axis=-1)


def _hull(shape: Shape) -> None:
    t, s = np.meshgrid(np.linspace(0, 1, 97) ** 0.92, np.linspace(0, 1, 19))
    starboard = _section(t, s)
    girth = np.linalg.norm(np.diff(starboard, axis=0), axis=2).sum(axis=0).max()
    run = np.linalg.norm(np.diff(starboard[-1], axis=0), axis=1)
    u = np.concatenate([[0], np.cumsum(run)])
    u = 0.02 + u / u[-1] * 0.96
    v = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(starboard[:, 30], axis=0), axis=1))])
    v = v / v[-1] * girth * 0.096
    flat = np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1)
    # Starboard (+Z) is seen from +Z with the bow to the right; port has the bow to the left.
    shape.grid("hull", starboard, flat + [0, 0.775])
    port = starboard[:, ::-1] * [1, 1, -1]
    mirrored = flat[:, ::-1].copy()
    mirrored[..., 0] = 1.0 - mirrored[..., 0]
    shape.grid("hull", port, mirrored + [0, 0.55])
    # Deck, a little below the rail, and transom.
    edge = _section(np.linspace(0, 1, 65) ** 0.92, np.full(65, 1.0))
    inner = edge * [0.985, 1, 0.955] - [0, 0.06, 0]
    deck = np.stack([inner, inner * [1, 1, -1]], axis=0)
    deck_uv = np.stack([deck[..., 0] * _HULL + 0.5, -deck[..., 2] * _HULL + 0.385], axis=-1)
    shape.grid("deck", deck, deck_uv)
    for sign in (1, -1):
        rail = np.stack([edge, inner], axis=0) * [1, 1, sign]
        strip = np.stack(np.broadcast_arrays(np.linspace(0.02, 0.96, 65)[None, :], np.array([[0.012], [0.03]])), -1)
        strip = strip + [0, 0 if sign > 0 else 0.022]
        shape.grid("rail", rail if sign > 0 else rail[:, ::-1], strip)
    stern = _section(np.zeros(19), np.linspace(0, 1, 19))
    transom = np.stack([stern * [1, 1, -1], stern], axis=1)
    transom_uv = np.stack([transom[..., 2] * _HULL + 0.19, transom[..., 1] * _HULL + 0.07], axis=-1)
    shape.grid("transom", transom, transom_uv)


def _wall(shape: Shape, part: str, low: F64, right: F64, up: F64, rect: Rect) -> None:
    """A flat rectangle from its lower left corner, its long and its upward edge."""
    corners = [low, low + right, low + right + up, low + up]
    u0, v0, u1, v1 = rect
    shape.face(part, [c.tolist() for c in corners], [(u0, v0), (u1, v0), (u1, v1), (u0, v1)])


def _deckhouse(shape: Shape) -> None:
    """A house with rounded corners, a raised roof with eaves, and a door."""
    scale = 0.085
    x0, x1, z, y0, y1, r = -1.4, 2.0, 1.05, 1.05, 3.0, 0.28
    path: list[tuple[float, float]] = []
    for cx, cz, start in (
        (x1 - r, z - r, 90),
        (x1 - r, -z + r, 0),
        (x0 + r, -z + r, -90),
        (x0 + r, z - r, -180),
    ):
        for a in np.radians(np.linspace(start, start - 90, 9)):
            path.append((cx + r * float(np.cos(a)), cz + r * float(np.sin(a))))
    # Start and end in the middle of the back wall, so that the seam is where nobody looks.
    ring = np.array([(x0, 0.0), *path[27:], *path[:27], (x0, 0.0)])
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
    u = 1.02 + along / along[-1] * 0.96
    walls = np.stack([np.stack([ring[:, 0], np.full(len(ring), y), ring[:, 1]], 1) for y in (y0, y1)])
    tall = (y1 - y0) * 0.96 / along[-1]
    v = np.array([0.97 - tall, 0.97])
    shape.grid("deckhouse", walls, np.stack(np.broadcast_arrays(u[None, :], v[:, None]), -1))
    # Roof: eaves, rim and a gently domed top.
    centre = np.array([(x0 + x1) / 2, 0.0])
    outer = centre + (ring - centre) * [1.09, 1.13]
    rim = np.stack([np.stack([outer[:, 0], np.full(len(ring), y), outer[:, 1]], 1) for y in (y1, y1 + 0.12)])
    shape.grid("roof", rim, np.stack(np.broadcast_arrays(u[None, :], np.array([[0.70], [0.72]])), -1))
    under = np.stack([rim[0], walls[1]])[::-1]
    under_uv = np.stack([under[..., 0] * scale + 1.27, under[..., 2] * scale + 0.17], -1)
    shape.grid("roof", under, under_uv)
    levels = [(1.0, 0.12), (0.9, 0.17), (0.6, 0.23), (0.25, 0.26), (0.02, 0.265)]
    dome = np.stack([
        np.stack([(centre + (outer - centre) * f)[:, 0], np.full(len(ring), y1 + h), (centre + (outer - centre) * f)[:, 1]], 1)
        for f, h in levels
    ])  # fmt: skip
    dome_uv = np.stack([dome[..., 0] * scale * 1.2 + 1.25, -dome[..., 2] * scale * 1.2 + 0.50], -1)
    shape.grid("roof", dome, dome_uv)
    # Name board on the roof's front edge and a door at the back.
    board = np.array([x1 + 0.30, y1 + 0.02, 0.0])
    _board(shape, "name board", board, 1.9, 0.36, (1.56, 0.40, 1.56 + 1.9 * 0.2, 0.40 + 0.36 * 0.2))
    _wall(shape, "door", np.array([x0 - 0.03, y0, -0.42]), np.array([0, 0, 0.84]), np.array([0, 1.75, 0]),
          (1.60, 0.02, 1.60 + 0.84 * 0.12, 0.02 + 1.75 * 0.12))  # fmt: skip


def _board(shape: Shape, part: str, middle: F64, width: float, height: float, rect: Rect) -> None:
    """A board that looks along +X, with its edges."""
    h, w, d = height / 2, width / 2, 0.05
    x, y, z = middle
    front = [(x, y - h, z + w), (x, y - h, z - w), (x, y + h, z - w), (x, y + h, z + w)]
    back = [(px - d, py, pz) for px, py, pz in front]
    u0, v0, u1, v1 = rect
    shape.face(part, front, [(u0, v0), (u1, v0), (u1, v1), (u0, v1)])
    shape.face(part, back[::-1], [(u0, v0 - 0.09), (u1, v0 - 0.09), (u1, v1 - 0.09), (u0, v1 - 0.09)])
    for k in range(4):
        n = (k + 1) % 4
        strip = 0.25 + 0.012 * k
        quad = [(u0, strip), (u1, strip), (u1, strip + 0.008), (u0, strip + 0.008)]
        shape.face(part, [back[k], back[n], front[n], front[k]], quad)


def _fittings(shape: Shape) -> None:
    """Portholes, lamp, mast, rails, life rings (a mirrored pair on one island), bollards, canopy posts."""
    x, y, z = np.eye(3)
    slot = 0
    for px in (-0.7, 0.3, 1.3):
        for sign in (1, -1):
            _porthole(shape, np.array([px, 2.25, sign * 1.06]), x * sign, y, slot)
            slot += 1
    for pz in (0.45, -0.45):
        _porthole(shape, np.array([2.01, 2.25, pz]), -z, y, slot)
        slot += 1
    mast = np.stack([np.full(9, 0.2), np.linspace(3.2, 4.45, 9), np.zeros(9)], 1)
    shape.tube("mast", mast, 0.045, (2.03, 0.583, 2.40, 0.608), 16)
    _lamp(shape, np.array([0.2, 4.55, 0.0]))
    _life_rings(shape)
    for sign in (1, -1):
        t = np.linspace(0.60, 0.985, 40)
        rail = _section(t, np.ones(40)) * [0.985, 1, 0.93 * sign] + [0, 0.55, 0]
        v0 = 0.50 if sign > 0 else 0.54
        shape.tube("handrail", rail, 0.03, (2.03, v0, 2.62, v0 + 0.03), 10)
        for k, foot in enumerate(rail[2::9]):
            post = np.stack([foot - [0, 0.62, 0], foot])
            shape.tube("handrail", post, 0.022, (2.66 + 0.06 * k, v0, 2.71 + 0.06 * k, v0 + 0.022), 10)
    for k, (bx, bz) in enumerate(((3.5, 0.0), (-4.05, 0.85), (-4.05, -0.85))):
        profile = [
            (0.0, 0.0),
            (0.11, 0.0),
            (0.08, 0.06),
            (0.08, 0.2),
            (0.13, 0.22),
            (0.13, 0.27),
            (0.0, 0.29),
        ]
        island: Rect = (2.03 + 0.2 * k, 0.40, 2.21 + 0.2 * k, 0.47)
        _turned(shape, "bollard", profile, np.array([bx, 1.2 if k == 0 else 1.12, bz]), island)
    for k, (px, pz) in enumerate(((-1.75, 1.15), (-1.75, -1.15), (-4.1, 1.15), (-4.1, -1.15))):
        post = np.stack([np.full(5, px), np.linspace(1.1, 2.72, 5), np.full(5, pz)], 1)
        v0 = 0.615 + 0.031 * k
        shape.tube("canopy post", post, 0.04, (2.03, v0, 2.46, v0 + 0.024), 14)
    for k, side in enumerate((1, -1)):
        low = np.array([-3.9, 1.12, side * 0.95])
        v = 0.085 + 0.155 * k
        faces: dict[str, Rect] = {
            "top": (2.45, v, 2.87, v + 0.06),
            "front": (2.45, v + 0.07, 2.87, v + 0.10),
            "back": (2.45, v + 0.11, 2.87, v + 0.14),
            "left": (2.90, v, 2.94, v + 0.04),
            "right": (2.90, v + 0.06, 2.94, v + 0.10),
        }
        half = np.array([0.0, 0.0, 0.22])
        shape.box("bench", (low - half).tolist(), (low + half + [2.0, 0.42, 0.0]).tolist(), faces)


def _porthole(shape: Shape, centre: F64, right: F64, up: F64, slot: int) -> None:
    """A brass rim and a glass, each with its own place on the sheet."""
    towards = np.cross(right, up)
    u, v = 2.07 + 0.115 * slot, 0.92
    shape.disc("porthole glass", centre + 0.012 * towards, right, up, 0.17, (u, v - 0.13), 0.045, 40)
    angle = np.linspace(0, 2 * np.pi, 49)
    spoke = np.cos(angle)[:, None] * right + np.sin(angle)[:, None] * up
    bulge = [(0.25, 0.0), (0.25, 0.03), (0.235, 0.05), (0.195, 0.05), (0.175, 0.035), (0.17, 0.01)]
    points = np.stack([centre + radius * spoke + lift * towards for radius, lift in bulge])
    flat = np.stack([np.cos(angle), np.sin(angle)], 1)
    rings = (0.054, 0.049, 0.046, 0.038, 0.034, 0.029)
    shape.grid("porthole rim", points, np.stack([(u, v) + r * flat for r in rings]))


def _turned(
    shape: Shape, part: str, profile: list[tuple[float, float]], at: F64, rect: Rect, steps: int = 32
) -> None:
    """A lathe that stands at a place."""
    inner = Shape()
    inner.lathe(part, profile, rect, steps)
    shape.grid(part, inner.points[0].reshape(len(profile), steps + 1, 3) + at,
               inner.uvs[0].reshape(len(profile), steps + 1, 2))  # fmt: skip


def _lamp(shape: Shape, centre: F64) -> None:
    """A lantern: brass foot and cap, a glass that is to glow."""
    foot = [(0.0, -0.16), (0.09, -0.16), (0.11, -0.12), (0.12, -0.1)]
    _turned(shape, "lamp brass", foot, centre, (2.03, 0.02, 2.25, 0.05))
    glass = [(0.12 * float(np.cos(a)) ** 0.5, 0.12 * float(np.sin(a))) for a in np.radians(np.linspace(-56, 56, 13))]
    _turned(shape, "lamp glass", glass, centre, (2.03, 0.07, 2.33, 0.19))
    cap = [(0.12, 0.10), (0.14, 0.11), (0.06, 0.17), (0.02, 0.22), (0.0, 0.24)]
    _turned(shape, "lamp brass", cap, centre, (2.30, 0.02, 2.52, 0.06))


def _life_rings(shape: Shape) -> None:
    """Two rings on the deckhouse; the port one shares the other's island, mirrored."""
    angle = np.linspace(0, 2 * np.pi, 49)
    around = np.linspace(0, 2 * np.pi, 17)
    big, small = 0.30, 0.085
    radius = big + small * np.cos(around)[:, None]
    ring = np.stack([
        radius * np.cos(angle), radius * np.sin(angle), np.broadcast_to(small * np.sin(around)[:, None], (17, 49))
    ], axis=-1)  # fmt: skip
    u = 2.03 + 0.36 * angle / (2 * np.pi)
    v = 0.21 + 0.12 * around / (2 * np.pi)
    uv = np.stack(np.broadcast_arrays(u[None, :], v[:, None]), -1)
    place = np.array([-1.12, 1.72, 1.14])
    shape.grid("life ring", ring + place, uv)
    shape.grid("life ring", ring[:, ::-1] * [1, 1, -1] + place * [1, 1, -1], uv[:, ::-1])


def _canopy(shape: Shape) -> None:
    """Striped cloth over the aft deck: curved, sagging between its posts, with a scalloped edge."""
    a, b = np.meshgrid(np.linspace(0, 1, 41), np.linspace(0, 1, 31))
    x = -4.35 + 2.85 * a
    z = 1.35 - 2.7 * b
    y = 2.72 + 0.42 * np.sin(np.pi * b) - 0.06 * np.sin(2 * np.pi * a) ** 2
    cloth = np.stack([x, y, z], axis=-1)
    scale = 0.29
    uv = np.stack([0.05 + 2.85 * a * scale, 1.14 + 2.9 * b * scale], axis=-1)
    shape.grid("canopy", cloth, uv)
    shape.grid(
        "canopy",
        cloth[:, ::-1] - [0, 0.012, 0],
        np.stack([0.05 + 2.85 * a * scale, 1.14 + 2.9 * b * scale], -1)[:, ::-1],
    )
    for sign, row, v0 in ((1, 0, 1.03), (-1, -1, 1.08)):
        top = cloth[row] if sign > 0 else cloth[row, ::-1]
        drop = 0.10 + 0.07 * np.abs(np.sin(np.linspace(0, 8 * np.pi, 41)))
        low = top - np.stack([np.zeros(41), drop, np.zeros(41)], 1) + [0, 0, 0.02 * sign]
        u = np.linspace(0.05, 0.05 + 2.85 * scale, 41)
        strip = np.stack(
            [
                np.stack([u, np.full(41, v0) + 0.05 - drop * scale], 1),
                np.stack([u, np.full(41, v0 + 0.05)], 1),
            ]
        )
        shape.grid("canopy edge", np.stack([low, top]), strip)
