"""Which file of a folder is which map of which sheet: by its name, as presets give names."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache

from lucky_fern.core.files import safe_name
from lucky_fern.core.project.presets import PRESETS, MapFile, Preset
from lucky_fern.core.sheets.grid import SheetKey

_PLAIN = r"(?:(?P<project>.*?)_)?(?P<material>{materials})_(?P<map>{words})(?:\.(?P<tile>\d{{4}}))?\.(?P<ext>\w+)"
_BARE = r"(?:.*_)?(?P<map>{words})(?:\.(?P<tile>\d{{4}}))?\.(?P<ext>\w+)"  # where there is but one material


def recognised(
    name: str, keys: Sequence[SheetKey], presets: Iterable[Preset] = ()
) -> tuple[MapFile, SheetKey] | None:
    """What a file is by its name, and on which of the sheets; ``presets`` of one's own are asked first."""
    every = frozenset(file for preset in PRESETS.values() for file in preset.files)
    sets = [(preset.pattern, frozenset(preset.files)) for preset in presets]
    materials = frozenset(_without_tile(key.material) for key in keys)
    for pattern, files in (*sets, (None, every)):
        words = {file.word: file for file in files}
        found = _reader(pattern, materials, frozenset(words)).fullmatch(name) if words else None
        if found is None:
            continue
        fields = found.groupdict()
        word = fields.get("map") or next(iter(words))
        wanted = [key for key in keys if _fits(key, fields.get("material"), fields.get("tile"))]
        if wanted:
            return words[word], wanted[0]
    return None


@lru_cache(maxsize=64)
def _reader(pattern: str | None, materials: frozenset[str], words: frozenset[str]) -> re.Pattern[str]:
    """What reads names that a pattern gave."""
    # The longest first: one name may end like another one.
    kinds = {
        "project": ".*?", "tile": r"\d{4}", "ext": r"\w+",
        "material": "|".join(re.escape(safe_name(one)) for one in sorted(materials, key=len, reverse=True)),
        "map": "|".join(re.escape(one) for one in sorted(words, key=len, reverse=True)),
    }  # fmt: skip
    if pattern is None:
        shape = _BARE if len(materials) == 1 else _PLAIN
        return re.compile(shape.format(materials=kinds["material"], words=kinds["map"]))
    made, seen = "", set[str]()
    for part in re.split(r"(\{\w+\})", pattern):
        field = part[1:-1]
        if part.startswith("{") and field in kinds:
            made += rf"(?P={field})" if field in seen else rf"(?P<{field}>{kinds[field]})"
            seen.add(field)
        else:
            made += re.escape(part)
    return re.compile(made)


def _without_tile(material: str) -> str:
    """Our GLBs name a material of several tiles once a tile."""
    return re.sub(r"\.\d{4}$", "", material)


def _fits(key: SheetKey, material: str | None, tile: str | None) -> bool:
    own = re.search(r"\.(\d{4})$", key.material)
    if material is not None and safe_name(_without_tile(key.material)) != material:
        return False
    return tile is None or int(tile) == (int(own[1]) if own is not None else key.tile)
