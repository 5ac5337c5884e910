"""The tables of all kinds: every row is a class of the document and what does its work.

A new kind is one file in its room and one row here.
"""

from lucky_fern.core.compositing.effects import (
    Blurring,
    Contrasting,
    Curving,
    Inverting,
    Levelling,
    Ramping,
    Shading,
    Sharpening,
)
from lucky_fern.core.compositing.hearing import HeardMask
from lucky_fern.core.compositing.layers.adjusting import Adjusting
from lucky_fern.core.compositing.layers.echoed import Echoed
from lucky_fern.core.compositing.layers.edged import Edged
from lucky_fern.core.compositing.layers.grouping import Grouping
from lucky_fern.core.compositing.layers.painted import Painted
from lucky_fern.core.compositing.layers.placed import Placed
from lucky_fern.core.compositing.layers.washed import Washed
from lucky_fern.core.compositing.masks import FilledMask, PaintedMask, PicturedMask, ScopedMask
from lucky_fern.core.compositing.mending import (
    Cutting,
    Dithering,
    Matching,
    Mixing,
    NearContrasting,
    Normalising,
    Posterising,
    Smoothing,
)
from lucky_fern.core.compositing.mending import Despeckling as DespecklingTexels
from lucky_fern.core.compositing.rules import RuleMask
from lucky_fern.core.compositing.strokes import Painting
from lucky_fern.core.layout import by_texels
from lucky_fern.core.layout.edits import flattening, moving
from lucky_fern.core.layout.edits.cutting import CuttingTexels, Joining, SpreadingTiles, Wrapping
from lucky_fern.core.layout.edits.flattening import Flattened
from lucky_fern.core.layout.edits.moving import Moved
from lucky_fern.core.layout.edits.naming import GivingMaterial, Reframing, RenamingMaterial, RenamingPart, TurningOver
from lucky_fern.core.layout.edits.whole_texels import ByTexels, Gathering
from lucky_fern.core.placing.ways.along import RunAlong
from lucky_fern.core.placing.ways.draped import Draped
from lucky_fern.core.placing.ways.laid import Laid
from lucky_fern.core.placing.ways.rolled import Rolled
from lucky_fern.core.placing.ways.thrown import Thrown
from lucky_fern.core.preparing.cutting import CuttingOut
from lucky_fern.core.preparing.geometry import Cropping, Sizing, Straightening, Turning
from lucky_fern.core.preparing.lighting import EveningLight
from lucky_fern.core.preparing.patterns import (
    Drawing,
    bricks,
    checker,
    noise,
    planks,
    ramp,
    runs_back,
    stripes,
    weave,
)
from lucky_fern.core.preparing.reducing import Covering, Reducing
from lucky_fern.core.preparing.relief import Relieving
from lucky_fern.core.preparing.rims import Mending, Spreading
from lucky_fern.core.preparing.tiling import Repeating
from lucky_fern.core.preparing.tuning import Adjusting as AdjustingPicture
from lucky_fern.core.preparing.tuning import Despeckling, FlippingGreen
from lucky_fern.core.project import layouts
from lucky_fern.core.project.document import Adjustment, Brushwork, Decal, Group, Wash
from lucky_fern.core.project.echoes import Echo
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Gradient, Invert, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import CONTENTS, EFFECTS, LAYOUTS, OPS, PLACES, SHAPES
from lucky_fern.core.project.more_effects import (
    Dither,
    Match,
    Mixer,
    NearContrast,
    Normalise,
    Posterise,
    Smooth,
    Specks,
    Threshold,
)
from lucky_fern.core.project.patterns import Bricks, Checker, Noise, Planks, Ramp, Stripes, Weave
from lucky_fern.core.project.places import Along, Drape, Lay, Roll, Throw
from lucky_fern.core.project.preparations import (
    Adjust,
    Coverage,
    Crop,
    CutOut,
    Despeckle,
    EvenLight,
    FlipGreen,
    MendRim,
    Palette,
    Relief,
    Size,
    Spread,
    Straighten,
    Tile,
    Turn,
)
from lucky_fern.core.project.rules import RuleShape
from lucky_fern.core.project.shapes import Fill, HeardShape, PaintedShape, PictureShape, ScopeShape
from lucky_fern.core.project.strokes import PaintStrokes

CONTENTS.add(Wash, Washed())
CONTENTS.add(Decal, Placed())
CONTENTS.add(Brushwork, Painted())
CONTENTS.add(Adjustment, Adjusting())
CONTENTS.add(Group, Grouping())
CONTENTS.add(Edging, Edged())
CONTENTS.add(Echo, Echoed())

PLACES.add(Throw, Thrown())
PLACES.add(Drape, Draped())
PLACES.add(Roll, Rolled())
PLACES.add(Lay, Laid())
PLACES.add(Along, RunAlong())

SHAPES.add(Fill, FilledMask())
SHAPES.add(PictureShape, PicturedMask())
SHAPES.add(ScopeShape, ScopedMask())
SHAPES.add(PaintedShape, PaintedMask())
SHAPES.add(RuleShape, RuleMask())
SHAPES.add(HeardShape, HeardMask())

EFFECTS.add(Levels, Levelling())
EFFECTS.add(Curve, Curving())
EFFECTS.add(Shade, Shading())
EFFECTS.add(Invert, Inverting())
EFFECTS.add(Blur, Blurring())
EFFECTS.add(Sharpen, Sharpening())
EFFECTS.add(Gradient, Ramping())
EFFECTS.add(Contrast, Contrasting())
EFFECTS.add(Specks, DespecklingTexels())
EFFECTS.add(Smooth, Smoothing())
EFFECTS.add(Threshold, Cutting())
EFFECTS.add(Posterise, Posterising())
EFFECTS.add(Dither, Dithering())
EFFECTS.add(Match, Matching())
EFFECTS.add(NearContrast, NearContrasting())
EFFECTS.add(Mixer, Mixing())
EFFECTS.add(Normalise, Normalising())
EFFECTS.add(PaintStrokes, Painting())

OPS.add(Crop, Cropping())
OPS.add(Turn, Turning())
OPS.add(Straighten, Straightening())
OPS.add(CutOut, CuttingOut())
OPS.add(Spread, Spreading())
OPS.add(MendRim, Mending())
OPS.add(EvenLight, EveningLight())
OPS.add(Tile, Repeating())
OPS.add(Adjust, AdjustingPicture())
OPS.add(Despeckle, Despeckling())
OPS.add(FlipGreen, FlippingGreen())
OPS.add(Relief, Relieving())
OPS.add(Coverage, Covering())
OPS.add(Size, Sizing())
OPS.add(Palette, Reducing())
OPS.add(Noise, Drawing(noise))
OPS.add(Ramp, Drawing(ramp, runs_back))
OPS.add(Checker, Drawing(checker))
OPS.add(Stripes, Drawing(stripes))
OPS.add(Weave, Drawing(weave))
OPS.add(Bricks, Drawing(bricks))
OPS.add(Planks, Drawing(planks))

LAYOUTS.add(layouts.AlongAxis, Flattened(flattening.along_axis))
LAYOUTS.add(layouts.RoundAxis, Flattened(flattening.round_axis))
LAYOUTS.add(layouts.AsBox, Flattened(flattening.as_box))
LAYOUTS.add(layouts.Unwrap, Flattened(flattening.unwrapped))
LAYOUTS.add(layouts.Transform, Moved(moving.transform))
LAYOUTS.add(layouts.FitRectangle, Moved(moving.fit_rectangle))
LAYOUTS.add(layouts.Align, Moved(moving.align))
LAYOUTS.add(layouts.Distribute, Moved(moving.distribute))
LAYOUTS.add(layouts.Unstack, Moved(moving.unstack))
LAYOUTS.add(layouts.StackTwins, Moved(moving.twins_stacked))
LAYOUTS.add(layouts.Proportions, Moved(moving.proportions))
LAYOUTS.add(layouts.EvenDensity, Moved(moving.even_density))
LAYOUTS.add(layouts.Pack, Moved(moving.packed))
LAYOUTS.add(layouts.SendTo, Moved(moving.send_to))
LAYOUTS.add(layouts.Inside, Moved(moving.inside))
LAYOUTS.add(layouts.FlipV, Moved(moving.flip_v, of_tiles=True))
LAYOUTS.add(layouts.Snap, Moved(moving.snap))
LAYOUTS.add(layouts.GiveMaterial, GivingMaterial())
LAYOUTS.add(layouts.RenameMaterial, RenamingMaterial())
LAYOUTS.add(layouts.RenamePart, RenamingPart())
LAYOUTS.add(layouts.TurnOver, TurningOver())
LAYOUTS.add(layouts.Reframe, Reframing())
LAYOUTS.add(layouts.CutTexels, CuttingTexels())
LAYOUTS.add(layouts.Wrap, Wrapping())
LAYOUTS.add(layouts.Spread, SpreadingTiles())
LAYOUTS.add(layouts.JoinCut, Joining())
LAYOUTS.add(layouts.BoxNet, ByTexels(by_texels.box_net, makes=True))
LAYOUTS.add(layouts.OneSpot, ByTexels(by_texels.one_spot))
LAYOUTS.add(layouts.Apart, ByTexels(by_texels.apart))
LAYOUTS.add(layouts.Vary, ByTexels(by_texels.vary, in_place=True))
LAYOUTS.add(layouts.GatherSheets, Gathering())
