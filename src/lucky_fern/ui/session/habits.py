"""What was chosen last and is chosen again for the next one: not of the project, of the person."""

from __future__ import annotations

from lucky_fern.core.pictures.figure import Figure
from lucky_fern.core.pictures.label import Label


class Habits:
    """How new labels and figures look, how sizes are told, what mirror twins do with lettering."""

    def __init__(self) -> None:
        self.label_style = Label()  # what the next label looks like: as the last one did
        self.figure_style = Figure()  # and the next figure
        self.twins_readable = True  # whether mirror twins keep their lettering the right way round
        self.in_texels = False  # whether sizes of decals are told in texels
        self.fonts: dict[str, str] | None = None  # this computer's, once they were read
