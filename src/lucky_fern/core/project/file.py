"""The ``.fern`` project file: a zip of ``project.json`` and the files it names (docs/project-format.md)."""

import io
import zipfile
import zlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path, PurePath
from typing import BinaryIO

import msgspec

from lucky_fern.core.errors import ProjectError
from lucky_fern.core.files import write_whole
from lucky_fern.core.project.blobs import Blobs, digest_of
from lucky_fern.core.project.document import FORMAT_VERSION, Project
from lucky_fern.core.project.painted import painted_digests

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
        if project.model.arrays is not None:
            members.setdefault(project.model.arrays, f"model/{project.model.arrays[:12]}.zst")
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


def unpack(source: BinaryIO, name: str) -> tuple[Project, Blobs]:
    """Read an open project file.

    Raises
    ------
    ProjectError
        If they are damaged, foreign, or of a newer version.
    """
    damaged = f"{name} is damaged and cannot be opened; take an older copy of it."
    try:
        with zipfile.ZipFile(source) as archive:
            if DOCUMENT not in archive.namelist():
                raise ProjectError(f"{name} is not a Lucky Fern project; choose a file that ends in {SUFFIX}.")
            top = msgspec.json.decode(archive.read(DOCUMENT))
            if not isinstance(top, dict) or not isinstance(top.get("lucky-fern"), int):
                raise ProjectError(f"{name} is not a Lucky Fern project; choose a file that ends in {SUFFIX}.")
            if top["lucky-fern"] > FORMAT_VERSION:
                raise ProjectError(f"{name} was saved by a newer Lucky Fern; update the program to open it.")
            project = msgspec.convert(top["project"], Project, str_keys=True)
            contents = msgspec.convert(top["contents"], dict[str, str])
            blobs = Blobs()

            # Painted chunks are many and guarded by the archive's own sums; the rest is checked by digest too.
            def read(item: tuple[str, str]) -> bool:
                digest, member = item
                data = archive.read(member)
                blobs.put(digest, data)
                return member.startswith(_PAINT) or digest_of(data) == digest

            with ThreadPoolExecutor(2, thread_name_prefix="fern-open") as pool:
                if not all(pool.map(read, contents.items())):
                    raise ProjectError(damaged)
    except zipfile.BadZipFile as error:
        source.seek(0)
        if source.read(2) == b"PK":
            raise ProjectError(damaged) from error
        raise ProjectError(f"{name} is not a Lucky Fern project; choose a file that ends in {SUFFIX}.") from error
    except (msgspec.MsgspecError, KeyError, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise ProjectError(damaged) from error
    missing = [digest for digest in _members(project) if digest not in blobs]
    if missing:
        raise ProjectError(damaged)
    return project, blobs


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
        with path.open("rb") as file:
            return unpack(file, path.name)
    except FileNotFoundError:
        raise ProjectError(f"{path} does not exist; check the path.") from None
    except OSError as error:
        raise ProjectError(f"{path} cannot be read ({error.strerror}); check its permissions.") from error
