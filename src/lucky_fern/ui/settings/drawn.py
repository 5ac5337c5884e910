"""Pictures that are drawn here, labels and figures, drawn anew while they are edited."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.project.commands import Command
from lucky_fern.core.project.document import Decal, KitPicture

if TYPE_CHECKING:
    from lucky_fern.ui.desk import Desk


def redraw(desk: Desk, draw: Callable[[], KitPicture], command: Callable[[str, KitPicture], Command]) -> bool:
    """Draw the selected decal's picture anew; False, with a sentence shown, if that cannot be drawn."""
    layer = desk.layer
    if layer is None or not isinstance(layer.content, Decal):
        return False
    try:
        kit = draw()
    except LuckyFernError as error:
        desk.said.emit(str(error)[:1].upper() + str(error)[1:] + ".", True)
        return False
    return desk.execute(command(layer.content.picture, kit), merge=True)
