"""The Model station's panel: what came in, and how large its sheets are."""

from __future__ import annotations

from html import escape

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.ui.desk import Desk
from lucky_fern.ui.style import icon

SIZES = (64, 128, 256, 512, 1024, 2048, 4096, 8192)


class ModelPanel(QWidget):
    """A summary in plain words."""

    open_asked = Signal()
    finding_chosen = Signal(object)

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
        self._add_check(column)
        button = QPushButton("New from another model …")
        button.clicked.connect(self.open_asked)
        column.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        note = QLabel(
            "Selecting faces, laying out, unwrapping and replacing the model will be here.", objectName="quiet"
        )
        note.setWordWrap(True)
        column.addWidget(note)
        column.addStretch(1)
        desk.studio_changed.connect(self.refresh)
        desk.project_changed.connect(self.refresh)
        self.refresh()

    def _add_check(self, column: QVBoxLayout) -> None:
        """The list of sentences about the layout, and what is coloured over the views."""
        head = QHBoxLayout()
        head.addWidget(QLabel("Layout", objectName="heading"))
        self.check_state = QLabel(objectName="quiet")
        head.addWidget(self.check_state, 1)
        self.heat_box = QComboBox()
        for title, which in (("marks", None), ("stretch", "stretch"), ("texel density", "density")):
            self.heat_box.addItem(title, which)
        self.heat_box.setAccessibleName("What is coloured over the model")
        self.heat_box.activated.connect(lambda _: self.desk.show_heat(self.heat_box.currentData()))
        head.addWidget(QLabel("Show", objectName="quiet"))
        head.addWidget(self.heat_box)
        column.addLayout(head)
        self.findings = QListWidget()
        self.findings.setWordWrap(True)
        self.findings.setAccessibleName("What the layout check found; choose one to go there")
        self.findings.setMinimumHeight(110)
        self.findings.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.findings.itemClicked.connect(lambda item: self._go_to(self.findings.row(item)))
        self.findings.itemActivated.connect(lambda item: self._go_to(self.findings.row(item)))
        column.addWidget(self.findings, 1)
        self.desk.layout.changed.connect(self.show_findings)

    def show_findings(self) -> None:
        """List what the check says now."""
        found = self.desk.layout.findings
        self.findings.clear()
        for finding in found:
            item = QListWidgetItem(icon("warning" if finding.worry else "model"), finding.sentence)
            self.findings.addItem(item)
        worries = sum(finding.worry for finding in found)
        if self.desk.layout.busy:
            self.check_state.setText("checking …")
        else:
            self.check_state.setText("nothing to worry about" if not worries else f"{worries} to look at")

    def _go_to(self, row: int) -> None:
        found = self.desk.layout.findings
        if 0 <= row < len(found):
            self.heat_box.setCurrentIndex(0)
            self.desk.show_heat(None)
            self.desk.show_finding(found[row])
            self.finding_chosen.emit(found[row].triangles)

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
        self.lines["Parts"].setText(
            f"{len(model.parts)}: {', '.join(model.parts[:10])}{' …' if len(model.parts) > 10 else ''}"
        )
        self.lines["Tiles"].setText(", ".join(str(key) for key in surface.keys) or "none: no UVs")
        sizes = {studio.project.size_of(key) for key in surface.keys}
        self._show_singles()
        index = self.size_box.findData(sizes.pop()) if len(sizes) == 1 else -1
        self.size_box.setCurrentIndex(index)
        self.warnings.setText("\n".join(studio.warnings))
        self.warnings.setVisible(bool(studio.warnings))
