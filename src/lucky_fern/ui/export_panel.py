"""The Export station's panel: what to write, where, and what was written."""

from __future__ import annotations

import threading
from pathlib import Path

import cv2
import numpy as np
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.errors import Cancelled, LuckyFernError
from lucky_fern.core.exporting.exporter import export, plan_export
from lucky_fern.core.project.export_setup import ExportSetup, safe_name
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.style import icon
from lucky_fern.ui.thumbnails import on_checker, to_pixmap

_TITLES = {"separate": "Standard set: one file a map", "emissive": "Emissive set: glow and its mask"}


class ExportPanel(QWidget):
    """Writes in the background; the window stays free and the work can be cancelled."""

    _progress = Signal(int, int, str)
    _done = Signal(object, object, float)
    _failed = Signal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._cancel = threading.Event()
        self._thread: threading.Thread | None = None
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        column.setSpacing(6)
        column.addWidget(QLabel("What to write", objectName="heading"))
        self.presets: dict[str, QCheckBox] = {}
        for preset, title in _TITLES.items():
            box = QCheckBox(title, checked=True)
            box.toggled.connect(self.refresh)
            self.presets[preset] = box
            column.addWidget(box)
        row = QHBoxLayout()
        self.bits = QComboBox()
        self.bits.addItem("8 bits", 8)
        self.bits.addItem("16 bits", 16)
        self.bits.setAccessibleName("Bits per channel")
        self.normal = QComboBox()
        self.normal.addItem("normals +Y", "+")
        self.normal.addItem("normals −Y", "-")
        self.normal.setAccessibleName("Direction of green in normal maps")
        for widget in (QLabel("PNG,"), self.bits, self.normal):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(QLabel("Folder", objectName="heading"))
        row = QHBoxLayout()
        self.folder = QLineEdit(objectName="plain")
        self.folder.setAccessibleName("Folder for the maps")
        self.folder.textChanged.connect(self.refresh)
        browse = QToolButton(icon=icon("folder"))
        browse.setToolTip("Choose a folder")
        browse.setAccessibleName("Choose a folder")
        browse.clicked.connect(self._browse)
        row.addWidget(self.folder, 1)
        row.addWidget(browse)
        column.addLayout(row)
        self.plan = QLabel(objectName="quiet")
        self.plan.setWordWrap(True)
        column.addWidget(self.plan)
        row = QHBoxLayout()
        self.button = QPushButton("Export", objectName="primary")
        self.button.setShortcut("Ctrl+E")
        self.button.setToolTip("Write the files (Ctrl+E)")
        self.button.clicked.connect(self.start)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self._cancel.set)
        self.cancel.hide()
        self.progress = QProgressBar(textVisible=False)
        self.progress.hide()
        row.addWidget(self.button)
        row.addWidget(self.progress, 1)
        row.addWidget(self.cancel)
        row.addStretch(0)
        column.addLayout(row)
        self.summary = QLabel()
        self.summary.setWordWrap(True)
        column.addWidget(self.summary)
        self.files = QListWidget()
        self.files.setIconSize(QSize(48, 48))
        self.files.setAccessibleName("Files written")
        self.files.setWordWrap(True)
        column.addWidget(self.files, 1)
        self._progress.connect(self._show_progress)
        self._done.connect(self._show_done)
        self._failed.connect(self._show_failed)
        desk.project_changed.connect(self.refresh)
        desk.studio_changed.connect(self._new_studio)
        self.refresh()

    def _new_studio(self) -> None:
        studio = self.desk.studio
        base = self.desk.path.parent if self.desk.path is not None else Path.home()
        if studio is not None:
            self.folder.setText(str(base / f"{safe_name(studio.project.name)} maps"))
        self.files.clear()
        self.summary.clear()

    @property
    def stem(self) -> str:
        """First part of the file names: the project file's stem, or the project's name."""
        if self.desk.path is not None:
            return self.desk.path.stem
        return self.desk.studio.project.name if self.desk.studio is not None else "project"

    @property
    def working(self) -> bool:
        """Whether an export is under way or its end not yet shown."""
        return self._thread is not None

    def setups(self) -> list[ExportSetup]:
        """The exports that are ticked."""
        folder = self.folder.text().strip()
        return [
            ExportSetup(preset, folder, bits=self.bits.currentData(), normal_y=self.normal.currentData())
            for preset, box in self.presets.items()
            if box.isChecked()
        ]

    def refresh(self) -> None:
        """Say beforehand what would be written and what left out."""
        studio = self.desk.studio
        ready = studio is not None and bool(studio.surface.keys)
        busy = self._thread is not None and self._thread.is_alive()
        self.button.setEnabled(ready and bool(self.setups()) and bool(self.folder.text().strip()) and not busy)
        if not ready or studio is None or self.desk.station != "export":
            return
        names, skipped = set[str](), dict[str, None]()
        for setup in self.setups():
            plans = plan_export(studio.sources, studio.project, setup, self.stem)
            names.update(plan.name for plan in plans.files)
            skipped.update(dict.fromkeys(plans.skipped))
        text = f"{len(names)} file{'' if len(names) == 1 else 's'}."
        if skipped:
            text += f" Left out, since nothing writes to them: {', '.join(skipped)}."
        self.plan.setText(text)

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder for the maps", self.folder.text())
        if chosen:
            self.folder.setText(chosen)

    def start(self) -> None:
        """Write everything that is ticked."""
        studio = self.desk.studio
        if studio is None or (self._thread is not None and self._thread.is_alive()):
            return
        self._cancel.clear()
        setups, project, stem = self.setups(), studio.project, self.stem
        folder = Path(self.folder.text().strip()).expanduser()

        def work() -> None:
            import time

            begin, files, skipped = time.monotonic(), list[Path](), dict[str, None]()
            try:
                for setup in setups:
                    done = export(
                        studio.sources, project, setup, stem, folder, self._progress.emit, self._cancel.is_set,
                        lambda: self.desk.finished(project),
                    )  # fmt: skip
                    files += [path for path in done.files if path not in files]
                    skipped.update(dict.fromkeys(done.skipped))
            except Cancelled:
                self._failed.emit("The export was cancelled; the file being written was left out.")
            except LuckyFernError as error:
                self._failed.emit(str(error))
            else:
                self._done.emit(files, list(skipped), time.monotonic() - begin)

        self._thread = threading.Thread(target=work, name="fern-export-work", daemon=True)
        self.button.setEnabled(False)
        self.progress.setRange(0, 0)
        self.progress.show()
        self.cancel.show()
        self.summary.clear()
        self._thread.start()

    def _show_progress(self, done: int, total: int, name: str) -> None:
        self.progress.setRange(0, total)
        self.progress.setValue(done)
        self.summary.setText(f"{done} of {total}: {name}")

    def _finish(self) -> None:
        if self._thread is not None:
            self._thread.join()
            self._thread = None
        self.progress.hide()
        self.cancel.hide()
        self.refresh()

    def _show_failed(self, sentence: str) -> None:
        self._finish()
        self.summary.setText(sentence)
        self.desk.said.emit(sentence, True)

    def _show_done(self, files: list[Path], skipped: list[str], seconds: float) -> None:
        self._finish()
        total = sum(path.stat().st_size for path in files)
        self.summary.setText(f"Wrote {len(files)} files, {_size(total)}, in {seconds:.1f} s.")
        self.files.clear()
        for path in files:
            pixels = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
            item = QListWidgetItem(path.name)
            if pixels is not None:
                deep = pixels.dtype == np.uint16
                planes = pixels if pixels.ndim == 3 else pixels[..., None]
                planes = planes[..., [2, 1, 0, 3][: planes.shape[2]]] if planes.shape[2] >= 3 else planes
                eight = (planes >> 8).astype(np.uint8) if deep else planes
                item.setIcon(QIcon(to_pixmap(on_checker(eight, 96, 8))))
                kind = {1: "grey", 3: "RGB", 4: "RGBA"}[planes.shape[2]]
                size = f"{planes.shape[1]} × {planes.shape[0]}"
                note = f"{size}, {kind}, {16 if deep else 8} bits, {_size(path.stat().st_size)}"
                item.setText(f"{path.name}\n{note}")
            item.setToolTip(str(path))
            self.files.addItem(item)
        self.desk.said.emit(f"Exported to {files[0].parent}." if files else "Nothing was written.", False)


def _size(count: int) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(count / 1e3, 0.1):.1f} kB"
