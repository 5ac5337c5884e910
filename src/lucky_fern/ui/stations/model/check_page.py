"""What came in, how large its sheets are, what is wrong with its layout, and what mends that."""

from __future__ import annotations

from functools import partial

import numpy as np
from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
)

from lucky_fern.core.layout.findings import Finding
from lucky_fern.core.layout.remedies import Remedy, faces_for, remedies
from lucky_fern.core.layout.repeats import Repeating
from lucky_fern.core.project.commands import SetSheetSize
from lucky_fern.core.project.layouts import Spread, Wrap
from lucky_fern.core.project.rules import Rim, RuleShape
from lucky_fern.core.sheets.grid import square
from lucky_fern.ui.layers.rule_part import LOOKS
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.layout_watch import LayoutWatch
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.stations.model.canvas_part import CanvasPart
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.widgets.page import Page, button, choice, clear
from lucky_fern.ui.widgets.style import icon
from lucky_fern.words import counted, tr

SIZES = (64, 128, 256, 512, 1024, 2048, 4096, 8192)
_SHOWN = (
    (tr("marks"), None),
    (tr("stretch"), "stretch"),
    (tr("texel density"), "density"),
    (tr("checker"), "checker"),
)


def plain(value: float) -> str:
    """A number with three figures that count, and no exponent."""
    return f"{value:.3g}" if value < 1000 else f"{round(value, 2 - int(np.log10(value))):,.0f}".replace(",", " ")


class CheckPage(Page):
    """A summary in plain words, and the layout check with a remedy beside each sentence."""

    finding_chosen = Signal(object)

    def __init__(
        self, work: Work, layout_watch: LayoutWatch, faces: Faces, laying: Laying, comparing: Comparing,
        errands: Errands,
    ) -> None:  # fmt: skip
        super().__init__()
        self.work, self.layout_watch, self.faces, self.laying = work, layout_watch, faces, laying
        self.comparing = comparing
        self._finding: Finding | None = None
        self._repeats: tuple[Repeating, ...] | None = ()
        self.title = QLabel(objectName="projectName")
        self.column.addWidget(self.title)
        self.form = QFormLayout()
        self.form.setHorizontalSpacing(14)
        self.form.setVerticalSpacing(3)
        self.column.addLayout(self.form)
        self.lines: dict[str, QLabel] = {}
        lines = {"triangles": tr("Triangles"), "size": tr("Size"), "holds": tr("Holds"), "texels": tr("Texels")}
        for name, title in lines.items():
            self.lines[name] = QLabel()
            self.lines[name].setWordWrap(True)
            self.form.addRow(QLabel(title, objectName="quiet"), self.lines[name])
        self.size_box = choice(tr("Size of every sheet in texels"), [(str(square(size)), size) for size in SIZES])
        self.size_box.activated.connect(lambda _: work.execute(SetSheetSize(square(self.size_box.currentData()))))
        self.sheet_box = choice(tr("The sheet whose size is shown"), [])
        self.sheet_box.currentIndexChanged.connect(lambda _: self._show_single())
        self.single_box = choice(tr("Size of this sheet in texels"), [(str(square(size)), size) for size in SIZES])
        self.single_box.activated.connect(lambda _: self._set_single())
        self.but = QLabel(tr("but"), objectName="quiet")
        self.row(tr("Every sheet"), self.size_box, self.but, self.sheet_box, self.single_box)
        self.canvas = CanvasPart(work, errands)
        self.column.addWidget(self.canvas)
        self.repeats = QVBoxLayout()
        self.column.addLayout(self.repeats)
        self.warnings = self.note(name="warn")
        self._add_check()
        work.studio_changed.connect(self.follow)
        work.project_changed.connect(self.follow)
        layout_watch.changed.connect(self.show_findings)
        faces.changed.connect(self._follow_heat)
        self.show_findings()

    def _add_check(self) -> None:
        """The list of sentences about the layout, what mends them, and what is coloured over the views."""
        self.heading(tr("Layout"))
        self.check_state = QLabel(objectName="quiet")
        rules = [(look.title, kind.__name__) for kind, look in LOOKS.items() if kind is not Rim]
        self.heat_box = choice(tr("What is coloured over the model"), [*_SHOWN, *rules])
        self.heat_box.activated.connect(lambda _: self._show(self.heat_box.currentData()))
        head = QHBoxLayout()
        head.addWidget(self.check_state, 1)
        head.addWidget(QLabel(tr("Show"), objectName="quiet"))
        head.addWidget(self.heat_box)
        self.column.addLayout(head)
        self.findings = QListWidget()
        self.findings.setWordWrap(True)
        self.findings.setAccessibleName(tr("What the layout check found; choose one to go there"))
        self.findings.setMinimumHeight(120)
        self.findings.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.findings.itemClicked.connect(lambda item: self._go_to(self.findings.row(item)))
        self.findings.itemActivated.connect(lambda item: self._go_to(self.findings.row(item)))
        self.column.addWidget(self.findings, 1)
        self.remedy_row, self.other_row = QHBoxLayout(), QHBoxLayout()
        self.column.addLayout(self.remedy_row)
        self.column.addLayout(self.other_row)

    def _show(self, what: str | None) -> None:
        """Colour faces by a measure, or look at what a rule measures, texel by texel."""
        rule = next((look.make().rule for kind, look in LOOKS.items() if kind.__name__ == what), None)
        self.comparing.show_rule(None if rule is None else RuleShape(rule))
        self.faces.show_heat(what if rule is None else None)

    # --- the check --------------------------------------------------------------------------------------------

    def show_findings(self) -> None:
        """List what the check says now."""
        self._show_repeats()
        found = self.layout_watch.findings
        self._finding = None
        self.findings.clear()
        for finding in found:
            self.findings.addItem(QListWidgetItem(icon("warning" if finding.worry else "model"), finding.sentence))
        worries = sum(finding.worry for finding in found)
        if self.layout_watch.busy:
            self.check_state.setText(tr("checking …"))
        elif self.layout_watch.failed:
            self.check_state.setText(tr("the check went wrong inside; nothing is known"))
        else:
            self.check_state.setText(
                tr("nothing to worry about") if not worries else tr("{worries} to look at", worries=worries)
            )
        self._show_remedies()
        self._show_texels()

    def _go_to(self, row: int) -> None:
        found = self.layout_watch.findings
        if 0 <= row < len(found):
            self._finding = found[row]
            self.faces.show_heat(None)
            self.faces.show_finding(found[row])
            self.finding_chosen.emit(found[row].triangles)
            self._show_remedies()

    def _show_remedies(self) -> None:
        clear(self.remedy_row)
        clear(self.other_row)
        studio = self.work.studio
        if self._finding is None or studio is None:
            hint = tr("Choose a sentence: both views go there, and what mends it stands here.")
            self.remedy_row.addWidget(QLabel(hint if self.layout_watch.findings else "", objectName="quiet"))
            return
        for number, remedy in enumerate(remedies(studio.surface, studio.project.size_of, self._finding)):
            made = button(remedy.title, tr("Mends this; can be undone"), partial(self._mend, remedy))
            if number == 0:
                made.setObjectName("primary")
            self.remedy_row.addWidget(made)
        self.remedy_row.addStretch(1)
        self.other_row.addWidget(button(tr("Select them"), tr("To work on them by hand"), self._select_finding))
        self.other_row.addWidget(button(tr("Show all marks"), tr("Mark everything again"), self._unchoose))
        self.other_row.addStretch(1)

    def _mend(self, remedy: Remedy) -> None:
        if self._finding is not None and self.work.studio is not None:
            self.laying.do(remedy.edit, faces_for(self.work.studio.surface, self._finding, remedy))

    def _select_finding(self) -> None:
        if self._finding is not None:
            faces = np.zeros(len(self.faces.chosen), np.bool_)
            faces[self._finding.triangles] = True
            self.faces.choose(faces, whole_units=False)

    def _unchoose(self) -> None:
        self._finding = None
        self.findings.clearSelection()
        self.faces.show_finding(None)
        self._show_remedies()

    def _follow_heat(self) -> None:
        shown = self.faces.heat if self.comparing.rule is None else type(self.comparing.rule.rule).__name__
        index = self.heat_box.findData(shown)
        if index != self.heat_box.currentIndex():
            self.heat_box.setCurrentIndex(index)

    # --- the summary ------------------------------------------------------------------------------------------

    def _show_single(self) -> None:
        studio, key = self.work.studio, self.sheet_box.currentData()
        if studio is not None and key is not None:
            self.single_box.setCurrentIndex(self.single_box.findData(studio.project.size_of(key).plain))

    def _set_single(self) -> None:
        key = self.sheet_box.currentData()
        if key is not None:
            self.work.execute(SetSheetSize(square(self.single_box.currentData()), str(key)))

    def _show_texels(self) -> None:
        """How many texels a unit of the model gets."""
        studio, measures = self.work.studio, self.layout_watch.measures
        if studio is None or measures is None or not studio.surface.keys:
            self.lines["texels"].setText("…" if self.layout_watch.busy else "–")
            return
        sizes = {studio.project.size_of(key) for key in studio.surface.keys}
        usual = measures.typical_density()
        low, high = (usual * most(size.mean for size in sizes) for most in (min, max))
        text = plain(low) if low == high else tr("{low} to {high}", low=plain(low), high=plain(high))
        self.lines["texels"].setText(
            tr("{words} for a unit, on the whole ({map} a sheet)", words=text, map=", ".join(sorted(map(str, sizes))))
        )

    def refresh(self) -> None:
        studio = self.work.studio
        if studio is None:
            self.title.setText(tr("No model yet"))
            return
        model, surface = studio.model, studio.surface
        extent = model.bounds[1] - model.bounds[0]
        self.title.setText(model.name)
        self.lines["triangles"].setText(f"{model.triangle_count:,}".replace(",", " "))
        self.lines["size"].setText(
            " × ".join(f"{value:.3g}" for value in extent) + tr(" units (width, height, depth)")
        )
        counts = (
            (len(model.parts), "part"), (len(model.materials), "material"),
            (int(model.islands.max(initial=-1)) + 1, "island"), (len(surface.keys), "sheet"),
        )  # fmt: skip
        self.lines["holds"].setText(", ".join(counted(count, noun) for count, noun in counts))
        self._show_texels()
        sizes = {str(studio.project.size_of(key)): studio.project.size_of(key) for key in surface.keys}
        one = next(iter(sizes.values())) if len(sizes) == 1 else None
        self.size_box.setCurrentIndex(-1 if one is None else self.size_box.findData(one.plain))
        self._show_sheets(self.sheet_box)
        self._show_single()
        self.canvas.refresh()
        self._show_repeats()
        self.warnings.setText("\n".join(studio.warnings))
        self.warnings.setVisible(bool(studio.warnings))

    def _show_repeats(self) -> None:
        """A switch for each material whose UVs repeat, or seem to be made so."""
        found = self.layout_watch.repeats
        if self.layout_watch.busy or self._repeats == found:
            return
        self._repeats = found
        clear(self.repeats)
        for name, tiles, on in found:
            words = tr("UVs of {name} repeat over {tiles}: one sheet, as the game reads it", name=name,
                       tiles=counted(tiles, "tile"))  # fmt: skip
            switch = QCheckBox(words)
            switch.setToolTip(tr("On: what is painted shows on all repeats at once; model files stay as they came. "
                                 "Off: a sheet for every tile"))  # fmt: skip
            switch.setChecked(on)
            switch.clicked.connect(lambda on, name=name: self._repeat(name, on))
            self.repeats.addWidget(switch)

    def _repeat(self, name: str, on: bool) -> None:
        studio = self.work.studio
        if studio is not None:
            self._repeats = None  # whatever comes of it is shown anew
            everything = np.ones(studio.model.triangle_count, np.bool_)
            self.laying.do(Wrap((name,)) if on else Spread(name), everything, self._show_repeats)

    def _show_sheets(self, box: QComboBox) -> None:
        """The sheets to choose from, where there are several."""
        keys = list(self.work.studio.surface.keys) if self.work.studio is not None else []
        if [box.itemData(row) for row in range(box.count())] != keys:
            with QSignalBlocker(box):
                box.clear()
                for key in keys:
                    box.addItem(str(key), key)
        for widget in (self.but, self.sheet_box, self.single_box):
            widget.setVisible(len(keys) > 1)
