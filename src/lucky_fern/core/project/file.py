"""The ``.fern`` project file: a zip of ``project.json`` and the files it names (docs/project-format.md)."""

import io
import os
import shutil
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path, PurePath
from typing import BinaryIO, NamedTuple

import msgspec

from lucky_fern.core.errors import ExportError, ProjectError
from lucky_fern.core.files import WholeFiles, check_regular
from lucky_fern.core.limits import MOST_FILE, MOST_SMALL_FILE, MOST_UNPACKED, unpacked_too_large
from lucky_fern.core.project.blobs import Blobs, digest_of
from lucky_fern.core.project.checking import check_project
from lucky_fern.core.project.document import FORMAT_VERSION, Project
from lucky_fern.core.project.first_look import MEMBER, Look, pack_look
from lucky_fern.core.project.kinds import convert
from lucky_fern.core.project.migrations import OLDEST, migrated
from lucky_fern.core.project.references import painted_digests
from lucky_fern.words import tr

DOCUMENT = "project.json"
SUFFIX = ".fern"
_STORED = {".png", ".jpg", ".jpeg", ".webp", ".zst", ".fernrecipe"}  # compressed already
_PAINT = "paint/"
# What damaged archives and documents raise on their way.
_BROKEN = (msgspec.MsgspecError, KeyError, ValueError, TypeError, AttributeError, IndexError, OverflowError,
           zlib.error, EOFError, NotImplementedError, RuntimeError, RecursionError, MemoryError, struct.error,
           zipfile.BadZipFile, OSError)  # fmt: skip
_EPOCH = (1980, 1, 1, 0, 0, 0)  # no clock inside, so equal projects make equal files


def members_of(project: Project) -> dict[str, str]:
    """Names inside the zip of the digests that a project needs: readable, and safe on every system."""
    members: dict[str, str] = {}
    if project.model is not None:
        for name, digest in project.model.files.items():
            members.setdefault(digest, f"model/{digest[:12]}{PurePath(name).suffix.lower()}")
        for stored in (project.model.arrays, project.model.layout):
            if stored is not None:
                members.setdefault(stored, f"model/{stored[:12]}.zst")
    for digest in painted_digests(project):
        members.setdefault(digest, f"{_PAINT}{digest[:16]}.zst")
    for kit in project.pictures.values():
        members.setdefault(kit.digest, f"pictures/{kit.digest[:12]}{PurePath(kit.name).suffix.lower()}")
        if kit.prepared is not None:
            original, suffix = kit.prepared.original, PurePath(kit.prepared.name).suffix.lower()
            members.setdefault(original, f"pictures/{original[:12]}{suffix}")
        if kit.terms:
            members.setdefault(kit.terms, f"licences/{kit.terms[:12]}.txt")
    for digest in project.recipes.values():
        members.setdefault(digest, f"recipes/{digest[:12]}.fernrecipe")
    for loan in project.loans.values():
        for digest in sorted(loan.digests):
            members.setdefault(digest, f"loans/{digest[:12]}.png")
    for view in project.lent_views.values():
        members.setdefault(view.lent, f"loans/{view.lent[:12]}.png")
    if project.measured is not None:
        members.setdefault(project.measured, f"model/{project.measured[:12]}.survey.zst")
    if project.light is not None and project.light.panorama is not None:
        members.setdefault(project.light.panorama.digest, f"light/{project.light.panorama.digest[:12]}.exr")
    return members


def pack(project: Project, blobs: Blobs) -> bytes:
    """The bytes of a project file; equal projects give equal bytes."""
    out = io.BytesIO()
    _pack_into(out, project, blobs)
    return out.getvalue()


def _pack_into(
    out: BinaryIO, project: Project, blobs: Blobs, told: Callable[[float], None] = lambda _: None,
    look: Look | None = None,
) -> None:  # fmt: skip
    """Write a project file part by part; ``told`` hears the share that is written, and may end it by raising."""
    members = members_of(project)
    document = {
        "lucky-fern": FORMAT_VERSION,
        "project": msgspec.to_builtins(project, str_keys=True),
        "contents": {digest: members[digest] for digest in sorted(members)},
    }
    with zipfile.ZipFile(out, "w") as archive:
        text = msgspec.json.format(msgspec.json.encode(document, order="deterministic"), indent=1)
        archive.writestr(zipfile.ZipInfo(DOCUMENT, _EPOCH), text, zipfile.ZIP_DEFLATED)
        for at, (digest, name) in enumerate(sorted(members.items(), key=lambda item: item[1])):
            told(at / len(members))
            kind = zipfile.ZIP_STORED if PurePath(name).suffix in _STORED else zipfile.ZIP_DEFLATED
            archive.writestr(zipfile.ZipInfo(name, _EPOCH), blobs[digest], kind)
        packed = pack_look(look, text) if look else None
        if packed is not None:
            archive.writestr(zipfile.ZipInfo(MEMBER, _EPOCH), packed, zipfile.ZIP_STORED)
    told(1.0)


def _read(archive: zipfile.ZipFile, member: str, name: str) -> bytes:
    """A member's bytes; one that unpacks to far more than honest contents do is refused."""
    info = archive.getinfo(member)
    if info.file_size > MOST_FILE or unpacked_too_large(info.compress_size, info.file_size):
        raise ProjectError(
            tr(
                "{name} would unpack to {file_size:.0f} MB; take an older copy of it.",
                name=name,
                file_size=info.file_size / 1e6,
            )
        )
    return archive.read(info)


def _later(archive: zipfile.ZipFile, member: str, name: str) -> Callable[[], bytes]:
    """Reads a member when asked; it is guarded by the archive's own sum."""

    def read() -> bytes:
        try:
            return _read(archive, member, name)
        except ProjectError:
            raise
        except _BROKEN as error:
            raise ProjectError(
                tr("painted pixels in {name} are damaged; take an older copy of it.", name=name)
            ) from error

    return read


class FileKind(NamedTuple):
    """What a file that holds layers is called, and how its names end."""

    word: str
    suffix: str


PROJECT = FileKind(tr("Lucky Fern project"), SUFFIX)


def unpack(path: Path, kind: FileKind = PROJECT) -> tuple[Project, Blobs]:
    """Read a project file, or another of its making. Painted pixels stay in it until they are asked for (see
    :meth:`Blobs.fetch`).

    Raises
    ------
    ProjectError
        If it is damaged, foreign, or of a newer version, or there is too little memory.
    OSError
        If it cannot be read.
    """
    name = path.name
    damaged = f"{name} is damaged and cannot be opened; take an older copy of it."
    check_regular(path, ProjectError)
    try:
        archive = zipfile.ZipFile(path)  # stays open for what waits in it, also when the file is replaced
        if sum(info.file_size for info in archive.infolist()) > MOST_UNPACKED:
            raise ProjectError(
                tr(
                    "{name} would unpack to more than {MOST_UNPACKED} GB; take an older copy of it.",
                    name=name,
                    MOST_UNPACKED=MOST_UNPACKED >> 30,
                )
            )
        project, contents = _document(archive, name, kind)
        members, blobs = set(archive.namelist()), Blobs()
        blobs.filed.update(contents)
        for digest, member in contents.items():
            if member.startswith(_PAINT) and member in members:
                blobs.put_later(digest, _later(archive, member, name))
                continue
            data = _read(archive, member, name)
            if digest_of(data) != digest:
                raise ProjectError(damaged)
            blobs.put(digest, data)
    except ProjectError:
        raise
    except zipfile.BadZipFile as error:
        with path.open("rb") as source:
            if source.read(2) == b"PK":
                raise ProjectError(damaged) from error
        raise ProjectError(_foreign(name, kind)) from error
    except MemoryError as error:
        raise ProjectError(
            tr("there is too little memory to open {name}; close other programs, then try again.", name=name)
        ) from error
    except OSError as error:
        if error.errno is not None:  # the disk's word, not the archive's
            raise
        raise ProjectError(damaged) from error
    except _BROKEN as error:
        raise ProjectError(damaged) from error
    if any(digest not in blobs for digest in members_of(project)):
        raise ProjectError(damaged)
    check_project(project, name)
    return project, blobs


def _foreign(name: str, kind: FileKind) -> str:
    return tr("{name} is not a {kind}; choose a file that ends in {suffix}.", name=name, kind=kind.word,
              suffix=kind.suffix)  # fmt: skip


def _document(archive: zipfile.ZipFile, name: str, kind: FileKind) -> tuple[Project, dict[str, str]]:
    """The project and the members that hold its contents, by digest."""
    if DOCUMENT not in archive.namelist():
        raise ProjectError(_foreign(name, kind))
    if archive.getinfo(DOCUMENT).file_size > MOST_SMALL_FILE:
        raise ProjectError(tr("{name} has a document larger than any; take an older copy of it.", name=name))
    top = msgspec.json.decode(_read(archive, DOCUMENT, name))
    if not isinstance(top, dict) or not isinstance(top.get("lucky-fern"), int):
        raise ProjectError(_foreign(name, kind))
    if top["lucky-fern"] > FORMAT_VERSION:
        raise ProjectError(tr("{name} was saved by a newer Lucky Fern; update the program to open it.", name=name))
    if top["lucky-fern"] < OLDEST:
        raise ProjectError(
            tr("{name} was saved by a version that is too old to be read; open and save it in between.", name=name)
        )
    project = convert(migrated(top["project"], top["lucky-fern"]), Project)
    return project, convert(top["contents"], dict[str, str])


def save_project(
    path: Path, project: Project, blobs: Blobs, keep_previous: bool = False,
    told: Callable[[float], None] = lambda _: None, look: Look | None = None,
) -> None:  # fmt: skip
    """Write a project file atomically; with ``keep_previous`` the one that was there stays as ``NAME~``.

    ``look`` is what its maps look like, to be seen as soon as it is opened.

    ``told`` hears the share that is written; what it raises ends it, and leaves all as it was.

    Raises
    ------
    ExportError
        If it cannot be written; an older file of that name stays as it was.
    """
    with WholeFiles() as files:
        files.fill(path, lambda out: _pack_into(out, project, blobs, told, look))
        if keep_previous:
            keep_as_previous(path)
        files.publish()


def keep_as_previous(path: Path) -> None:
    """Keep a file, if it is there, under its name with a ``~`` behind it.

    Raises
    ------
    ExportError
        If that cannot be.
    """
    previous = path.with_name(path.name + "~")
    if not path.is_file():
        return
    try:
        previous.unlink(missing_ok=True)
        try:
            os.link(path.resolve(), previous)  # saving puts another file in its place, and leaves this one be
        except OSError:
            shutil.copy2(path, previous)
    except OSError as error:
        raise ExportError(
            tr(
                "{name} cannot be kept ({strerror}); save without keeping the previous file.",
                name=previous.name,
                strerror=error.strerror,
            )
        ) from error


def open_project(path: Path) -> tuple[Project, Blobs]:
    """Read a project file from disk.

    Raises
    ------
    ProjectError
        If it is missing, unreadable, damaged, foreign, or of a newer version.
    """
    try:
        return unpack(path)
    except OSError as error:
        raise ProjectError(
            tr("{path} cannot be read ({strerror}); check its permissions.", path=path, strerror=error.strerror)
        ) from error
