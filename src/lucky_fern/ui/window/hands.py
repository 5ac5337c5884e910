"""Which gestures each view is handed, in the order in which they are asked."""

from __future__ import annotations

from functools import partial

from lucky_fern.ui.gestures.area_drag import AreaDrag
from lucky_fern.ui.gestures.brush_strokes import BrushGesture
from lucky_fern.ui.gestures.colour_dropper import ColourDropper
from lucky_fern.ui.gestures.decal_handles import DecalHandles
from lucky_fern.ui.gestures.dropper import Dropper
from lucky_fern.ui.gestures.face_picker import FacePicker
from lucky_fern.ui.gestures.gesture import Gesture
from lucky_fern.ui.gestures.guide_handles import GuideHandles
from lucky_fern.ui.gestures.island_handles import IslandHandles
from lucky_fern.ui.gestures.levels_handles import LevelsHandles
from lucky_fern.ui.gestures.loan_box import LoanBox
from lucky_fern.ui.gestures.map_handles import MapHandles
from lucky_fern.ui.gestures.mask_handles import MaskHandles
from lucky_fern.ui.gestures.pull_handles import PullHandles
from lucky_fern.ui.gestures.rectangle_fitter import RectangleFitter
from lucky_fern.ui.gestures.scope_picker import ScopePicker
from lucky_fern.ui.gestures.slide_handles import SlideBrush, SlideHandles
from lucky_fern.ui.gestures.stripe_handles import StripeHandles
from lucky_fern.ui.gestures.texel_pencil import TexelPencil
from lucky_fern.ui.views.model_view import ModelView
from lucky_fern.ui.views.sheet_view import SheetView
from lucky_fern.ui.window.parts import Parts

_BOTH = (Dropper, ScopePicker, MaskHandles, TexelPencil, BrushGesture, StripeHandles, PullHandles, DecalHandles)
_IN_SPACE = (ColourDropper, SlideBrush, *_BOTH, SlideHandles, FacePicker)
_ON_SHEETS = (LevelsHandles, ColourDropper, LoanBox, AreaDrag, GuideHandles, MapHandles, *_BOTH, RectangleFitter,
              IslandHandles, partial(FacePicker, flat=True))  # fmt: skip


def hand_over(parts: Parts, model_view: ModelView, sheet_view: SheetView) -> None:
    """Give both views what the hand does in them."""
    for view, kinds in ((model_view, _IN_SPACE), (sheet_view, _ON_SHEETS)):
        made: list[Gesture] = [parts.make(kind, view=view) for kind in kinds]
        view.gestures = made
