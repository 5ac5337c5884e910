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
from lucky_fern.core.compositing.layers.adjusting import Adjusting
from lucky_fern.core.compositing.layers.edged import Edged
from lucky_fern.core.compositing.layers.grouping import Grouping
from lucky_fern.core.compositing.layers.painted import Painted
from lucky_fern.core.compositing.layers.placed import Placed
from lucky_fern.core.compositing.layers.washed import Washed
from lucky_fern.core.compositing.masks import FilledMask, PaintedMask, PicturedMask, ScopedMask
from lucky_fern.core.compositing.rules import RuleMask
from lucky_fern.core.placing.ways.along import RunAlong
from lucky_fern.core.placing.ways.draped import Draped
from lucky_fern.core.placing.ways.laid import Laid
from lucky_fern.core.placing.ways.rolled import Rolled
from lucky_fern.core.placing.ways.thrown import Thrown
from lucky_fern.core.project.document import Adjustment, Brushwork, Decal, Group, Wash
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Gradient, Invert, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import CONTENTS, EFFECTS, PLACES, SHAPES
from lucky_fern.core.project.places import Along, Drape, Lay, Roll, Throw
from lucky_fern.core.project.rules import RuleShape
from lucky_fern.core.project.shapes import Fill, PaintedShape, PictureShape, ScopeShape

CONTENTS.add(Wash, Washed())
CONTENTS.add(Decal, Placed())
CONTENTS.add(Brushwork, Painted())
CONTENTS.add(Adjustment, Adjusting())
CONTENTS.add(Group, Grouping())
CONTENTS.add(Edging, Edged())

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

EFFECTS.add(Levels, Levelling())
EFFECTS.add(Curve, Curving())
EFFECTS.add(Shade, Shading())
EFFECTS.add(Invert, Inverting())
EFFECTS.add(Blur, Blurring())
EFFECTS.add(Sharpen, Sharpening())
EFFECTS.add(Gradient, Ramping())
EFFECTS.add(Contrast, Contrasting())
