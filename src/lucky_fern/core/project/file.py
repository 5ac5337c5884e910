"""The ``.fern`` project file: a zip of ``project.json`` and the files it names (docs/project-format.md)."""

import io
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path, PurePath

import msgspec

from lucky_fern.core.errors import ProjectError
from lucky_fern.core.files import write_whole
from lucky_fern.core.project.blobs import Blobs, digest_of
from lucky_fern.core.project.document import FORMAT_VERSION, Project
from lucky_fern.core.project.kinds import convert
from lucky_fern.core.project.migrations import migrated
from lucky_fern.core.project.references import painted_digests

DOCUMENT = "project.json"
SUFFIX = ".fern"
_STORED = {".png", ".jpg", ".jpeg", ".webp", ".zst"}  # compressed already
_PAINT = "paint/"
_EPOCH = (1980, 1, 1, 0, 0, 0)  # no clock inside, so equal projects make equal files


def _members(project: Project) -> dict[str, str]:
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
    return members


def pack(project: Project, blobs: Blobs) -> bytes:
    """The bytes of a project file; equal projects give equal bytes."""
    members = _members(project)
    document = {
        "lucky-fern": FORMAT_VERSION,
        "project": msgspec.to_builtins(project, str_keys=True),
        "contents": {digest: members[digest] for digest in sorted(members)},
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        text = msgspec.json.format(msgspec.json.encode(document, order="deterministic"), indent=1)
        archive.writestr(zipfile.ZipInfo(DOCUMENT, _EPOCH), text, zipfile.ZIP_DEFLATED)
        for digest, name in sorted(members.items(), key=lambda item: item[1]):
            kind = zipfile.ZIP_STORED if PurePath(name).suffix in _STORED else zipfile.ZIP_DEFLATED
            archive.writestr(zipfile.ZipInfo(name, _EPOCH), blobs[digest], kind)
    return out.getvalue()


def _later(archive: zipfile.ZipFile, member: str, name: str) -> Callable[[], bytes]:
    """Reads a member when asked; it is guarded by the archive's own sum."""

    def read() -> bytes:
        try:
            return archive.read(member)
        except (zipfile.BadZipFile, OSError, zlib.error, EOFError, ValueError) as error:
            raise ProjectError(f"painted pixels in {name} are damaged; take an older copy of it.") from error

    return read


def unpack(path: Path) -> tuple[Project, Blobs]:
    """Read a project file. Painted pixels stay in it until they are asked for (see :meth:`Blobs.fetch`).

    Raises
    ------
    ProjectError
        If it is damaged, foreign, or of a newer version.
    OSError
        If it cannot be read.
    """
    name = path.name
    damaged = f"{name} is damaged and cannot be opened; take an older copy of it."
    try:
        archive = zipfile.ZipFile(path)  # stays open for what waits in it, also when the file is replaced
        project, contents = _document(archive, name)
        members, blobs = set(archive.namelist()), Blobs()
        for digest, member in contents.items():
            if member.startswith(_PAINT) and member in members:
                blobs.put_later(digest, _later(archive, member, name))
                continue
            data = archive.read(member)
            if digest_of(data) != digest:
                raise ProjectError(damaged)
            blobs.put(digest, data)
    except zipfile.BadZipFile as error:
        with path.open("rb") as source:
            if source.read(2) == b"PK":
                raise ProjectError(damaged) from error
        raise ProjectError(_foreign(name)) from error
    except (msgspec.MsgspecError, KeyError, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise ProjectError(damaged) from error
    if any(digest not in blobs for digest in _members(project)):
        raise ProjectError(damaged)
    return project, blobs


def _foreign(name: str) -> str:
    return f"{name} is not a Lucky Fern project; choose a file that ends in {SUFFIX}."


def _document(archive: zipfile.ZipFile, name: str) -> tuple[Project, dict[str, str]]:
    """The project and the members that hold its contents, by digest."""
    if DOCUMENT not in archive.namelist():
        raise ProjectError(_foreign(name))
    top = msgspec.json.decode(archive.read(DOCUMENT))
    if not isinstance(top, dict) or not isinstance(top.get("lucky-fern"), int):
        raise ProjectError(_foreign(name))
    if top["lucky-fern"] > FORMAT_VERSION:
        raise ProjectError(f"{name} was saved by a newer Lucky Fern; update the program to open it.")
    project = convert(migrated(top["project"], top["lucky-fern"]), Project)
    return project, convert(top["contents"], dict[str, str])


def save_project(path: Path, project: Project, blobs: Blobs) -> None:
    """Write a project file atomically.

    Raises
    ------
    ExportError
        If it cannot be written; an older file of that name stays as it was.
    """
    write_whole(path, pack(project, blobs))


def open_project(path: Path) -> tuple[Project, Blobs]:
    """Read a project file from disk.

    Raises
    ------
    ProjectError
        If it is missing, unreadable, damaged, foreign, or of a newer version.
    """
    try:
        return unpack(path)
    except FileNotFoundError:
        raise ProjectError(f"{path} does not exist; check the path.") from None
    except OSError as error:
        raise ProjectError(f"{path} cannot be read ({error.strerror}); check its permissions.") from error
