"""What both views work with, handed on as one."""

from __future__ import annotations

from dataclasses import dataclass

from lucky_fern.ui.session.bringing import Bringing
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.baking import Baking
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.handles import Handles
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.views.drawing_thread import DrawingThread


@dataclass(frozen=True)
class Matter:
    """Parts of the session and tools in hand; nobody outside this room knows it."""

    work: Work
    selection: Selection
    looking: Looking
    maps: Maps
    comparing: Comparing
    handles: Handles
    faces: Faces
    laying: Laying
    baking: Baking
    bringing: Bringing
    recipes: Recipes
    drawing_thread: DrawingThread
