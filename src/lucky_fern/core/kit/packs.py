"""Packs: a folder or a zip of pictures brought in whole, with the licence file that lies in it."""

from __future__ import annotations

import os
import re
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path, PurePosixPath

from lucky_fern.core.errors import LuckyFernError, PictureError
from lucky_fern.core.files import check_regular, read_file, safe_name
from lucky_fern.core.limits import MOST_FILE, MOST_SMALL_FILE, MOST_UNPACKED, unpacked_too_large
from lucky_fern.core.pictures.picture import SUFFIXES
from lucky_fern.words import tr

_MOST = 5000  # pictures
_TERMS = re.compile(r"(licen[cs]e|copying|terms|credits)([._ -].*)?", re.IGNORECASE)
_TEXTS = ("", ".txt", ".md", ".rst", ".html")
_MARK = re.compile(r"SPDX-License-Identifier:\s*([\w.+-]+(?:\s+(?:OR|AND|WITH)\s+[\w.+-]+)*)")
# What licence texts say of themselves → SPDX identifiers; the first that fits.
_KNOWN: tuple[tuple[str, str], ...] = (
    (r"CC0 1\.0|CC0", "CC0-1.0"),
    (r"Attribution[- ]ShareAlike 4\.0|CC[ -]BY[ -]SA[ -]4\.0", "CC-BY-SA-4.0"),
    (r"Attribution[- ]NonCommercial 4\.0|CC[ -]BY[ -]NC[ -]4\.0", "CC-BY-NC-4.0"),
    (r"Attribution 4\.0|CC[ -]BY[ -]4\.0", "CC-BY-4.0"),
    (r"Attribution[- ]ShareAlike 3\.0|CC[ -]BY[ -]SA[ -]3\.0", "CC-BY-SA-3.0"),
    (r"Attribution 3\.0|CC[ -]BY[ -]3\.0", "CC-BY-3.0"),
    (r"MIT License|Permission is hereby granted, free of charge", "MIT"),
    (r"Apache License,?\s+Version 2\.0", "Apache-2.0"),
    (r"SIL Open Font License", "OFL-1.1"),
)


@dataclass(frozen=True)
class Packed:
    """A picture of a pack: its file name, the folder in the pack (``signs/old``), and what reads its bytes."""

    name: str
    folder: str
    read: Callable[[], bytes]


@dataclass(frozen=True)
class Pack:
    """A pack's name, its pictures, and the licence file that came with it (``terms``; None: none)."""

    name: str
    pictures: tuple[Packed, ...]
    terms: bytes | None = None
    terms_name: str = ""
    licence: str = ""
    left_out: int = 0  # files that are no pictures


def read_pack(path: Path) -> Pack:
    """What a folder or a zip holds; nothing of it is unpacked yet.

    Raises
    ------
    PictureError
        If it is neither, damaged, locked by a password, larger unpacked than honest ones are, or has no picture.
    """
    found = _of_folder(path) if path.is_dir() else _of_zip(path)
    if not found.pictures:
        raise PictureError(tr("There is no picture in {name} that can be read; it takes {suffixes}.", name=path.name,
                              suffixes=", ".join(SUFFIXES)))  # fmt: skip
    return found


def _of_folder(folder: Path) -> Pack:
    def entries() -> Iterator[tuple[PurePosixPath, Callable[[], bytes]]]:
        for place, folders, names in os.walk(folder):
            folders[:] = sorted(one for one in folders if not one.startswith("."))
            for name in sorted(names):
                file = Path(place) / name
                yield (
                    PurePosixPath(file.relative_to(folder).as_posix()),
                    partial(read_file, file, PictureError),
                )

    return _sorted_out(folder.name, entries())


def _of_zip(path: Path) -> Pack:
    check_regular(path, PictureError, MOST_FILE)
    try:
        with zipfile.ZipFile(path) as file:
            infos = file.infolist()
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
        raise PictureError(
            tr("{name} is no pack: neither a folder nor a zip that can be read.", name=path.name)
        ) from error
    whole = sum(one.file_size for one in infos)
    if whole > MOST_UNPACKED or unpacked_too_large(sum(one.compress_size for one in infos), whole):
        raise PictureError(tr("{name} would unpack to {size:.0f} MB, more than such a pack honestly has.",
                              name=path.name, size=whole / 1e6))  # fmt: skip

    def entries() -> Iterator[tuple[PurePosixPath, Callable[[], bytes]]]:
        for info in sorted(infos, key=lambda one: one.filename):
            if not info.is_dir():
                inside = PurePosixPath(info.filename.replace("\\", "/"))
                yield inside, partial(_unpacked, path, info)

    return _sorted_out(path.stem, entries())


def _unpacked(path: Path, info: zipfile.ZipInfo) -> bytes:
    try:
        with zipfile.ZipFile(path) as file, file.open(info) as member:
            data = member.read(info.file_size + 1)
    except (zipfile.BadZipFile, OSError, ValueError, EOFError, RuntimeError, NotImplementedError) as error:
        why = tr("it is locked by a password") if info.flag_bits & 1 else tr("it is damaged")
        raise PictureError(
            tr("{member} in {name} cannot be unpacked: {why}.", member=info.filename, name=path.name, why=why)
        ) from error
    if len(data) != info.file_size:
        raise PictureError(tr("{member} in {name} is damaged.", member=info.filename, name=path.name))
    return data


def _sorted_out(name: str, entries: Iterator[tuple[PurePosixPath, Callable[[], bytes]]]) -> Pack:
    pictures: list[Packed] = []
    terms: tuple[PurePosixPath, Callable[[], bytes]] | None = None
    left_out = 0
    for inside, read in entries:
        if any((part.startswith(".") and part != "..") or part == "__MACOSX" for part in inside.parts):
            continue
        if inside.suffix.lower() in SUFFIXES:
            if len(pictures) >= _MOST:
                raise PictureError(tr("{name} has more than {most} pictures; bring in a part of it.", name=name,
                                      most=_MOST))  # fmt: skip
            folders = [safe_name(part) for part in inside.parts[:-1] if part not in ("/", "..")]
            pictures.append(Packed(safe_name(inside.name), "/".join(folders), read))
        elif _TERMS.fullmatch(inside.name) and inside.suffix.lower() in _TEXTS:
            if terms is None or len(inside.parts) < len(terms[0].parts):
                terms = inside, read
        else:
            left_out += 1
    if terms is None:
        return Pack(name, tuple(pictures), left_out=left_out)
    data = terms[1]()
    if len(data) > MOST_SMALL_FILE:
        return Pack(name, tuple(pictures), left_out=left_out)
    return Pack(name, tuple(pictures), data, terms[0].name, licence_of(data, terms[0].name), left_out)


def licence_of(terms: bytes, name: str) -> str:
    """The SPDX identifier of a licence file, or where its text is to be read."""
    text = terms.decode("utf-8", "replace")
    marked = _MARK.search(text)
    if marked is not None:
        return " ".join(marked[1].split())
    for pattern, known in _KNOWN:
        if re.search(pattern, text, re.IGNORECASE):
            return known
    return tr("see {name}", name=name)


def each(
    pack: Pack, told: Callable[[float], None] = lambda _: None
) -> Iterator[tuple[Packed, bytes | LuckyFernError]]:
    """A pack's pictures with their bytes, or why they could not be had; ``told`` hears how far it is."""
    for count, one in enumerate(pack.pictures):
        told(count / len(pack.pictures))
        try:
            yield one, one.read()
        except LuckyFernError as error:
            yield one, error
    told(1.0)
