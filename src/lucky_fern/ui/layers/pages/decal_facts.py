"""What one must know about a decal, each with the button that mends it."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from lucky_fern.core.compositing.covering import covering
from lucky_fern.core.compositing.sources import triangles_in
from lucky_fern.core.layout.findings import shared_faces
from lucky_fern.core.placing.facts import Fact, decal_facts, larger_sheet
from lucky_fern.core.placing.pose import in_mode
from lucky_fern.core.project.commands import MoveLayers, SetPlace, SetSheetSize
from lucky_fern.core.project.document import Decal, Layer
from lucky_fern.core.project.layouts import Unstack
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.words import tr

FACTS = "facts of the decal"  # the question, by which its answer is dropped
_REMEDIES = {
    "drape": (tr("Drape it"), tr("Let it follow the surface, so that lettering keeps its shape")),
    "roll": (tr("Roll it"), tr("Round an axis, where it would meet itself")),
    "larger": (tr("Larger sheet"), tr("Twice the texels for the sheet it lies on")),
    "top": (tr("Bring it on top"), tr("Above all other layers")),
    "apart": (tr("Give the twins their own space"), tr("Islands that share their texels move apart")),
}


def facts_part(form: Form, column: QVBoxLayout, decal: Decal) -> None:
    """The sentences, what mends them, and the stretch in colours."""
    facts = QLabel()
    facts.setWordWrap(True)
    column.addWidget(facts)
    form.name("facts", facts)
    form.bind(partial(_show_facts, form, facts))
    row = QHBoxLayout()
    for remedy, (title, tip) in _REMEDIES.items():
        made = QPushButton(title)
        made.setToolTip(tip)
        made.clicked.connect(partial(_mend, form, remedy))
        form.name(f"mend {remedy}", made)
        row.addWidget(made)
    if decal.place.on_surface:
        heat = QCheckBox(tr("Show stretch"))
        heat.setToolTip(tr("Colour what it covers by how far it is stretched there"))
        heat.setChecked(form.matter.faces.stretch_shown)
        heat.toggled.connect(form.matter.faces.show_stretch)
        form.name("show stretch", heat)
        row.addWidget(heat)
    row.addStretch(1)
    column.addLayout(row)


def _show_facts(form: Form, label: QLabel, layer: Layer) -> None:
    decal, studio = form.matter.selection.decal, form.matter.work.studio
    if decal is None or studio is None or layer.content.place is None:
        return
    place, height, project = decal[1], decal[2], studio.project
    sources, surface, findings = studio.sources, studio.surface, form.matter.layout_watch.findings

    def work() -> list[Fact]:
        chosen = triangles_in(project, layer.scope)
        placed = None if not place.on_surface else sources.pose(place, height, chosen)
        shared = shared_faces(findings, surface.model.triangle_count)
        return decal_facts(surface, project, layer, place, height, placed, shared, covering(sources, project, layer))

    def show(facts: list[Fact]) -> None:
        if not form.has("facts", label):
            return  # another layer's page is shown by now
        label.setText(" ".join(fact.sentence for fact in facts))
        wanted = {fact.remedy for fact in facts}
        for remedy in _REMEDIES:
            form.named(f"mend {remedy}", QPushButton).setVisible(remedy in wanted)

    form.matter.answers.ask(FACTS, work, show)


def _mend(form: Form, remedy: str) -> None:
    """Do what helps against a fact."""
    decal, studio = form.matter.selection.decal, form.matter.work.studio
    if decal is None or studio is None:
        return
    layer, place, height = decal
    if remedy in ("drape", "roll"):
        new = in_mode(studio.surface, place, height, remedy)
        if new is not None:
            form.matter.work.execute(SetPlace(layer.id, new))
    elif remedy == "top":
        others = [one for one in studio.project.layers if one.id != layer.id]
        form.matter.work.execute(MoveLayers((layer.id,), len(others)))
    elif remedy == "larger":
        found = larger_sheet(studio.project, studio.surface, place, height)
        if found is None:
            form.matter.work.said.emit(tr("The sheet is as large as sheets go."), True)
        else:
            form.matter.work.execute(SetSheetSize(found[1], found[0]))
    elif place.on_surface:
        reached = studio.sources.pose(place, height, triangles_in(studio.project, layer.scope)).reached
        form.matter.laying.do(Unstack(twins=True), reached)
