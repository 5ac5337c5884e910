"""What the project is exported as: remembered in it, changed from the Export and the Check station."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from lucky_fern.core.errors import CommandError, LuckyFernError
from lucky_fern.core.files import read_file, safe_name, write_whole
from lucky_fern.core.project.commands import SetExports
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.presets import LARGEST_PRESET, PRESETS, Preset, preset_from_json, preset_to_json
from lucky_fern.ui.session.work import Work
from lucky_fern.words import tr

_FIRST = ("separate", "emissive")


class Exports(QObject):
    """The project's exports; all of them share everything but the preset."""

    finished = Signal()  # files are no longer being written

    def __init__(self, work: Work) -> None:
        super().__init__()
        self.work = work
        self.shelf: dict[str, Preset] = {}  # presets of one's own on this computer
        self.working = False  # whether files are being written

    def set_working(self, on: bool) -> None:
        """Files are being written, or not any more; while they are, nothing that they need is forgotten."""
        self.working = on
        (self.work.readers.add if on else self.work.readers.discard)(self)
        if not on:
            self.finished.emit()

    @property
    def setups(self) -> tuple[ExportSetup, ...]:
        """Those of the project, or the first ones anybody would want."""
        project = self.work.project
        if project is None:
            return ()
        chosen = project.exports or tuple(ExportSetup(name, self.folder) for name in _FIRST)
        return tuple(setup if setup.out else replace(setup, out=self.folder) for setup in chosen)

    @property
    def common(self) -> ExportSetup:
        """One of them, for what they share."""
        return next(iter(self.setups), ExportSetup("separate", self.folder))

    @property
    def folder(self) -> str:
        """Where maps go unless it was said otherwise: beside the project."""
        studio, path = self.work.studio, self.work.path
        base = path.parent if path is not None else Path.home()
        return str(base / f"{safe_name(studio.project.name)} maps") if studio is not None else ""

    @property
    def stem(self) -> str:
        """First part of the file names: the project file's stem, or the project's name."""
        if self.work.path is not None:
            return self.work.path.stem
        return self.work.studio.project.name if self.work.studio is not None else "project"

    def change(self, **changes: Any) -> bool:
        """Change what they share."""
        return self._set(tuple(replace(setup, **changes) for setup in self.setups))

    def use(self, name: str, on: bool, own: Preset | None = None) -> bool:
        """Write a preset's files, too, or not any more."""
        kept = [setup for setup in self.setups if setup.preset != name]
        if own is not None:
            self.shelf[name] = own
        if on:
            kept.append(replace(self.common, preset=name, own=own))
        order = list(PRESETS)
        kept.sort(key=lambda setup: order.index(setup.preset) if setup.preset in order else len(order))
        return bool(kept) and self._set(tuple(kept))

    def take_preset(self, path: Path) -> None:
        """A preset of one's own, from a file."""
        try:
            self.use(path.stem, True, preset_from_json(read_file(path, CommandError, LARGEST_PRESET), path.name))
        except (OSError, LuckyFernError) as error:
            self.work.said.emit(str(error), True)

    def write_preset(self, setup: ExportSetup, path: Path) -> None:
        """A preset as a file, to change or to share."""
        try:
            write_whole(path, preset_to_json(setup.what))
            self.work.said.emit(
                tr("Wrote {name}: change it and take it in again, or share it.", name=path.name), False
            )
        except LuckyFernError as error:
            self.work.said.emit(str(error), True)

    def _set(self, setups: tuple[ExportSetup, ...]) -> bool:
        return self.work.execute(SetExports(setups), merge=True)
