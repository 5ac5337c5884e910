"""What the board and the pages of layers work with, handed on as one."""

from __future__ import annotations

from dataclasses import dataclass

from lucky_fern.ui.session.answers import Answers
from lucky_fern.ui.session.clipboard import Clipboard
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.layout_watch import LayoutWatch
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.filling import Filling
from lucky_fern.ui.tools.handles import Handles
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.tools.levelling import Levelling
from lucky_fern.ui.tools.striping import StripeTool
from lucky_fern.ui.widgets.commands import Commands


@dataclass(frozen=True)
class Matter:
    """Parts of the session and tools in hand; nobody outside this room knows it."""

    commands: Commands
    work: Work
    selection: Selection
    looking: Looking
    comparing: Comparing
    maps: Maps
    errands: Errands
    answers: Answers
    layout_watch: LayoutWatch
    habits: Habits
    clipboard: Clipboard
    recipes: Recipes
    handles: Handles
    levelling: Levelling
    faces: Faces
    laying: Laying
    filling: Filling
    striping: StripeTool
