"""My kit: pictures kept on this computer, as plain files in folders with a small index beside them.

The folder is one's own: files may be put there, moved and taken out with any program. The index (``kit.json``) only
adds what files cannot say: tags, favourites, how they are taken, whose they are.
"""

from __future__ import annotations

import contextlib
import os
import threading
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

import msgspec
import platformdirs
from msgspec.structs import replace

from lucky_fern.core.errors import ExportError, PictureError
from lucky_fern.core.files import read_file, safe_name, write_whole
from lucky_fern.core.kit.searching import Card
from lucky_fern.core.limits import MOST_SMALL_FILE
from lucky_fern.core.pictures.naming import Taken
from lucky_fern.core.pictures.picture import SUFFIXES, is_drawing
from lucky_fern.core.project.commands.shelving import clean_folder, with_tags
from lucky_fern.core.project.document import KitPicture
from lucky_fern.words import tr

INDEX = "kit.json"
_REMOVED = ".removed"
_MOST = 20_000  # files that are listed
_DEEPEST = 8  # folders in folders


class Note(msgspec.Struct, frozen=True, omit_defaults=True):
    """What the index says of a file; keys that another version wrote are let go."""

    tags: tuple[str, ...] = ()
    favourite: bool = False
    taken: Taken | None = None
    covers: bool = False
    author: str = ""
    licence: str = ""
    source: str = ""


class _Index(msgspec.Struct, frozen=True):
    kit: int = 1
    files: dict[str, Note] = {}


@dataclass(frozen=True)
class Mine:
    """A file of my kit: its path in the folder (``signs/ferry.png``), its size in bytes, when it was written."""

    name: str
    path: Path
    note: Note
    size: int
    written: float

    @property
    def folder(self) -> str:
        parent = str(PurePosixPath(self.name).parent)
        return "" if parent == "." else parent

    def card(self, colours: tuple[str, ...] = ()) -> Card:
        """What a search goes by."""
        kinds = [tr("drawing") if is_drawing(self.name) else tr("picture")]
        kinds += [tr("data")] if self.note.taken == "data" else []
        kinds += [tr("coverage")] if self.note.covers else []
        return Card(PurePosixPath(self.name).name, self.note.tags, self.folder, self.note.favourite, tuple(kinds),
                    colours)  # fmt: skip


def own_kit() -> Path:
    """Where my kit lies if nothing else was chosen (XDG_DATA_HOME)."""
    return Path(platformdirs.user_data_dir("lucky-fern")) / "kit"


class MyKit:
    """One folder of pictures; safe to use from several threads and beside other programs."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.notes: list[str] = []  # what is to be said of it, in sentences
        self._lock = threading.Lock()

    # --- reading ------------------------------------------------------------------------------------------------

    def files(self) -> list[Mine]:
        """All pictures, by folder and name. A folder that is not there has none."""
        index = self._index().files
        found: list[Mine] = []
        for place, folders, names in os.walk(self.folder):
            inside = Path(place).relative_to(self.folder)
            folders[:] = sorted(one for one in folders if not one.startswith("."))
            if len(inside.parts) >= _DEEPEST:
                folders.clear()
            for name in sorted(names):
                path = Path(place) / name
                if path.suffix.lower() not in SUFFIXES or name.startswith("."):
                    continue
                try:
                    told = path.stat()
                except OSError:
                    continue
                key = (inside / name).as_posix()
                found.append(Mine(key, path, index.get(key, Note()), told.st_size, told.st_mtime))
                if len(found) >= _MOST:
                    self.notes.append(tr("My kit has more than {most} pictures; the rest is not shown.", most=_MOST))
                    return found
        return found

    def read(self, name: str) -> tuple[bytes, Note]:
        """A file's bytes and what is known of it.

        Raises
        ------
        PictureError
            If it is not there any more or cannot be read; the sentence names it.
        """
        return read_file(self._path(name), PictureError), self._index().files.get(name, Note())

    def _index(self) -> _Index:
        path = self.folder / INDEX
        if not path.exists():
            return _Index()
        try:
            return msgspec.json.decode(read_file(path, PictureError, MOST_SMALL_FILE), type=_Index)
        except (msgspec.MsgspecError, PictureError, UnicodeDecodeError):
            aside = path.with_suffix(".damaged.json")
            with contextlib.suppress(OSError):
                path.replace(aside)
            self.notes.append(
                tr("{path} cannot be read; it lies beside it as {aside} now; my kit has lost tags and favourites.",
                   path=path, aside=aside.name)
            )  # fmt: skip
            return _Index()

    def _path(self, name: str) -> Path:
        path = (self.folder / name).resolve()
        if not path.is_relative_to(self.folder.resolve()):
            raise PictureError(tr("{name!r} lies outside my kit.", name=name))
        return path

    # --- changing -----------------------------------------------------------------------------------------------

    def add(self, data: bytes, name: str, note: Note = Note(), folder: str = "") -> str:
        """Keep a picture's file; its path in the folder. The same contents in the same folder come in once.

        Raises
        ------
        ExportError
            If the disk is full, gone, or refuses; nothing has changed then.
        """
        with self._lock:
            place = self.folder.joinpath(*(safe_name(part) for part in clean_folder(folder).split("/") if part))
            path = place / safe_name(name)
            number = 2
            while path.exists():
                with contextlib.suppress(PictureError):
                    if path.stat().st_size == len(data) and read_file(path, PictureError) == data:
                        break
                path = place / safe_name(f"{Path(name).stem} {number}{Path(name).suffix}")
                number += 1
            if not path.exists():
                write_whole(path, data)
            key = path.relative_to(self.folder).as_posix()
            if note != Note():
                self._write({**self._index().files, key: note})
            return key

    def describe(
        self, names: list[str], add: tuple[str, ...] = (), drop: tuple[str, ...] = (), favourite: bool | None = None,
    ) -> None:  # fmt: skip
        """Give files tags, or have them as favourites (ExportError if the index cannot be written)."""
        with self._lock:
            files = dict(self._index().files)
            for name in names:
                note = files.get(name, Note())
                note = replace(note, tags=with_tags(note.tags, add, drop))
                files[name] = note if favourite is None else replace(note, favourite=favourite)
            self._write(files)

    def credit(self, name: str, author: str, licence: str, source: str) -> None:
        """Write down whose a file is."""
        with self._lock:
            files = dict(self._index().files)
            files[name] = replace(files.get(name, Note()), author=author, licence=licence, source=source)
            self._write(files)

    def move(self, name: str, to: str) -> str:
        """Call a file otherwise, or put it into another folder (``signs/new name.png``); its new path.

        Raises
        ------
        PictureError
            If there is one of that name, or the file is not there any more.
        ExportError
            If the disk refuses.
        """
        with self._lock:
            source, parts = self._path(name), [safe_name(part) for part in clean_folder(to).split("/")]
            target = self.folder.joinpath(*parts)
            if not target.suffix:
                target = target.with_name(target.name + source.suffix)
            key = target.relative_to(self.folder).as_posix()
            if key == name:
                return name
            if target.exists():
                raise PictureError(tr("There is a {name} in my kit already; choose another name.", name=key))
            self._rename(source, target)
            files = dict(self._index().files)
            if name in files:
                files[key] = files.pop(name)
                self._write(files)
            return key

    def remove(self, names: list[str]) -> Path:
        """Take files out: they lie in a hidden folder of the kit then, which is answered (ExportError)."""
        with self._lock:
            files = dict(self._index().files)
            aside = self.folder / _REMOVED
            for name in names:
                source, target, number = self._path(name), aside / Path(name).name, 2
                while target.exists():
                    target = aside / f"{Path(name).stem} {number}{Path(name).suffix}"
                    number += 1
                self._rename(source, target)
                files.pop(name, None)
            self._write(files)
            return aside

    def _rename(self, source: Path, target: Path) -> None:
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            source.replace(target)
        except FileNotFoundError as error:
            raise PictureError(tr("{name} is not in my kit any more.", name=source.name)) from error
        except OSError as error:
            raise ExportError(
                tr("{name} cannot be moved ({why}); see that my kit's disk is there and can be written.",
                   name=source, why=error.strerror or error)
            ) from error  # fmt: skip

    def _write(self, files: dict[str, Note]) -> None:
        kept = {name: note for name, note in sorted(files.items()) if note != Note()}
        data = msgspec.json.format(msgspec.json.encode(_Index(files=kept)), indent=1)
        write_whole(self.folder / INDEX, data)


def note_of(kit: KitPicture) -> Note:
    """What a project knows of a picture, for the index."""
    taken = kit.taken if kit.taken == "data" else None
    return Note(kit.tags, kit.favourite, taken, kit.covers, kit.author, kit.licence, kit.source)
