"""The Marsh Hen's livery: about twenty layers over four tiles, as a modder would stack them."""

from __future__ import annotations

from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, GiveMask, GroupLayers, RenameLayer
from lucky_fern.core.project.document import Adjustment, Channel, Decal, Relief, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.effects import Curve, Shade
from lucky_fern.core.project.kinds import Content, Place
from lucky_fern.core.project.more_effects import Specks
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.rules import Grain
from lucky_fern.core.project.shapes import Fill, MaskEntry, PictureShape, ScopeShape
from lucky_fern.core.project.strokes import PaintStrokes
from lucky_fern.core.studio import Studio

HULL, HOUSE = ("hull", "transom"), ("deckhouse",)
GLASS = ("porthole glass", "lamp glass")
BRASS = ("porthole rim", "lamp brass", "mast", "handrail", "bollard", "canopy post")


class Livery:
    """Puts layers onto a studio, one line each."""

    def __init__(self, studio: Studio) -> None:
        self.studio = studio

    def add(self, name: str, content: Content, parts: tuple[str, ...] | None = None, blend: str = "normal",
            opacity: float = 1.0, **channels: Channel | str | float) -> int:  # fmt: skip
        """A layer on top; the number it got."""
        given = {key: value if isinstance(value, Channel) else Channel(value) for key, value in channels.items()}
        self.studio.execute(AddLayer(name, content, given, opacity, blend, Scope(parts=parts)))
        return self.studio.project.next_id - 1

    def group(self, name: str, layers: list[int]) -> int:
        self.studio.execute(GroupLayers(tuple(layers)))
        number = self.studio.project.next_id - 1
        self.studio.execute(RenameLayer(number, name))
        return number

    def mask(self, layer: int, *entries: MaskEntry) -> int:
        """Mask a layer; the mask's number."""
        for entry in entries:
            self.studio.execute(AddMaskEntry(layer, entry))
        number = self.studio.project.layer(layer).mask
        assert number is not None
        return number


def picture(name: str, opacity: float = 1.0, relief: bool = False) -> Channel:
    return Channel("picture", picture=name, opacity=opacity, relief=Relief() if relief else None)


def from_side(sign: int, x: float, y: float, width: float, **more: float | bool) -> Throw:
    """A throw onto the side of the boat, from outside, towards the middle line."""
    place = {"depth": 1.7, "stand_off": 4.0, **more}
    return Throw((x, y, 1.7 * sign), (0, 0, sign), (0, 1, 0), width, **place)  # type: ignore[arg-type]  # fields of Throw


def paint_ferry(studio: Studio) -> None:
    """All of it, from the bottom of the stack up."""
    coat = Livery(studio)
    _paint(coat)
    _details(coat)
    _marks(coat)
    _canopy(coat)
    _weather(coat)
    _sheen(coat)


def _paint(coat: Livery) -> None:
    coat.group("Paint", [
        coat.add("House cream", Wash(), colour="#ebe4d2", roughness=0.42, metallic=0.0),
        coat.add("Hull green", Wash(), HULL, colour="#2c6550", roughness=0.3),
        coat.add("Roof and rail", Wash(), ("rail", "roof", "name board"), colour="#bd4f2d", roughness=0.48),
        coat.add("Life rings", Wash(), ("life ring",), colour="#e8dcc2", roughness=0.6),
    ])  # fmt: skip


def _details(coat: Livery) -> None:
    coat.add("Deck planks", Wash(repeat=(3, 3), rotate=90), ("deck", "bench", "door"), colour=picture("deck-planks.png"),
             roughness=0.78, height=picture("deck-planks-height.png", relief=True))  # fmt: skip
    coat.add("Brass", Wash(), BRASS, colour="#c2954a", roughness=0.26, metallic=1.0)
    coat.add("Canvas", Wash(repeat=(7, 7)), ("canopy", "canopy edge"), colour=picture("canvas-weave.png"),
             roughness=0.93, height=picture("canvas-weave.png", 0.5, relief=True))  # fmt: skip
    waterline = coat.add("Bottom paint", Wash(), HULL, colour="#7c2f24", roughness=0.62)
    below = Throw((0, -0.02, 0), (0, 0, 1), (0, 1, 0), 11.0, 0.9, depth=4.0, angle_limit=180.0, through=True)
    coat.mask(waterline, MaskEntry(PictureShape("solid-band.svg", below)))
    coat.add("Glass", Wash(), GLASS, colour="#ffdf9c", roughness=0.08)
    grey = Echo(
        "rule", rule=Grain(size=0.16, octaves=3), ramp=((0.0, "#7a3a08"), (0.55, "#ffb04a"), (1.0, "#ffdf9c"))
    )
    coat.add("Glow of one grey", grey, GLASS, emissive=Channel(ECHO))


def _marks(coat: Livery) -> None:
    marks = []
    for sign, side in ((1, "starboard"), (-1, "port")):
        stripe = from_side(sign, 0.15, 0.62, 10.0, height=0.26)
        crest = from_side(sign, -0.05, 1.55, 0.62, depth=0.75, stand_off=0.7)
        name = from_side(sign, 2.95, 1.12, 1.35, depth=1.3)
        number = from_side(sign, -3.7, 0.98, 0.36, depth=1.0)
        for title, file, place, scope in (
            ("Stripe", "deck-stripe.svg", stripe, HULL), ("Crest", "ferry-crest.svg", crest, HOUSE),
            ("Name", "name-marsh-hen.svg", name, HULL), ("Number", "fleet-number.svg", number, HULL),
        ):  # fmt: skip
            marks.append(_mark(coat, f"{title} {side}", file, place, scope))
    board = Throw((2.4, 3.02, 0), (1, 0, 0), (0, 1, 0), 1.7, depth=0.2, stand_off=1.0)
    marks.append(_mark(coat, "Name board", "name-marsh-hen.svg", board, ("name board",)))
    coat.group("Marks", marks)


def _mark(coat: Livery, title: str, file: str, place: Place, parts: tuple[str, ...]) -> int:
    return coat.add(title, Decal(file, place), parts, colour=Channel("picture"), roughness=0.28)


def _canopy(coat: Livery) -> None:
    """The cloth in brush strokes, and the name on it as it is."""
    cloth = ("canopy", "canopy edge")
    place = Throw((-2.95, 3.12, 0.55), (0, 1, 0), (0, 0, -1), 2.1, depth=0.7)
    name = coat.add("Name on the canopy", Decal("name-marsh-hen.svg", place), cloth, colour="#2c6550")
    strokes = PaintStrokes(14.0, 4.0, 0.6, thick=0.35, vary=0.25)
    brushed = coat.add(
        "Brushed cloth", Adjustment(strokes), cloth, colour=Channel(), normal=Channel(), height=Channel()
    )
    coat.mask(
        brushed, MaskEntry(Fill(1.0)), MaskEntry(PictureShape("name-marsh-hen.svg", place), "subtract", feather=1.0)
    )
    coat.group("Canopy cloth", [name, brushed])


def _sheen(coat: Livery) -> None:
    """How rough she is follows from her colour: brighter is duller; brass, glass and cloth are put back."""
    coat.group("Sheen", [
        coat.add("Roughness from colour", Echo("colour", low=0.24, high=0.72), roughness=Channel(ECHO)),
        coat.add("Specks out of it", Adjustment(Specks(2.0, 0.06)), roughness=Channel()),
        coat.add("Brass again", Wash(), BRASS, roughness=0.24),
        coat.add("Glass again", Wash(), GLASS, roughness=0.08),
        coat.add("Cloth again", Wash(), ("canopy", "canopy edge", "life ring"), roughness=0.9),
    ])  # fmt: skip


def _weather(coat: Livery) -> None:
    rust = coat.add("Stains", Wash(repeat=(2.2, 2.2), by="triplanar"), blend="multiply", opacity=0.55,
                    colour=picture("grime.png"))  # fmt: skip
    dull = coat.add("Stains are dull", Wash(), roughness=0.85)
    where = coat.mask(
        rust,
        MaskEntry(ScopeShape(Scope(parts=(*HULL, *HOUSE, "roof", "deck", "rail"))), feather=3.0),
        MaskEntry(PictureShape("grime-mask.png", _over_all(), "luminance"), "intersect", gamma=0.8),
    )
    coat.studio.execute(GiveMask((dull,), where))
    roof = coat.add("Sun-bleached roof", Adjustment(Shade(4.0, -0.18, 0.06)), ("roof",), colour=Channel())
    dry = coat.add("Drier varnish", Adjustment(Curve(((0.0, 0.05), (0.5, 0.58), (1.0, 1.0)))), roughness=Channel())
    coat.group("Weather", [rust, dull, roof, dry])


def _over_all() -> Throw:
    """A throw from above that reaches everything."""
    return Throw((0.2, 2.4, 0), (0, 1, 0), (-1, 0, 0), 10.0, 10.0, depth=4.0, angle_limit=180.0, through=True)
