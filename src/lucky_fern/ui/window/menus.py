"""The menu bar: which commands stand where."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QMenu, QMenuBar, QWidget

from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.ui.window.start_page import DEMOS
from lucky_fern.words import tr

# "" is a line between commands.
Entries = Sequence[str | tuple[str, Sequence[str]]]  # names, and menus of names
_LOOKS = ("look.shaded", "look.flat", "", "look.wires", "look.seams", "look.sheet-wires", "look.guides",
          "look.parallel", "look.front-only", "look.bloom", "", "look.false", "look.one", "look.pin")  # fmt: skip
_SIDES = tuple(f"look.{side}" for side in ("front", "back", "left", "right", "top", "bottom"))
_PAINT = tuple(f"paint.{tool}" for tool in ("brush", "line", "stamp", "clone", "smear", "gradient", "texels", "fill"))
_TEXELS = ("texels.copy", "texels.cut", "texels.lift", "texels.paste", "texels.file", "", "texels.turn",
           "texels.flip", "texels.flip-over", "", "texels.clear", "texels.left", "texels.right", "texels.up",
           "texels.down", "", "texels.swap", "texels.exchange", "texels.all", "texels.none")  # fmt: skip
_SELECT = (*(f"select.{tool}" for tool in ("pick", "paint", "rectangle", "lasso")), "", "select.through")
_PLACE = tuple(f"place.{mode}" for mode in ("throw", "drape", "roll", "lay"))
MENUS: dict[str, Entries] = {
    tr("&File"): (
        "file.new",
        "file.open",
        "file.recent",
        "",
        "file.save",
        "file.save-as",
        "",
        "file.pictures",
        "file.reload",
        "file.lend",
        "file.export",
        "",
        *(f"file.demo-{which}" for which in DEMOS),
        "",
        "file.quit",
    ),
    tr("&Edit"): (
        "edit.undo",
        "edit.redo",
        "",
        "edit.copy",
        "edit.paste",
        "edit.copy-map",
        "",
        "edit.all",
        "edit.leave",
        "",
        "edit.take-values",
        (tr("Paint with"), _PAINT),
        (tr("Texels"), _TEXELS),
        (tr("Select faces with"), _SELECT),
        "",
        "edit.preferences",
    ),
    tr("&Layer"): (
        "layer.wash",
        "layer.group",
        "layer.duplicate",
        "layer.delete",
        "",
        "layer.up",
        "layer.down",
        "",
        "put.label",
        "put.figure",
        "put.stripe",
        "put.slide",
        (tr("Place it as"), _PLACE),
    ),
    tr("&View"): (
        "station.model",
        "station.artwork",
        "station.paint",
        "station.check",
        "station.export",
        "",
        "view.frame",
        "view.spot",
        (tr("Look from"), _SIDES),
        (tr("How it looks"), _LOOKS),
        "view.light",
        "",
        "view.whole",
        "view.side",
        "view.tray",
    ),
    tr("&Help"): ("help.keys", "help.about"),
}


def fill_menu_bar(bar: QMenuBar, commands: Commands) -> dict[str, QMenu]:
    """All commands under their headings; the menus, by heading."""
    made = {}
    for heading, names in MENUS.items():
        made[heading] = bar.addMenu(heading)
        made |= _fill(made[heading], names, commands)
    return made


def _fill(menu: QMenu, names: Entries, commands: Commands) -> dict[str, QMenu]:
    """Put commands into a menu; the one that has to be filled later, by its name."""
    found: dict[str, QMenu] = {}
    menu.setToolTipsVisible(True)
    for name in names:
        if isinstance(name, tuple):
            _fill(menu.addMenu(name[0]), name[1], commands)
        elif name == "":
            menu.addSeparator()
        elif name == "file.recent":
            found["recent"] = menu.addMenu(tr("Open again"))
            found["recent"].setToolTipsVisible(True)
        elif name in commands:
            menu.addAction(commands[name])
    return found


def folded(bar: QMenuBar, parent: QWidget) -> QMenu:
    """All of the bar's menus in one, for a button on windows that are too narrow for the bar."""
    whole = QMenu(parent)
    for action in bar.actions():
        whole.addAction(action)
    return whole
