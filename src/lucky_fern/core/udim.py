"""UDIM arithmetic: tile = 1001 + floor(u) + 10·floor(v), ten tiles in a row."""

FIRST_TILE, LAST_TILE = 1001, 9999


def tile_of(column: int, row: int) -> int:
    """Tile number of the unit square whose lower left corner is (column, row) in UV space."""
    return 1001 + column + 10 * row


def corner_of(tile: int) -> tuple[int, int]:
    """Lower left corner (column, row) of a tile in UV space."""
    return (tile - 1001) % 10, (tile - 1001) // 10


def is_tile(tile: int) -> bool:
    """Whether the number names a tile that files can carry (1001 to 9999)."""
    return FIRST_TILE <= tile <= LAST_TILE
