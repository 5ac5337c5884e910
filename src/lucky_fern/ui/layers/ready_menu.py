"""Recipes from the board's menus: wear in one step, materials to start from, edgings, and files of one's own."""

from __future__ import annotations

from contextlib import suppress
from functools import partial

from PySide6.QtWidgets import QMenu, QWidget

from lucky_fern.core.files import safe_name
from lucky_fern.core.project.commands import AddLayer, free_name
from lucky_fern.core.project.document import Channel, Layer, Project, Relief
from lucky_fern.core.project.edgings import Edging, Motif
from lucky_fern.core.ready import SHELF, WEAR, chipped_round
from lucky_fern.core.recipe_shelf import made
from lucky_fern.core.recipes import SUFFIX, own_folder, put_recipe
from lucky_fern.ui.layers.matter import Matter
from lucky_fern.ui.widgets import asking
from lucky_fern.words import tr

_MOTIFS: tuple[tuple[Motif, str], ...] = (
    ("stitch", tr("Stitches")), ("dash", tr("Dashes")), ("rivet", tr("Rivets")), ("tooth", tr("Teeth")),
)  # fmt: skip
_COLOURS = {"stitch": "#d8cba8", "dash": "#d9c9a8", "rivet": "#9a9a96", "tooth": "#d9c9a8"}


def fill_ready(matter: Matter, menu: QMenu) -> None:
    """All that can be put on in one step."""
    edgings = menu.addMenu(tr("Edging"))
    for motif, title in _MOTIFS:
        edgings.addAction(title, partial(add_edging, matter, motif, title))
    wear = menu.addMenu(tr("Wear"))
    shelf = menu.addMenu(tr("Material"))
    for table, part in ((WEAR, wear), (SHELF, shelf)):
        for kept in made(table):
            part.addAction(kept.name, partial(matter.recipes.put, kept))
    chips = wear.addMenu(tr("Chipped paint round"))
    chips.aboutToShow.connect(lambda: _fill_chips(matter, chips))
    own = menu.addMenu(tr("My recipes"))
    own.aboutToShow.connect(lambda: _fill_own(matter, own))
    menu.addAction(tr("Recipe from a file …"), partial(ask_recipe, matter, menu))


def _fill_own(matter: Matter, menu: QMenu) -> None:
    """Those of the project, and those that are kept on this computer."""
    menu.clear()
    for kept in matter.recipes.listed():
        if kept.whose != "made":
            menu.addAction(kept.name, partial(matter.recipes.put, kept))
    if menu.isEmpty():
        menu.addAction(tr("None yet: right-click a layer, Keep as recipe")).setEnabled(False)


def _fill_chips(matter: Matter, menu: QMenu) -> None:
    menu.clear()
    project = matter.work.project
    for layer in reversed(list(project.walk()) if project is not None else []):
        menu.addAction(layer.name, partial(_put_chips, matter, layer.id))


def _put_chips(matter: Matter, of: int) -> None:
    put(matter, chipped_round(of))


def put(matter: Matter, recipe: Project) -> None:
    """Put a recipe above the selected layer."""
    matter.work.end_gesture()
    matter.work.execute(put_recipe(recipe, above=matter.selection.selected))


def add_edging(matter: Matter, motif: Motif, title: str) -> None:
    """Along the borders of UV islands, above the selected layer."""
    project = matter.work.project
    if project is None:
        return
    channels = {"colour": Channel(_COLOURS[motif]), "height": Channel("picture", relief=Relief())}
    name = free_name(project, title)
    matter.work.execute(AddLayer(name, Edging(motif=motif), channels, above=matter.selection.selected))


def ask_recipe(matter: Matter, parent: QWidget) -> None:
    """A recipe from a file, above the selected layer."""
    path = asking.open_file(parent.window(), tr("Recipe"), asking.kinds(tr("Recipes"), (SUFFIX,)))
    if path is not None:
        matter.recipes.put_file(path)


def ask_keep(matter: Matter, layer: Layer, parent: QWidget) -> None:
    """Keep a layer as a recipe, in a file."""
    with suppress(OSError):  # the person chooses another place
        own_folder().mkdir(parents=True, exist_ok=True)
    start = str(own_folder() / f"{safe_name(layer.name)}{SUFFIX}")
    path = asking.save_file(
        parent.window(), tr("Keep as recipe"), start, asking.kinds(tr("Recipes"), (SUFFIX,)), SUFFIX
    )
    if path is not None:
        matter.recipes.keep(layer, path)
