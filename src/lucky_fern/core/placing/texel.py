"""Writing what a picture gives to one texel, for the drawings whose texels each work out where they lie.

The innermost loop of :mod:`.paint` has this written out: handing arrays on for each texel would cost it too much.
"""

from lucky_fern.core.arrays import U16
from lucky_fern.core.compiled import kernel


@kernel
def put(
    out: U16, r: int, k: int, red: float, green: float, blue: float, alpha: float,
    level: int, encode: bool, table: U16,
) -> None:  # fmt: skip
    """Write premultiplied light as straight RGBA with a coverage ``level``; ``table`` encodes light as sRGB."""
    f = 65535.0 / alpha
    red = min(red * f + 0.5, 65535.0)
    green = min(green * f + 0.5, 65535.0)
    blue = min(blue * f + 0.5, 65535.0)
    if encode:
        out[r, k, 0], out[r, k, 1], out[r, k, 2] = table[int(red)], table[int(green)], table[int(blue)]
    else:
        out[r, k, 0], out[r, k, 1], out[r, k, 2] = int(red), int(green), int(blue)
    out[r, k, 3] = level
