"""Pictures that are drawn here, labels and figures, drawn anew while they are edited."""

from __future__ import annotations

from collections.abc import Callable

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import KitPicture
from lucky_fern.ui.layers.matter import Matter


def redraw(matter: Matter, draw: Callable[[], KitPicture], command: Callable[[str, KitPicture], Command]) -> bool:
    """Draw the selected decal's picture anew; False, with a sentence shown, if that cannot be drawn."""
    layer = matter.selection.layer
    if layer is None or layer.content.place is None:
        return False
    try:
        kit = draw()
    except LuckyFernError as error:
        matter.work.said.emit(str(error)[:1].upper() + str(error)[1:] + ".", True)
        return False
    return matter.work.execute(command(layer.content.picture, kit), merge=True)
