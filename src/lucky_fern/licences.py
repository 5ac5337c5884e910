"""Under whose licences the parts of the program come: every package that comes along, found by what asks for it.

``python -m lucky_fern.licences`` prints the list with the texts of all licences; docs/licences.md is the list alone.
"""

from __future__ import annotations

import re
import sys
from importlib import metadata, resources
from pathlib import Path
from typing import NamedTuple

NAME = "lucky-fern"
_TEXTS = re.compile(r"(^|/)(licen[cs]e|copying|notice|authors)[^/]*$", re.IGNORECASE)
_COPYLEFT = re.compile(r"\b[AL]?GPL|General Public Licen[cs]e|\bMPL|Mozilla Public|\bEUPL|CeCILL", re.IGNORECASE)
_WORDINGS = {  # of packages that name no licence but bring its text
    "Permission is hereby granted, free of charge, to any person": "MIT",
    "Neither the name of the": "BSD-3-Clause",
    "Redistribution and use in source and binary forms": "BSD-2-Clause",
}
_LONGEST = 60  # characters of what is a name and not a text


class Part(NamedTuple):
    """A package: its name, version and licence in few words, and the texts of its licences."""

    name: str
    version: str
    licence: str
    texts: tuple[str, ...]

    @property
    def copyleft(self) -> bool:
        """Whether its licence asks something of programs that it is put into."""
        return bool(_COPYLEFT.search(self.licence))


def parts_used() -> list[Part]:
    """All packages that the program needs, and those that these need, by name."""
    found: dict[str, Part] = {}
    todo = _asked_by(NAME)
    while todo:
        name = todo.pop()
        if name in found:
            continue
        try:
            about = metadata.distribution(name)
        except metadata.PackageNotFoundError:
            continue
        found[name] = Part(about.metadata["Name"], about.version, _licence_of(about), _texts_of(about))
        todo += _asked_by(name)
    return [found[name] for name in sorted(found)]


def _asked_by(name: str) -> list[str]:
    """Packages that one asks for, without what is asked for by its extras or on other machines."""
    try:
        lines = metadata.requires(name) or []
    except metadata.PackageNotFoundError:
        return []
    if name == NAME:  # the window is one of its extras
        lines = [re.sub(r"""\bextra\s*==\s*['"]window['"]""", "", line) for line in lines]
    plain = [line.partition(";") for line in lines]
    return [
        re.split(r"[^A-Za-z0-9._-]", head.strip())[0].lower().replace("_", "-")
        for head, _, when in plain
        if not re.search(r"extra\s*==|win32|Windows|darwin|python_version\s*<", when)
    ]


def _licence_of(about: metadata.Distribution) -> str:
    told = about.metadata.get_all("License-Expression") or []
    told += [text for text in about.metadata.get_all("License") or [] if 0 < len(text.strip()) < _LONGEST]
    classified = [line.split(" :: ")[-1] for line in about.metadata.get_all("Classifier") or []
                  if line.startswith("License ::") and not line.endswith("OSI Approved")]  # fmt: skip
    if told:
        return str(told[0]).strip()
    if classified:
        return ", ".join(classified)
    text = " ".join("\n".join(_texts_of(about)).split())
    return next((name for words, name in _WORDINGS.items() if words in text), "see the package")


def _texts_of(about: metadata.Distribution) -> tuple[str, ...]:
    files = [
        file for file in about.files or [] if _TEXTS.search(str(file)) and not str(file).endswith((".py", ".pyc"))
    ]
    texts = []
    for file in files:
        path = Path(str(file.locate()))
        if path.is_file():
            texts.append(path.read_text(encoding="utf-8", errors="replace").strip())
    return tuple(dict.fromkeys(texts))


def listed() -> list[str]:
    """A line for each part: its name and its licence."""
    return [f"{part.name}: {part.licence}" for part in parts_used()]


def font_texts() -> list[str]:
    """The licences of the fonts that come along, each after its file's name."""
    lines: list[str] = []
    for path in sorted(Path(str(resources.files("lucky_fern.fonts"))).iterdir()):
        if path.suffix.lower() in (".txt", ".md"):
            lines += ["", path.name, path.read_text(encoding="utf-8", errors="replace")]
    return lines


LIBRARIES = (
    "Qt and PySide6 are under the GNU Lesser General Public License 3: they are libraries of their own, which you"
    " may exchange for others of the same kind (in the folder of packages, PySide6 and shiboken6), and their"
    " source is had from the Qt Project. OpenCV's package brings FFmpeg in the same way, under version 2.1;"
    " those of NumPy, SciPy and OpenCV bring runtime libraries of GCC, whose exception leaves programs free."
    " The program itself is under the MIT licence."
)


def everything() -> str:
    """The whole list with all texts."""
    lines = ["Parts that come along with Lucky Fern, and their licences", "", LIBRARIES, "", *listed()]
    for part in parts_used():
        for text in part.texts:
            lines += ["", "=" * 100, f"{part.name} {part.version}", "=" * 100, text]
    return "\n".join([*lines, *font_texts(), ""])


if __name__ == "__main__":
    sys.stdout.write(everything())
