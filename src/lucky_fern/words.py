"""The one place through which all that a person reads goes, and where plural forms are made.

Texts are written in English where they are used and handed to :func:`tr`, which looks for them in the catalogue of
the person's language (GNU gettext, ``languages/LANGUAGE/LC_MESSAGES/lucky-fern.mo`` beside this file). English is
what ships. The language is chosen once, before the first text is asked for, so that tables may hold texts as well.
"""

from __future__ import annotations

import gettext
import os
from pathlib import Path

_MARKED = "marked"  # the language that marks every text which went through here: what is not marked, did not
OPENING, CLOSING = "⟦", "⟧"


class Marked(gettext.NullTranslations):
    """English with every text between two marks."""

    def gettext(self, message: str) -> str:
        return f"{OPENING}{message}{CLOSING}"

    def ngettext(self, msgid1: str, msgid2: str, n: int) -> str:
        return f"{OPENING}{msgid1 if n == 1 else msgid2}{CLOSING}"


def catalogue(folder: Path) -> gettext.NullTranslations:
    """The texts in the person's language: LUCKY_FERN_LANGUAGE, else what the desktop says (LANGUAGE, LANG …)."""
    chosen = os.environ.get("LUCKY_FERN_LANGUAGE")
    if chosen == _MARKED:
        return Marked()
    return gettext.translation("lucky-fern", folder, [chosen] if chosen else None, fallback=True)


_TEXTS = catalogue(Path(__file__).parent / "languages")


def tr(text: str, **values: object) -> str:
    """A text in the person's language; with ``values``, put where their names stand in braces."""
    found = _TEXTS.gettext(text)
    return found.format(**values) if values else found


def counted(count: int, noun: str, plural: str = "") -> str:
    """``3 sheets``, ``1 sheet``; a plural that does not end in a mere s is given."""
    return _TEXTS.ngettext(f"{{count}} {noun}", f"{{count}} {plural or noun + 's'}", count).format(count=count)


def word(token: str) -> str:
    """What one of the words that files hold is called: blend modes, kinds, units."""
    return _WORDS.get(token, token)


_WORDS = {
    "normal": tr("normal"),
    "multiply": tr("multiply"),
    "screen": tr("screen"),
    "overlay": tr("overlay"),
    "darken": tr("darken"),
    "lighten": tr("lighten"),
    "color-dodge": tr("color-dodge"),
    "color-burn": tr("color-burn"),
    "hard-light": tr("hard-light"),
    "soft-light": tr("soft-light"),
    "difference": tr("difference"),
    "exclusion": tr("exclusion"),
    "add": tr("add"),
    "subtract": tr("subtract"),
    "hue": tr("hue"),
    "saturation": tr("saturation"),
    "color": tr("color"),
    "luminosity": tr("luminosity"),
    "alpha": tr("alpha"),
    "luminance": tr("luminance"),
    "texels": tr("texels"),
    "units": tr("units"),
    "all materials": tr("all materials"),
    "all tiles": tr("all tiles"),
    "all parts": tr("all parts"),
    "all islands": tr("all islands"),
    "rectangle": tr("rectangle"),
    "ellipse": tr("ellipse"),
    "polygon": tr("polygon"),
    "arrow": tr("arrow"),
    "bars": tr("bars"),
    "face": tr("face"),
    "island": tr("island"),
    "material": tr("material"),
    "part": tr("part"),
    "tile": tr("tile"),
    "selection": tr("selection"),
    "checker": tr("checker"),
    "lines": tr("lines"),
    "dashes": tr("dashes"),
}
