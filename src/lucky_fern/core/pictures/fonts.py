"""The fonts there are for labels: those that ship, and those of this computer."""

from __future__ import annotations

import os
from functools import cache
from pathlib import Path

from PIL import ImageFont

SHIPPED = {
    "Inter Bold": "Inter-Bold.otf", "Inter Medium": "Inter-Medium.otf", "League Spartan": "LeagueSpartan-Bold.otf",
    "League Spartan Extra": "LeagueSpartan-ExtraBold.otf", "Lobster Two": "LobsterTwo-Bold.otf",
    "DejaVu Sans": "DejaVuSans-Bold.ttf",
}  # fmt: skip
_KINDS = (".ttf", ".otf", ".ttc")
_MOST = 3000  # files


def font_folders() -> list[Path]:
    """Where this computer keeps fonts (XDG Base Directory Specification)."""
    home = Path.home()
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local" / "share")
    shared = (os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share").split(":")
    return [data / "fonts", home / ".fonts", *(Path(folder) / "fonts" for folder in shared if folder)]


@cache
def system_fonts() -> dict[str, str]:
    """Name → path of the fonts of this computer, in the order of their names; read once."""
    found: dict[str, str] = {}
    files = (path for folder in font_folders() if folder.is_dir() for path in sorted(folder.rglob("*")))
    for number, path in enumerate(path for path in files if path.suffix.lower() in _KINDS):
        if number >= _MOST:
            break
        try:
            family, style = ImageFont.truetype(str(path), 16).getname()
        except (OSError, ValueError):
            continue  # not every file with such a name is a font
        name = f"{family} {style}".strip() if style and style != "Regular" else str(family)
        if name not in SHIPPED:
            found.setdefault(name, str(path))
    return dict(sorted(found.items(), key=lambda item: item[0].lower()))
