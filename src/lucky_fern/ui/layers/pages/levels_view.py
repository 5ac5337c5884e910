"""The histogram of what lies below a layer, or of what an echo hears there, with the levels on it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtWidgets import QCheckBox, QVBoxLayout

from lucky_fern.core.checking.histogram import counted_values, plainly
from lucky_fern.core.project.document import Layer
from lucky_fern.core.project.echoes import Echo
from lucky_fern.ui.layers.pages.form import Form
from lucky_fern.ui.widgets.histogram import Histogram
from lucky_fern.ui.widgets.quietly import show_check
from lucky_fern.words import tr


def levels_view(
    form: Form, column: QVBoxLayout, levels: Callable[[Layer], Any], source: Callable[[Layer], str],
    put: Callable[[str, float], None],
) -> None:  # fmt: skip
    """Over the numbers: ``levels`` has ``black``, ``white`` and ``gamma``, ``source`` is the map; ``put`` sets one.

    Counted beside the window, of the selected faces if there are any, again whenever something below changes.
    """
    matter, view = form.matter, Histogram()
    over = QCheckBox(tr("Over the sheets"))
    over.setToolTip(tr("Draw this over the map in the sheet view, to be dragged there"))
    over.clicked.connect(lambda on: look_over(on))
    counted: list[object] = [None]

    def show(layer: Layer) -> None:
        now, studio = levels(layer), matter.work.studio
        view.show_levels(now.black, now.white, now.gamma)
        matter.levelling.show(layer.id, source(layer), (now.black, now.white, now.gamma), put)
        show_check(over, matter.levelling.over)
        if studio is None:
            return
        name, project = source(layer), studio.project
        heard = layer.content if isinstance(layer.content, Echo) else None
        chosen = matter.faces.chosen.copy() if matter.faces.any else None
        part = None if heard is None else plainly(heard)
        of = (
            name,
            part,
            studio.sources.grounds.of_below(project, layer.id, frozenset((name,))),
            None if chosen is None else chosen.tobytes(),
        )
        if of == counted[0]:
            return
        counted[0] = of
        matter.answers.ask(
            "histogram",
            lambda: counted_values(studio.sources, project, name, chosen, part, layer.id),
            partial(matter.levelling.count, layer.id),
        )

    def look_over(on: bool) -> None:
        matter.levelling.set_over(on)
        layer = matter.selection.layer
        if on and layer is not None:
            written = next(iter(layer.channels), "") if isinstance(layer.content, Echo) else source(layer)
            if written and matter.looking.shown_map != written:
                matter.looking.show_map(written)
        form.refresh()

    matter.levelling.counted.connect(view.show_counts)
    matter.faces.changed.connect(view.look_again)
    view.stale.connect(form.refresh)
    view.moved.connect(put)
    view.let_go.connect(matter.work.end_gesture)
    form.name("histogram", view)
    form.name("over", over)
    form.bind(show)
    column.addWidget(view)
    column.addWidget(over)
