"""What a person sees of each op: its title, how a new one begins, its inputs. A row for each."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from lucky_fern.core.project.effects import Blur, Contrast, Curve, Invert, Levels, Shade, Sharpen
from lucky_fern.core.project.kinds import Op
from lucky_fern.core.project.patterns import Bricks, Checker, Noise, Pattern, Planks, Ramp, Stripes, Weave
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
    op_name,
)
from lucky_fern.ui.session.effect_inputs import SLIDERS
from lucky_fern.words import tr

Begin = Callable[[float, float], Op]  # of a picture so many pixels wide and high


@dataclass(frozen=True)
class Slider:
    """A number: the field, its title, lowest, highest, decimals."""

    field: str
    title: str
    low: float
    high: float
    decimals: int = 2


@dataclass(frozen=True)
class Pick:
    """One of some words: the field, its title, each word with what it is called."""

    field: str
    title: str
    words: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Sizes:
    """Width and height in pixels, or none."""

    field: str
    title: str


@dataclass(frozen=True)
class Hue:
    """A colour, with a button that takes it from the picture; ``none`` is what stands for no colour of one's own."""

    field: str
    title: str
    none: str | None
    none_title: str


@dataclass(frozen=True)
class Tick:
    field: str
    title: str


@dataclass(frozen=True)
class Colour:
    """A colour that is always there."""

    field: str
    title: str


@dataclass(frozen=True)
class Twos:
    """An even number."""

    field: str
    title: str


Input = Slider | Pick | Sizes | Hue | Tick | Colour | Twos


@dataclass(frozen=True)
class OpShown:
    """How an op is shown: its title, what it is for, how it begins, its inputs, how it is taken by the hand."""

    title: str
    tip: str
    begin: Begin
    inputs: tuple[Input, ...] = ()
    hand: str = ""  # "box", "corners" or "cut": see handles.py


def _inset(wide: float, high: float, by: float) -> tuple[float, float, float, float]:
    return round(wide * by), round(high * by), round(wide * (1 - by)), round(high * (1 - by))


def _corners(wide: float, high: float) -> Straighten:
    left, upper, right, lower = _inset(wide, high, 0.12)
    return Straighten(((left, upper), (right, upper), (right, lower), (left, lower)))


def _sliders(*fields: str) -> tuple[Slider, ...]:
    """Those that the effect's numbers have on layers too."""
    return tuple(Slider(field, *SLIDERS[field]) for field in fields)


_COLOURS: tuple[Input, ...] = (
    Colour("colour", tr("Colour")), Hue("second", tr("Second colour"), None, tr("Clear")),
)  # fmt: skip
_LAST: tuple[Input, ...] = (Slider("strength", tr("Relief"), -40, 40, 1), Sizes("size", tr("Pixels")))
_SEED = Slider("seed", tr("Seed"), 0, 999, 0)
ROWS: dict[str, OpShown] = {
    "crop": OpShown(tr("Crop"), tr("Keep what lies in a box"), lambda w, h: Crop(_inset(w, h, 0.08)), hand="box"),
    "turn": OpShown(tr("Turn"), tr("Turn it round, or mirror it"), lambda w, h: Turn(90.0), (
        Slider("degrees", tr("Turn °"), -180, 180, 1), Tick("mirror", tr("Mirrored")))),
    "straighten": OpShown(tr("Straighten"), tr("Take perspective out: drag its four corners"), _corners, (
        Sizes("size", tr("Becomes")),), hand="corners"),
    "cut-out": OpShown(tr("Cut out"), tr("Take the background away"), lambda w, h: CutOut(_inset(w, h, 0.03)), (
        Hue("colour", tr("By colour"), None, tr("By the box")), Slider("tolerance", tr("Tolerance"), 0, 0.6, 3),
        Slider("radius", tr("Stroke, pixels"), 1, 60, 0)), hand="cut"),
    "mend-rim": OpShown(tr("Mend rim"), tr("Recolour a rim along its alpha from inside"), lambda w, h: MendRim(), (
        Hue("colour", tr("Rim"), "auto", tr("Find it")),)),
    "spread": OpShown(tr("Spread colour"), tr("Grow colours out under what is clear"), lambda w, h: Spread()),
    "even-light": OpShown(tr("Even the light"), tr("Take a shadow or a lamp out of it"), lambda w, h: EvenLight(), (
        Slider("reach", tr("Reach"), 0.02, 1, 2),)),
    "tile": OpShown(tr("Make it tile"), tr("Left meets right and top bottom"), lambda w, h: Tile(), (
        Slider("overlap", tr("Overlap"), 0, 0.5, 2),)),
    "levels": OpShown(tr("Levels"), tr("Black, white and what lies between"), lambda w, h: Adjust(Levels()),
                    _sliders("black", "white", "gamma")),
    "curve": OpShown(tr("Curve"), tr("Bend brightness"), lambda w, h: Adjust(Curve())),
    "shade": OpShown(tr("Hue and saturation"), tr("Turn or fade its colours"), lambda w, h: Adjust(Shade()),
                    _sliders("hue", "saturation", "lightness")),
    "contrast": OpShown(tr("Contrast"), tr("Brightness and contrast"), lambda w, h: Adjust(Contrast()),
                    _sliders("brightness", "contrast")),
    "invert": OpShown(tr("Invert"), tr("Dark becomes light"), lambda w, h: Adjust(Invert())),
    "despeckle": OpShown(tr("Despeckle"), tr("Take specks out"), lambda w, h: Despeckle(), (
        Slider("radius", tr("Radius"), 1, 12, 0), Slider("threshold", tr("Threshold"), 0, 1),
        Pick("which", tr("Specks"), (("both", tr("all")), ("bright", tr("bright")), ("dark", tr("dark")))))),
    "blur": OpShown(tr("Blur"), tr("Soften it"), lambda w, h: Adjust(Blur()), _sliders("radius")),
    "sharpen": OpShown(tr("Sharpen"), tr("Raise its edges"), lambda w, h: Adjust(Sharpen()),
                    _sliders("radius", "amount")),
    "flip-green": OpShown(tr("Green turned over"), tr("Normals whose green points the other way"),
                    lambda w, h: FlipGreen()),
    "relief": OpShown(tr("Relief"), tr("A height and a normal picture beside it"), lambda w, h: Relief(), (
        Pick("source", tr("From"), (("brightness", tr("brightness")), ("alpha", tr("alpha")),
                                    ("normals", tr("normals")))),
        Slider("strength", tr("Strength"), -40, 40, 1), Slider("blur", tr("Blur"), 0, 40, 1),
        Slider("large", tr("Large shapes"), 0, 4), Slider("small", tr("Small shapes"), 0, 4),
        Slider("split", tr("Small is under"), 1, 100, 0))),
    "coverage": OpShown(tr("Coverage"), tr("It says where, not what colour"), lambda w, h: Coverage(), (
        Pick("source", tr("From"), (("luminance", tr("what is bright")), ("darkness", tr("what is dark")),
                                    ("alpha", tr("its alpha")))),)),
    "size": OpShown(tr("Size"), tr("Fewer pixels, well filtered"),
                    lambda w, h: Size((max(1, round(w / 2)), max(1, round(h / 2)))), (
        Sizes("size", tr("Becomes")), Pick("sampling", tr("Filter"), (("smooth", tr("mean")),
                                                                     ("nearest", tr("pick pixels")))))),
    "palette": OpShown(tr("Few colours"), tr("A palette of a few colours, for pixel art"), lambda w, h: Palette(), (
        Slider("colours", tr("Colours"), 2, 64, 0), Slider("dither", tr("Dither"), 0, 1))),
    "noise": OpShown(tr("Noise"), tr("Clouds, cells or ridges"), lambda w, h: Noise(), (
        Pick("form", tr("Form"), (("soft", tr("clouds")), ("cells", tr("cells")), ("ridges", tr("ridges")))),
        *_COLOURS, Slider("cells", tr("Cells a side"), 1, 64, 0), Slider("octaves", tr("Octaves"), 1, 10, 0),
        Slider("contrast", tr("Contrast"), 0, 4), *_LAST, _SEED)),
    "ramp": OpShown(tr("Ramp"), tr("From one colour to another"), lambda w, h: Ramp(), (
        Pick("form", tr("Form"), (("line", tr("along a line")), ("middle", tr("from the middle")),
                                  ("round", tr("round it")))),
        *_COLOURS, Slider("turn", tr("Turn °"), -180, 180, 0), Slider("times", tr("Times"), 1, 32, 0),
        Slider("bend", tr("Bend"), 0.1, 10), Tick("back", tr("There and back")), *_LAST)),
    "checker": OpShown(tr("Checker"), tr("Squares in turn"), lambda w, h: Checker(), (
        *_COLOURS, Twos("across", tr("Across")), Twos("down", tr("Down")), *_LAST)),
    "stripes": OpShown(tr("Stripes"), tr("Stripes that tile, upright or leaning"), lambda w, h: Stripes(), (
        *_COLOURS, Slider("count", tr("Stripes"), 1, 64, 0), Slider("thick", tr("Thick"), 0, 1),
        Slider("lean", tr("Lean"), -64, 64, 0), Slider("soft", tr("Soft rim"), 0, 1), *_LAST)),
    "weave": OpShown(tr("Weave"), tr("Threads over and under each other"), lambda w, h: Weave(), (
        Colour("colour", tr("Upright")), Hue("second", tr("Across"), None, tr("Clear")),
        Hue("ground", tr("Between"), None, tr("Clear")), Twos("across", tr("Threads across")),
        Twos("down", tr("Threads down")), Slider("thick", tr("Thick"), 0, 1), Slider("vary", tr("Vary"), 0, 1),
        *_LAST, _SEED)),
    "bricks": OpShown(tr("Bricks"), tr("Rows of bricks or tiles"), lambda w, h: Bricks(), (
        Colour("colour", tr("Bricks")), Hue("second", tr("Mortar"), None, tr("Clear")),
        Slider("across", tr("Across"), 1, 64, 0), Slider("down", tr("Rows"), 1, 64, 0),
        Slider("shift", tr("Shift a row"), 0, 1), Slider("gap", tr("Mortar"), 0, 0.9),
        Slider("bevel", tr("Bevel"), 0, 1),
        Slider("vary", tr("Vary"), 0, 1), *_LAST, _SEED)),
    "planks": OpShown(tr("Planks"), tr("Boards with grain, cut anywhere"), lambda w, h: Planks(), (
        Colour("colour", tr("Boards")), Hue("second", tr("Gaps"), None, tr("Clear")),
        Slider("across", tr("Pieces a board"), 1, 32, 0), Slider("down", tr("Boards"), 1, 64, 0),
        Slider("gap", tr("Gap"), 0, 0.9), Slider("vary", tr("Vary"), 0, 1), Slider("grain", tr("Grain"), 0, 1),
        *_LAST, _SEED)),
}  # fmt: skip
PATTERN_ROWS: dict[str, Pattern] = {
    "noise": Noise(), "ramp": Ramp(), "checker": Checker(), "stripes": Stripes(),
    "weave": Weave(colour="#c8b890", second="#b0a078"), "bricks": Bricks(colour="#9c4a34", second="#b8b0a4"),
    "planks": Planks(colour="#a87848", second="#20160c"),
}  # fmt: skip
# How they stand in the menu; "" is a line between.
ORDER = ("crop", "turn", "straighten", "size", "", "cut-out", "mend-rim", "spread", "coverage", "", "even-light",
         "tile", "relief", "flip-green", "palette", "", "levels", "curve", "shade", "contrast", "invert", "",
         "despeckle", "blur", "sharpen")  # fmt: skip


def shown_as(op: Op) -> OpShown:
    """How an op is shown."""
    return ROWS[op_name(op)]


def titled(op: Op) -> str:
    """What an op is called in the list."""
    return shown_as(op).title
