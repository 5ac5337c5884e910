"""Everything that a window works with, made once and handed to whoever asks for it by name."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any, TypeVar

from lucky_fern.core.pictures.apart import render_apart
from lucky_fern.render import environment
from lucky_fern.ui.session.answers import Answers
from lucky_fern.ui.session.beside import give_way_to
from lucky_fern.ui.session.bringing import Bringing
from lucky_fern.ui.session.changing import Changing
from lucky_fern.ui.session.clipboard import Clipboard
from lucky_fern.ui.session.comparing import Comparing
from lucky_fern.ui.session.errand import Errands
from lucky_fern.ui.session.exports import Exports
from lucky_fern.ui.session.habits import Habits
from lucky_fern.ui.session.keeping import Keeping
from lucky_fern.ui.session.layout_watch import LayoutWatch
from lucky_fern.ui.session.lending import Lending
from lucky_fern.ui.session.looking import Looking
from lucky_fern.ui.session.maps import Maps
from lucky_fern.ui.session.mishaps import Mishaps
from lucky_fern.ui.session.my_kit import MyKitAtHand
from lucky_fern.ui.session.preparing import Preparing
from lucky_fern.ui.session.recipes import Recipes
from lucky_fern.ui.session.saving import Saves
from lucky_fern.ui.session.selection import Selection
from lucky_fern.ui.session.work import Work
from lucky_fern.ui.tools.baking import Baking
from lucky_fern.ui.tools.colour_picking import ColourPicking
from lucky_fern.ui.tools.dropping import Dropping
from lucky_fern.ui.tools.faces import Faces
from lucky_fern.ui.tools.filling import Filling
from lucky_fern.ui.tools.fitting import Fitting
from lucky_fern.ui.tools.handles import Handles
from lucky_fern.ui.tools.laying import Laying
from lucky_fern.ui.tools.levelling import Levelling
from lucky_fern.ui.tools.painting import Painting
from lucky_fern.ui.tools.sliding import Sliding
from lucky_fern.ui.tools.striping import StripeTool
from lucky_fern.ui.tools.texel_area import TexelArea
from lucky_fern.ui.tools.texel_blocks import TexelBlocks
from lucky_fern.ui.tools.texels import Texels
from lucky_fern.ui.widgets.commands import Commands
from lucky_fern.ui.window.first_start import FirstStart

_T = TypeVar("_T")


class Parts:
    """The session and the tools of one window. Only this room knows all of them.

    They are made in the order in which they hear of a change: the selection before the maps, both before any widget.
    """

    def __init__(self) -> None:
        render_apart()
        self.commands = Commands()
        self.errands, self.saves, self.answers = Errands(), Saves(), Answers()
        self.mishaps = Mishaps()
        self.work = Work(self.errands, self.saves, environment.reflections)
        self.keeping = self.make(Keeping)
        self.selection = self.make(Selection)
        self.looking = self.make(Looking)
        self.comparing = self.make(Comparing)
        self.maps = self.make(Maps)
        self.layout_watch = self.make(LayoutWatch)
        self.habits = Habits()
        self.clipboard = self.make(Clipboard)
        self.exports = self.make(Exports)
        self.bringing = self.make(Bringing)
        self.my_kit = self.make(MyKitAtHand)
        self.preparing = self.make(Preparing)
        self.lending = self.make(Lending)
        self.changing = self.make(Changing)
        self.recipes = self.make(Recipes)
        self.handles, self.levelling = Handles(), self.make(Levelling)
        self.faces = self.make(Faces)
        self.fitting = self.make(Fitting)
        self.laying = self.make(Laying)
        self.baking = self.make(Baking)
        self.painting = self.make(Painting)
        self.filling = self.make(Filling)
        self.texels = self.make(Texels)
        self.area = self.make(TexelArea)
        self.blocks = self.make(TexelBlocks)
        self.sliding = self.make(Sliding)
        self.striping = self.make(StripeTool)
        self.dropping = self.make(Dropping)
        self.colour_picking = self.make(ColourPicking)
        self.first_start = self.make(FirstStart)
        # Called before anything here ends.
        self.ending: list[Callable[[], object]] = [self.first_start.end, give_way_to(self._is_waited_for)]

    def make(self, kind: Callable[..., _T], **more: Any) -> _T:
        """One of a kind, with the parts that its parameters name, and ``more`` that is no part."""
        names = inspect.signature(kind).parameters
        own = {name: getattr(self, name) for name in names if name not in more and hasattr(self, name)}
        return kind(**own, **more)

    def _is_waited_for(self) -> bool:
        """Whether a person waits: for an errand, or for what is looked at."""
        return self.errands.busy or not self.maps.seen_is_done

    def close(self) -> None:
        """End what goes on in the background."""
        for end in self.ending:
            end()
        self.ending.clear()
        self.errands.call_off()
        self.maps.close()
        self.answers.close()
        self.keeping.end()
        self.mishaps.end()
