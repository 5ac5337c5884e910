"""Files that the window asks for, opens, saves and is given; and what is asked before a project is left."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QEventLoop, QUrl
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QMessageBox, QWidget

from lucky_fern.core.model.load import SUFFIXES as MODEL_SUFFIXES
from lucky_fern.core.pictures.picture import SUFFIXES as PICTURE_SUFFIXES
from lucky_fern.core.project.file import SUFFIX
from lucky_fern.ui.kit.tray import Tray
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.window.parts import Parts
from lucky_fern.words import tr


class Files:
    """Asks over a window; ``may_leave`` says whether what is open may be left for something else."""

    def __init__(self, window: QWidget, parts: Parts, may_leave: Callable[[], bool]) -> None:
        self._window, self._parts, self._may_leave = window, parts, may_leave

    def ask_model(self) -> None:
        path = asking.open_file(self._window, tr("New from a model"), asking.kinds(tr("Models"), MODEL_SUFFIXES))
        if path is not None and self._may_leave():
            self._parts.work.open(path)

    def ask_open(self) -> None:
        filter_ = asking.kinds(tr("Projects and models"), (SUFFIX, *MODEL_SUFFIXES))
        path = asking.open_file(self._window, tr("Open"), filter_)
        if path is not None and self._may_leave():
            self._parts.work.open(path)

    def ask_pictures(self, to: str = "project") -> None:
        """Picture files for the ``project``, for ``mine`` or for ``both``."""
        found = asking.open_files(
            self._window, tr("Add pictures to the kit"), asking.kinds(tr("Pictures"), PICTURE_SUFFIXES)
        )
        if found and to != "mine":
            self._parts.bringing.bring(found)
        if found and to != "project":
            self._parts.my_kit.keep_files(found)

    def ask_pack(self, folder: bool, to: str) -> None:
        """A folder or a zip of pictures, brought in whole."""
        title = tr("Add a pack")
        if folder:
            path = asking.folder(self._window, title)
        else:
            path = asking.open_file(self._window, title, asking.kinds(tr("Packs"), (".zip",)))
        if path is not None:
            self._parts.my_kit.bring_pack(path, to)

    def ask_replacement(self, picture: str) -> None:
        """A file in the place of a picture of the kit."""
        filter_ = asking.kinds(tr("Pictures"), PICTURE_SUFFIXES)
        path = asking.open_file(self._window, tr("Replace {picture}", picture=picture), filter_)
        if path is not None:
            self._parts.bringing.replace(picture, path)

    def save(self) -> None:
        """Save where the project is kept, or ask for a place."""
        path = self._parts.work.path or self._ask_place()
        if path is not None:
            self._parts.work.save(path)

    def ask_save(self) -> None:
        path = self._ask_place()
        if path is not None:
            self._parts.work.save(path)

    def _ask_place(self) -> Path | None:
        studio = self._parts.work.studio
        if studio is None:
            return None
        start = self._parts.work.path or Path.home() / f"{studio.project.name}{SUFFIX}"
        filter_ = asking.kinds(tr("Lucky Fern projects"), (SUFFIX,))
        return asking.save_file(self._window, tr("Save the project"), str(start), filter_, SUFFIX)

    def may_leave(self) -> bool:
        """Ask, once, what to do with unsaved changes and running exports; False if the person would rather stay."""
        studio = self._parts.work.studio
        if self._parts.exports.working and not self._wait_for_exports():
            return False
        if studio is None or not studio.changed:
            return True
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window, tr("Unsaved changes"), tr("Save the changes to {name}?", name=studio.project.name),
            buttons.Save | buttons.Discard | buttons.Cancel, buttons.Save,
        )  # fmt: skip
        return self._save_now() if answer == buttons.Save else answer == buttons.Discard

    def _save_now(self) -> bool:
        """Save, and wait until it is done; whether it was."""
        path = self._parts.work.path or self._ask_place()
        if path is None:
            return False
        done: list[bool] = []
        loop = QEventLoop()

        def note(saved: bool) -> None:
            done.append(saved)
            loop.quit()

        self._parts.work.save(path, note)
        if not done:
            loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        return done == [True]

    def _wait_for_exports(self) -> bool:
        """Ask whether to wait for files that are being written; False if the person would rather stay."""
        buttons = QMessageBox.StandardButton
        answer = QMessageBox.question(
            self._window, tr("Files are being written"),
            tr("Files are still being written. Wait until they are, then go on?"),
            buttons.Yes | buttons.Cancel, buttons.Yes,
        )  # fmt: skip
        if answer != buttons.Yes:
            return False
        loop = QEventLoop()
        self._parts.exports.finished.connect(loop.quit)
        if self._parts.exports.working:
            loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        self._parts.exports.finished.disconnect(loop.quit)
        return True

    # --- drops ------------------------------------------------------------------------------------------------

    def known(self, paths: list[Path]) -> bool:
        """Whether any of these files can be taken in."""
        known = (SUFFIX, ".zip", *MODEL_SUFFIXES, *PICTURE_SUFFIXES)
        return any(path.suffix.lower() in known or path.is_dir() for path in paths)

    def drop(self, paths: list[Path]) -> None:
        """Take pictures into the kit, and open a project or a model; of several the person chooses."""
        pictures = [path for path in paths if path.suffix.lower() in PICTURE_SUFFIXES]
        others = [path for path in paths if path not in pictures]
        if pictures:
            self._parts.bringing.bring(pictures)
        for path in others:
            if path.suffix.lower() == ".zip" or path.is_dir():
                self._parts.my_kit.bring_pack(path, "project")
        others = [path for path in others if path.suffix.lower() in (SUFFIX, *MODEL_SUFFIXES)]
        at: int | None = 0
        if len(others) > 1:
            names = [path.name for path in others]
            at = asking.which(self._window, "Several files", "Which one is to be opened?", names)
        if others and at is not None and self._may_leave():
            self._parts.work.open(others[at])


def follow_tray(
    tray: Tray, parts: Parts, files: Files, place: Callable[[str], object], credit: Callable[[str], object]
) -> None:
    """Do what the tray asks for; ``place`` puts a picture into the middle of the model view."""
    tray.add_asked.connect(lambda: files.ask_pictures(tray.where_to()))
    tray.pack_asked.connect(lambda folder: files.ask_pack(folder, tray.where_to()))
    tray.strip.credit_asked.connect(credit)
    tray.strip.replace_asked.connect(files.ask_replacement)
    tray.strip.edit_asked.connect(parts.changing.edit_elsewhere)
    tray.strip.place_asked.connect(place)
    tray.mine.place_asked.connect(lambda name: parts.my_kit.take_out(name, place))


def open_elsewhere(path: Path) -> None:
    """In the desktop's program for such files; where there is none, the person opens it."""
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
