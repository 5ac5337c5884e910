"""What an export is asked to write: the words of a job's ``exports`` entries, and the file names."""

from __future__ import annotations

import re
from typing import Literal

import msgspec

from lucky_fern.core.sheets.grid import SheetKey

PRESETS = ("separate", "emissive")
FORMATS = ("png",)


class ExportSetup(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One export: preset and folder, and how to write.

    ``size`` re-renders every sheet at that many texels; ``padding`` None fills all that lies outside the
    islands, a number fills so many texels; ``normal_y`` "-" turns the green channel of normals over.
    """

    preset: str
    out: str
    format: str = "png"
    size: int | None = None
    bits: Literal[8, 16] = 8
    normal_y: Literal["+", "-"] = "+"
    padding: int | None = None


def safe_name(text: str) -> str:
    """A material's or project's name as part of a file name: what file systems refuse becomes ``_``."""
    cleaned = re.sub(r'[\x00-\x1f<>:"/\\|?*]', "_", text).strip(" .")
    return cleaned or "_"


def file_name(stem: str, key: SheetKey, map_name: str, single_tile: bool, suffix: str) -> str:
    """``{project}_{material}_{map}.{tile}.{ext}``, without the tile where a material has only one."""
    tile = "" if single_tile else f".{key.tile}"
    return f"{safe_name(stem)}_{safe_name(key.material)}_{map_name}{tile}.{suffix}"
