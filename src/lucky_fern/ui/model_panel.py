"""The Model station's panel: what came in, and how large its sheets are."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QFormLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.ui.desk import Desk

SIZES = (64, 128, 256, 512, 1024, 2048, 4096, 8192)


class ModelPanel(QWidget):
    """A summary in plain words."""

    open_asked = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        self.title = QLabel(objectName="projectName")
        column.addWidget(self.title)
        self.form = QFormLayout()
        self.form.setHorizontalSpacing(14)
        column.addLayout(self.form)
        self.lines: dict[str, QLabel] = {}
        for name in ("Triangles", "Size", "Materials", "Parts", "Tiles"):
            self.lines[name] = QLabel()
            self.lines[name].setWordWrap(True)
            self.form.addRow(QLabel(name, objectName="quiet"), self.lines[name])
        row = QHBoxLayout()
        row.addWidget(QLabel("Every sheet is"))
        self.size_box = QComboBox()
        for size in SIZES:
            self.size_box.addItem(f"{size} × {size}", size)
        self.size_box.setAccessibleName("Size of every sheet in texels")
        self.size_box.activated.connect(lambda _: desk.execute(SetSheetSize(self.size_box.currentData())))
        row.addWidget(self.size_box)
        row.addWidget(QLabel("texels"))
        row.addStretch(1)
        column.addLayout(row)
        self.single = QFormLayout()
        self.single.setHorizontalSpacing(14)
        column.addLayout(self.single)
        self.single_boxes: dict[str, QComboBox] = {}
        self.colours = QPushButton("Wash each material with its colour in the file")
        self.colours.clicked.connect(desk.add_file_colours)
        column.addWidget(self.colours, 0, Qt.AlignmentFlag.AlignLeft)
        self.warnings = QLabel(objectName="warn")
        self.warnings.setWordWrap(True)
        column.addWidget(self.warnings)
        button = QPushButton("New from another model …")
        button.clicked.connect(self.open_asked)
        column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        note = QLabel("Checking the layout, unwrapping and replacing the model will be here.", objectName="quiet")
        note.setWordWrap(True)
        column.addWidget(note)
        column.addStretch(1)
        desk.studio_changed.connect(self.refresh)
        desk.project_changed.connect(self.refresh)
        self.refresh()

    def _show_singles(self) -> None:
        """One choice for each sheet, where there are several."""
        studio = self.desk.studio
        assert studio is not None
        names = [str(key) for key in studio.surface.keys] if len(studio.surface.keys) > 1 else []
        if list(self.single_boxes) != names:
            while self.single.rowCount():
                self.single.removeRow(0)
            self.single_boxes = {name: self._size_choice(name) for name in names[:24]}
            for name, box in self.single_boxes.items():
                self.single.addRow(QLabel(name, objectName="quiet"), box)
        for key in studio.surface.keys:
            if str(key) in self.single_boxes:
                box = self.single_boxes[str(key)]
                box.setCurrentIndex(box.findData(studio.project.size_of(key)))

    def _size_choice(self, name: str) -> QComboBox:
        box = QComboBox()
        for size in SIZES:
            box.addItem(f"{size} × {size}", size)
        box.setAccessibleName(f"Size of {name} in texels")
        box.activated.connect(lambda _: self.desk.execute(SetSheetSize(box.currentData(), name)))
        return box

    def refresh(self) -> None:
        studio = self.desk.studio
        if studio is None:
            self.title.setText("No model yet")
            return
        model, surface = studio.model, studio.surface
        extent = model.bounds[1] - model.bounds[0]
        self.title.setText(model.name)
        self.lines["Triangles"].setText(f"{model.triangle_count:,}".replace(",", " "))
        self.lines["Size"].setText(" × ".join(f"{value:.3g}" for value in extent) + " units (width, height, depth)")
        swatch = '<span style="background:{0}; color:{0}">__</span> {1}'
        named = [swatch.format(model.colours[name], escape(name)) if name in model.colours else escape(name)
                 for name in model.materials]  # fmt: skip
        self.lines["Materials"].setText(", ".join(named))
        self.colours.setVisible(bool(model.colours))
        self.lines["Parts"].setText(f"{len(model.parts)}: {', '.join(model.parts[:24])}")
        self.lines["Tiles"].setText(", ".join(str(key) for key in surface.keys) or "none: no UVs")
        sizes = {studio.project.size_of(key) for key in surface.keys}
        self._show_singles()
        index = self.size_box.findData(sizes.pop()) if len(sizes) == 1 else -1
        self.size_box.setCurrentIndex(index)
        self.warnings.setText("\n".join(studio.warnings))
        self.warnings.setVisible(bool(studio.warnings))
