"""The program in the desktop's menus: an entry, an icon, the type of its files, their thumbnails, what software
centres, ``man`` and the shell say of it; and out again.

Everything goes into the person's own folders (XDG Base Directory, Desktop Entry, Shared MIME-info, Thumbnail and
AppStream specifications of freedesktop.org), so no other rights are needed.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import zipfile
from contextlib import suppress
from pathlib import Path

import cv2
import numpy as np

from lucky_fern import __version__
from lucky_fern.core.errors import ExportError, LuckyFernError
from lucky_fern.core.files import write_whole
from lucky_fern.manual import Commands, completion, manual_page

MIME = "application/x-lucky-fern-project"
_ENTRY = """[Desktop Entry]
Type=Application
Name=Lucky Fern
GenericName=Texture painter
Comment=Paint textures of models for game mods
Exec={command} open %f
Icon=lucky-fern
Terminal=false
Categories=Graphics;2DGraphics;3DGraphics;
MimeType={mime};
StartupWMClass=Lucky Fern
"""
_TYPE = f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{MIME}">
    <comment>Lucky Fern project</comment>
    <glob pattern="*.fern"/>
    <icon name="lucky-fern"/>
  </mime-type>
</mime-info>
"""
_THUMBNAILER = """[Thumbnailer Entry]
TryExec={program}
Exec={command} thumbnail %i %o --size %s
MimeType={mime};
"""
_METAINFO = f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>lucky-fern</id>
  <name>Lucky Fern</name>
  <summary>Paint textures of models for game mods</summary>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>MIT</project_license>
  <description>
    <p>Project logos, decals, labels and liveries onto models, paint and mask over all their sheets, and export the
    map sets that a game reads.</p>
  </description>
  <launchable type="desktop-id">lucky-fern.desktop</launchable>
  <provides><mediatype>{MIME}</mediatype><binary>lucky-fern</binary></provides>
  <content_rating type="oars-1.1"/>
  <releases><release version="{__version__}" type="development"/></releases>
</component>
"""
# What update-mime-database and update-desktop-database make of what lies there, and nobody else writes.
_MADE = (
    "aliases", "generic-icons", "globs", "globs2", "icons", "magic", "mime.cache", "subclasses", "treemagic", "types",
    "version", "XMLnamespaces",
)  # fmt: skip


def data_folder() -> Path:
    """Where a person's programs are described (XDG_DATA_HOME)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def files(data: Path, commands: Commands) -> dict[Path, bytes]:
    """What is put where; ``commands`` are those that are told of."""
    program = shutil.which("lucky-fern")
    command = _quoted(program) if program else f"{_quoted(sys.executable)} -m lucky_fern.cli"
    first = program or sys.executable
    icon = (Path(__file__).parent / "ui" / "widgets" / "icons" / "fern.svg").read_text(encoding="utf-8")
    return {
        data / "applications" / "lucky-fern.desktop": _ENTRY.format(command=command, mime=MIME).encode(),
        data / "icons" / "hicolor" / "scalable" / "apps" / "lucky-fern.svg": icon.replace(
            "currentColor", "#2c6b4c"
        ).encode(),
        data / "mime" / "packages" / "lucky-fern.xml": _TYPE.encode(),
        data / "thumbnailers" / "lucky-fern.thumbnailer": _THUMBNAILER.format(
            program=first, command=command, mime=MIME
        ).encode(),
        data / "metainfo" / "lucky-fern.metainfo.xml": _METAINFO.encode(),
        data / "man" / "man1" / "lucky-fern.1": manual_page(commands).encode(),
        data / "bash-completion" / "completions" / "lucky-fern": completion(commands).encode(),
    }


def install(commands: Commands, data: Path | None = None) -> list[Path]:
    """Put it all there; what was written.

    Raises
    ------
    ExportError
        If a folder cannot be written.
    """
    data = data or data_folder()
    made = files(data, commands)
    for path, content in made.items():
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise ExportError(f"{path.parent} cannot be made ({error.strerror}); check its rights.") from error
        write_whole(path, content)
    _tell_desktop(data)
    return list(made)


def uninstall(commands: Commands, data: Path | None = None) -> list[Path]:
    """Take it all out again, with folders and lists that only it filled; what was there."""
    data = data or data_folder()
    gone = [path for path in files(data, commands) if path.exists()]
    for path in gone:
        path.unlink()
    _tell_desktop(data)
    if not any((data / "mime" / "packages").glob("*.xml")):
        for name in (*_MADE, f"{MIME}.xml"):
            (data / "mime" / name).unlink(missing_ok=True)
        with suppress(OSError):
            (data / "mime" / MIME).parent.rmdir()
    if not any((data / "applications").glob("*.desktop")):
        (data / "applications" / "mimeinfo.cache").unlink(missing_ok=True)
    for folder in {path.parent for path in gone}:
        for empty in (folder, *folder.parents):
            if empty == data:
                break
            with suppress(OSError):  # others have something there
                empty.rmdir()
    return gone


def thumbnail(project: Path, target: Path, size: int) -> None:
    """A PNG of a project's colours, its longer side ``size`` pixels at the most.

    Raises
    ------
    LuckyFernError
        If the project cannot be opened, or the picture not written.
    """
    from lucky_fern.core.compositing.compositor import composite_sheet
    from lucky_fern.core.exporting.png import encode_png
    from lucky_fern.core.project.commands import SetSheetSize
    from lucky_fern.core.studio import Studio

    try:
        studio = Studio.open(project)
    except zipfile.BadZipFile as error:
        raise LuckyFernError(f"{project.name} is damaged and cannot be opened.") from error
    if not studio.surface.keys:
        raise LuckyFernError(f"{project.name} has no sheet to be seen.")
    key = studio.surface.keys[0]
    small = 1 << max(int(np.ceil(np.log2(max(size, 16)))), 4)
    if studio.project.size_of(key).longest > small:
        studio.execute(SetSheetSize(studio.project.size_of(key).as_long_as(small), str(key)))
    side = studio.project.size_of(key)
    pixels = composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, side), 8)
    if side.longest > size:
        few = side.as_long_as(size)
        pixels = cv2.resize(pixels, (few.width, few.height), interpolation=cv2.INTER_AREA)
    write_whole(target, encode_png(np.ascontiguousarray(pixels, np.uint8)))


def _quoted(text: str) -> str:
    """An argument as the Exec key holds it (Desktop Entry specification, "The Exec key")."""
    if re.search(r"""[\s"'\\><~|&;$*?#()`]""", text):
        text = '"' + re.sub(r'(["`$\\])', r"\\\1", text) + '"'
    return text.replace("%", "%%")


def _tell_desktop(data: Path) -> None:
    """Have the desktop read its lists anew, where it has programs for that."""
    for command in (
        ["update-mime-database", str(data / "mime")],
        ["update-desktop-database", str(data / "applications")],
    ):
        if shutil.which(command[0]):
            subprocess.run(command, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
