"""Bounds on what comes in from outside, stated once. Whatever exceeds them is refused with a sentence."""

MOST_FILE = 2 << 30  # bytes of any file that is read whole
MOST_SMALL_FILE = 64 << 20  # of jobs, presets and other texts
MOST_UNPACKED = 4 << 30  # bytes of all contents of a project file
MOST_RATIO = 200  # times as large as packed that contents may unpack to, beyond …
FREE_RATIO = 64 << 20  # … so many bytes
MOST_PIXELS = 1 << 27  # of a picture: 16384 × 8192
LONGEST_SIDE = 1 << 17  # pixels
MOST_POINTS = 1 << 26  # of a model
FARTHEST_UV = 1e5  # tiles; no layout lies further out
MOST_TILES = 64.0  # that one face may reach over
FARTHEST_POINT = 1e12  # units
DEEPEST_JSON = 200  # levels of nesting
DEEPEST_GROUPS = 64  # groups in groups
DEEPEST_NODES = 1000  # of a scene, one below the other
DEEPEST_SVG = 96  # elements in elements
MOST_STRETCHED = 1000.0  # times as long as wide, of a drawing
LONGEST_NAME = 200  # characters of a name in the project


def unpacked_too_large(packed: int, unpacked: int) -> bool:
    """Whether contents of so many bytes would unpack to more than honest ones do."""
    return unpacked > FREE_RATIO + MOST_RATIO * packed


MOST_FINER = 8_000_000  # triangles of a model that is baked from
