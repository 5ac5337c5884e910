"""What this program is, of which version, and under whose licences its parts are."""

from __future__ import annotations

from importlib import metadata, resources
from pathlib import Path

from PySide6.QtCore import qVersion
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPlainTextEdit, QVBoxLayout, QWidget

from lucky_fern import __version__
from lucky_fern.words import tr


def parts_used() -> list[tuple[str, str, str]]:
    """Name, version and licence of every package that the program is made with."""
    found = []
    try:
        wanted = metadata.requires("lucky-fern") or []
    except metadata.PackageNotFoundError:
        wanted = []
    for line in wanted:
        name = line.split(">")[0].split("=")[0].split("<")[0].split(";")[0].strip()
        try:
            about = metadata.metadata(name)
        except metadata.PackageNotFoundError:
            continue
        licence = _first(about, "License-Expression") or _short(_first(about, "License")) or _classified(about)
        found.append((name, about["Version"], licence or tr("see the package")))
    return sorted(found)


def _first(about: metadata.PackageMetadata, name: str) -> str:
    return next(iter(about.get_all(name) or []), "")


def _short(text: str) -> str:
    first = text.strip().split("\n")[0]
    return first if 0 < len(first) < 60 else ""


def _classified(about: metadata.PackageMetadata) -> str:
    lines = about.get_all("Classifier") or []
    return ", ".join(line.split(" :: ")[-1] for line in lines if line.startswith("License ::"))


def licences() -> str:
    """The list, and the licences of the fonts that come along."""
    lines = [f"{name} {version}: {licence}" for name, version, licence in parts_used()]
    fonts = Path(str(resources.files("lucky_fern.fonts")))
    for path in sorted(fonts.iterdir()):
        if path.suffix.lower() in (".txt", ".md"):
            lines += ["", path.name, path.read_text(encoding="utf-8", errors="replace")]
    return "\n".join(lines)


class About(QDialog):
    """Version and licences."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("About Lucky Fern"))
        self.resize(560, 460)
        column = QVBoxLayout(self)
        words = QLabel(
            tr(
                "<b>Lucky Fern {version}</b><br>A texture painter for game mods, with Qt {qVersion}.",
                version=__version__,
                qVersion=qVersion(),
            )
        )
        column.addWidget(words)
        text = QPlainTextEdit(licences(), readOnly=True)
        text.setAccessibleName(tr("Parts and their licences"))
        column.addWidget(text, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
