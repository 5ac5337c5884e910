"""Recipes from the board's menus: wear in one step, materials to start from, edgings, and files of one's own."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QMenu, QWidget

from lucky_fern.core.errors import ProjectError
from lucky_fern.core.files import read_file, safe_name, write_whole
from lucky_fern.core.limits import MOST_FILE
from lucky_fern.core.project.commands import AddLayer, free_name
from lucky_fern.core.project.document import Channel, Layer, Project
from lucky_fern.core.project.edgings import Edging, Motif
from lucky_fern.core.ready import SHELF, WEAR, chipped_round
from lucky_fern.core.recipes import SUFFIX, keep_recipe, own_folder, put_recipe, take_recipe
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
    for title, make in WEAR.values():
        wear.addAction(title, partial(_make, matter, make))
    chips = wear.addMenu(tr("Chipped paint round"))
    chips.aboutToShow.connect(lambda: _fill_chips(matter, chips))
    shelf = menu.addMenu(tr("Material"))
    for title, make in SHELF.values():
        shelf.addAction(title, partial(_make, matter, make))
    own = menu.addMenu(tr("My recipes"))
    own.aboutToShow.connect(lambda: _fill_own(matter, own))
    menu.addAction(tr("Recipe from a file …"), partial(ask_recipe, matter, menu))


def _make(matter: Matter, make: Callable[[], Project]) -> None:
    put(matter, make())


def _fill_own(matter: Matter, menu: QMenu) -> None:
    """Those that are kept on this computer."""
    menu.clear()
    for path in sorted(own_folder().glob(f"*{SUFFIX}")):
        menu.addAction(path.stem, partial(take, matter, path))
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
    channels = {"colour": Channel(_COLOURS[motif]), "height": Channel("picture", relief=True)}
    name = free_name(project, title)
    matter.work.execute(AddLayer(name, Edging(motif=motif), channels, above=matter.selection.selected))


def ask_recipe(matter: Matter, parent: QWidget) -> None:
    """A recipe from a file, above the selected layer."""
    path = asking.open_file(parent.window(), tr("Recipe"), asking.kinds(tr("Recipes"), (SUFFIX,)))
    if path is not None:
        take(matter, path)


def take(matter: Matter, path: Path) -> None:
    """Put what a file holds above the selected layer."""
    studio, above = matter.work.studio, matter.selection.selected
    if studio is not None:
        matter.errands.send(
            tr("Reading {name} …", name=path.name),
            lambda: take_recipe(studio, read_file(path, ProjectError, MOST_FILE), path.name, above=above),
            matter.work.execute,
        )


def ask_keep(matter: Matter, layer: Layer, parent: QWidget) -> None:
    """Keep a layer as a recipe, in a file; what stays behind is said."""
    studio = matter.work.studio
    if studio is None:
        return
    with suppress(OSError):  # the person chooses another place
        own_folder().mkdir(parents=True, exist_ok=True)
    start = str(own_folder() / f"{safe_name(layer.name)}{SUFFIX}")
    path = asking.save_file(
        parent.window(), tr("Keep as recipe"), start, asking.kinds(tr("Recipes"), (SUFFIX,)), SUFFIX
    )
    if path is None:
        return
    number, place = layer.id, path

    def keep() -> list[str]:
        data, told = keep_recipe(studio, number, place.stem)
        write_whole(place, data)
        return told

    def tell(told: list[str]) -> None:
        said = tr("Kept {name} as {file}.", name=layer.name, file=place.name)
        more = " ".join(f"{one[:1].upper()}{one[1:]}." for one in told)
        matter.work.said.emit(f"{said} {more}" if told else said, bool(told))

    matter.errands.send(tr("Keeping {name} …", name=layer.name), keep, tell)
