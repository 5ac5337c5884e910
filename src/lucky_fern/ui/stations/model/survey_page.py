"""What is measured from the model, kept or not, and what a finer model has, baked."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QLabel, QPushButton

from lucky_fern.core.baking import CARRIED
from lucky_fern.core.measuring import keep_measured, measure, rules_of
from lucky_fern.core.model.load import SUFFIXES
from lucky_fern.core.project.commands import KeepMeasured, SetLayer
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.baking import Baking
from lucky_fern.ui.widgets import asking
from lucky_fern.ui.widgets.fields import NumberField
from lucky_fern.ui.widgets.page import Page, button
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import counted, tr

_WIDEST = 0.2  # of the model's diagonal: the longest cage of the slider
_TITLES = {"normal": tr("normals"), "height": tr("height"), "occlusion": tr("occlusion")}


class SurveyPage(Page):
    """Measuring goes on by itself whenever a rule asks; here it is done at once, and kept on request."""

    def __init__(self, work: Work, errands: Errands, baking: Baking) -> None:
        super().__init__()
        self.work, self.errands, self.baking = work, errands, baking
        self.heading(tr("What the rules of masks measure"))
        self.state = self.note("")
        self.measure = button(
            tr("Measure now"), tr("All that the rules of masks ask for, on every sheet"), self._measure
        )
        self.keep = QCheckBox(tr("Keep it in the project"))
        self.keep.setToolTip(tr("The file is larger, and opens on other computers without measuring"))
        self.keep.toggled.connect(self._keep)
        self.row(self.measure, self.keep)
        self.heading(tr("From a finer model"))
        self.note(tr("Normals, heights and what is covered, as a sculpt has them, become a layer of this model."))
        self.open = button(tr("Open one …"), tr("A sculpt of the same thing, in the same place"), self._open)
        self.name = QLabel(objectName="quiet")
        self.row(self.open, self.name)
        self.apart = self.note(name="warn")
        self.move_here = button(tr("Move it here"), tr("Its middle comes to where the model's is"), baking.move_here)
        self.row(self.move_here)
        self.cage = NumberField(0.0001, 1.0, 4, "", tr("Cage"))
        self.cage.setMinimumWidth(220)
        self.cage.changed.connect(baking.set_cage)
        self.shown = QCheckBox(tr("Show it"))
        self.shown.setToolTip(tr("What lies between it and as far below the surface is looked for"))
        self.shown.toggled.connect(baking.show_cage)
        self.row(tr("Cage"), self.cage, self.shown)
        self.maps = {name: QCheckBox(_TITLES[name]) for name in CARRIED}
        for box in self.maps.values():
            box.toggled.connect(lambda _: self._choose())
        self.row(*self.maps.values())
        self.bake = QPushButton(tr("Bake"), objectName="primary")
        self.bake.clicked.connect(lambda: baking.bake())
        self.marks = button(tr("Show what found nothing"), tr("In pink, over all"), self._show_marks)
        self.row(self.bake, self.marks)
        self.column.addStretch(1)
        for signal in (work.studio_changed, work.project_changed, baking.changed):
            signal.connect(self.follow)

    def refresh(self) -> None:
        studio, baking = self.work.studio, self.baking
        rules = rules_of(studio) if studio is not None else []
        kept = studio is not None and studio.project.measured is not None
        self.state.setText(
            tr("{rules} ask for it. It is measured when it is first wanted, and kept on this computer.",
               rules=counted(len(rules), "rule"))
            if rules else tr("No mask has a rule yet; the Mask page adds some.")
        )  # fmt: skip
        self.measure.setEnabled(bool(rules))
        self.keep.setEnabled(bool(rules) or kept)
        show_check(self.keep, kept)
        finer = baking.finer
        self.open.setEnabled(studio is not None)
        count = f"{finer.model.triangle_count:,}".replace(",", " ") if finer is not None else ""
        self.name.setText("" if finer is None else tr("{name}, {count} triangles", name=finer.name, count=count))
        far = baking.far
        self.apart.setVisible(far > 0)
        self.move_here.setVisible(far > 0)
        if far > 0 and finer is not None:
            self.apart.setText(tr("{name} lies {far:.3g} units away from the model.", name=finer.name, far=far))
        diagonal = 1.0 if studio is None else studio.model.diagonal
        self.cage.set_range(diagonal / 10000, diagonal * _WIDEST)
        self.cage.set(baking.cage)
        show_check(self.shown, baking.shown)
        for name, box in self.maps.items():
            show_check(box, name in baking.maps)
        self.bake.setEnabled(finer is not None and far == 0 and bool(baking.maps) and not self.errands.busy)
        self.marks.setVisible(bool(baking.lost) and self._marks() is not None)

    # --- measuring -------------------------------------------------------------------------------------------------

    def _measure(self) -> None:
        studio = self.work.studio
        if studio is not None:
            rules = rules_of(studio)
            self.errands.send_long(
                tr("Measuring the model …"), lambda told: measure(studio, rules, told),
                lambda _: self.work.say(tr("All that the rules ask for is measured.")),
            )  # fmt: skip

    def _keep(self, on: bool) -> None:
        studio = self.work.studio
        if studio is None:
            return
        if not on:
            self.work.execute(KeepMeasured(None))
            return
        self.errands.send_long(
            tr("Measuring the model …"), lambda told: keep_measured(studio, told), self.work.execute, self.refresh
        )

    # --- baking ----------------------------------------------------------------------------------------------------

    def _open(self) -> None:
        path = asking.open_file(self.window(), tr("A finer model"), asking.kinds(tr("Models"), tuple(SUFFIXES)))
        if path is not None:
            self.baking.open(path)

    def _choose(self) -> None:
        self.baking.maps = tuple(name for name, box in self.maps.items() if box.isChecked())
        self.bake.setEnabled(self.baking.finer is not None and self.baking.far == 0 and bool(self.baking.maps))

    def _marks(self) -> int | None:
        """The layer that marks what found nothing, while it is hidden."""
        project = self.work.project
        ending = tr("{layer}: nothing found", layer="")
        layers = reversed(project.layers) if project is not None else ()
        return next((one.id for one in layers if one.name.endswith(ending) and not one.visible), None)

    def _show_marks(self) -> None:
        number = self._marks()
        if number is not None:
            self.work.execute(SetLayer(number, visible=True))
