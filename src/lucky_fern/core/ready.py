"""Recipes that the program brings along: wear in one step, and a shelf of materials to start from.

They give no lengths: reaches and grain follow the size of the model that they are put on.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from lucky_fern.core.maps import raises
from lucky_fern.core.project.document import Adjustment, Channel, Group, Layer, Project, Relief, Wash
from lucky_fern.core.project.edgings import Edging
from lucky_fern.core.project.effects import Shade
from lucky_fern.core.project.kinds import Content
from lucky_fern.core.project.rules import (
    Crevices,
    Drips,
    Edges,
    Facing,
    Grain,
    Height,
    Occlusion,
    Rim,
    Rule,
    RuleShape,
    Seams,
)
from lucky_fern.core.project.shapes import Mask, MaskEntry
from lucky_fern.words import tr

_FIRST = 1 << 20  # of ids: none of them is that of a layer elsewhere, which a rim may name
Values = dict[str, str | float]
Rules = Sequence[
    tuple[Rule, float, float] | tuple[Rule, float, float, str]
]  # with levels, and how each meets those before


class _Making:
    """Layers with their masks, numbered as they come."""

    def __init__(self) -> None:
        self.masks: dict[int, Mask] = {}
        self.next = _FIRST

    def number(self) -> int:
        self.next += 1
        return self.next - 1

    def layer(
        self, name: str, content: Content, channels: dict[str, Channel], rules: Rules = (), opacity: float = 1.0,
        blend: str = "normal",
    ) -> Layer:  # fmt: skip
        mask = None
        if rules:
            mask = self.number()
            entries = []
            for at, (rule, low, high, *how) in enumerate(rules):
                mode = how[0] if how else ("intersect" if at else "replace")
                entries.append(MaskEntry(RuleShape(rule, low, high), mode))  # type: ignore[arg-type]  # one of its modes
            self.masks[mask] = Mask(tuple(entries))
        return Layer(self.number(), name, content, channels, opacity=opacity, blend=blend, mask=mask)  # type: ignore[arg-type]  # one of its names

    def wash(
        self, name: str, values: Values, rules: Rules = (), opacity: float = 1.0, blend: str = "normal"
    ) -> Layer:
        channels = {key: Channel(value, relief=Relief() if raises(key) else None) for key, value in values.items()}
        return self.layer(name, Wash(), channels, rules, opacity, blend)

    def recipe(self, name: str, layers: Sequence[Layer]) -> Project:
        group = Layer(self.number(), name, Group(tuple(layers)), {})
        return Project(name, layers=(group,), masks=self.masks, next_id=self.next)


# --- wear ---------------------------------------------------------------------------------------------------------


def worn_edges() -> Project:
    """Paint is gone along edges: bare metal a little lower, and a darker rim where it lets go."""
    m = _Making()
    broken = (Grain(octaves=5), 0.35, 0.6)
    return m.recipe(tr("Worn edges"), [
        m.wash(tr("Dull rim"), {"colour": "#4a4038", "roughness": 0.75}, [(Edges(), 0.1, 0.45), broken], 0.55),
        m.wash(tr("Bare metal"), {"colour": "#b9b7b0", "metallic": 1.0, "roughness": 0.38, "height": 0.46},
               [(Edges(), 0.3, 0.6), broken]),
    ])  # fmt: skip


def dust_on_top() -> Project:
    """A pale film on what faces up and lies under no cover."""
    m = _Making()
    return m.recipe(tr("Dust on top"), [
        m.wash(tr("Dust"), {"colour": "#c9bda6", "metallic": 0.0, "roughness": 0.95},
               [(Facing(), 0.35, 0.95), (Occlusion(), 0.85, 0.35), (Grain(octaves=5, seed=3), 0.25, 0.75)], 0.7),
    ])  # fmt: skip


def dirt_in_corners() -> Project:
    """Dark and rough where nobody wipes."""
    m = _Making()
    return m.recipe(tr("Dirt in corners"), [
        m.wash(tr("Grime"), {"colour": "#2f281f", "roughness": 0.9},
               [(Crevices(), 0.08, 0.6), (Occlusion(), 0.55, 0.95, "add"), (Grain(octaves=5, seed=7), 0.2, 0.7)],
               0.8, "multiply"),
    ])  # fmt: skip


def runs_below_edges() -> Project:
    """What rain washes down: streaks that run down the surface from edges, stains where they are fresh."""
    m = _Making()
    broken = (Grain(octaves=5, seed=6), 0.15, 0.5)
    return m.recipe(tr("Runs below edges"), [
        m.wash(tr("Stain"), {"colour": "#6b4a2c", "roughness": 0.7}, [(Drips(seed=11), 0.0, 0.9), broken], 0.45,
               "multiply"),
        m.wash(tr("Runs"), {"colour": "#463524", "roughness": 0.55}, [(Drips(seed=5), 0.15, 0.8)], 0.6, "multiply"),
    ])  # fmt: skip


def sun_bleached() -> Project:
    """Colours fade where the sun gets."""
    m = _Making()
    return m.recipe(tr("Sun-bleached"), [
        m.layer(tr("Bleached"), Adjustment(Shade(saturation=-0.35, lightness=0.1)), {"colour": Channel()},
                [(Facing(), 0.2, 0.9), (Occlusion(), 0.9, 0.3)]),
    ])  # fmt: skip


def puddle_line() -> Project:
    """A dark line of what stood there, up to a height."""
    m = _Making()
    return m.recipe(tr("Puddle line"), [
        m.wash(tr("Stain"), {"colour": "#5b4a36", "roughness": 0.85},
               [(Height(), 0.2, 0.13), (Grain(octaves=4, seed=9), 0.1, 0.5)], 0.6, "multiply"),
        m.wash(tr("Salt"), {"colour": "#d9d4c5", "roughness": 0.95},
               [(Height(), 0.21, 0.18), (Height(), 0.15, 0.18), (Grain(octaves=5, seed=2), 0.4, 0.6)], 0.8),
    ])  # fmt: skip


def chipped_round(of: int) -> Project:
    """Paint flakes where a layer (by id) ends."""
    m = _Making()
    return m.recipe(tr("Chipped paint"), [
        m.wash(tr("Chips"), {"colour": "#8d8a82", "roughness": 0.8, "height": 0.47},
               [(Rim(of), 0.25, 0.7), (Grain(octaves=5, seed=4), 0.5, 0.56)]),
    ])  # fmt: skip


WEAR: dict[str, tuple[str, Callable[[], Project]]] = {
    "worn edges": (tr("Worn edges"), worn_edges), "dust": (tr("Dust on top"), dust_on_top),
    "dirt": (tr("Dirt in corners"), dirt_in_corners), "runs": (tr("Runs below edges"), runs_below_edges),
    "sun": (tr("Sun-bleached"), sun_bleached), "puddle": (tr("Puddle line"), puddle_line),
}  # fmt: skip


# --- a shelf to start from ----------------------------------------------------------------------------------------


def _material(name: str, base: Values, *more: tuple[str, Values, Rules, float]) -> Callable[[], Project]:
    def make() -> Project:
        m = _Making()
        return m.recipe(name, [m.wash(tr("Base"), base), *(m.wash(title, values, rules, opacity)
                                                            for title, values, rules, opacity in more)])  # fmt: skip

    return make


def _stitched() -> Project:
    m = _Making()
    thread = Edging("islands", "stitch", offset=0.0)
    return m.recipe(tr("Leather with stitches"), [
        m.wash(tr("Base"), {"colour": "#6b4226", "metallic": 0.0, "roughness": 0.55}),
        m.wash(tr("Grain of the hide"), {"colour": "#55331c", "height": 0.47},
               [(Grain("cells", octaves=3), 0.65, 0.35)], 0.6),
        m.wash(tr("Groove"), {"height": 0.42, "colour": "#4a2c18"}, [(Seams(of="islands"), 0.75, 0.95)], 0.7),
        m.layer(tr("Thread"), thread, {"colour": Channel("#d8c49a"), "roughness": Channel(0.8),
                                       "height": Channel("picture", relief=Relief())}),
    ])  # fmt: skip


def _soft(size: float | None = None, seed: int = 0, octaves: int = 5, stretch: float = 1.0) -> Grain:
    return Grain(size=size, octaves=octaves, seed=seed, stretch=stretch)


_METAL: Values = {"metallic": 1.0, "roughness": 0.36}
SHELF: dict[str, tuple[str, Callable[[], Project]]] = {
    title: (title, make)
    for title, make in (
        (
            tr("Enamel"),
            _material(
                tr("Enamel"),
                {"colour": "#2f6b4f", "metallic": 0.0, "roughness": 0.22},
                (tr("Orange peel"), {"height": 0.505}, [(_soft(seed=1), 0.35, 0.65)], 1.0),
            ),
        ),
        (
            tr("Bare steel"),
            _material(
                tr("Bare steel"),
                {"colour": "#8f9296", "metallic": 1.0, "roughness": 0.42},
                (tr("Smudges"), {"roughness": 0.58}, [(_soft(seed=2), 0.4, 0.7)], 0.8),
            ),
        ),
        (
            tr("Brushed brass"),
            _material(
                tr("Brushed brass"),
                _METAL | {"colour": "#b8923f"},
                (
                    tr("Brushing"),
                    {"roughness": 0.5, "colour": "#a07c31"},
                    [(Grain("ridges", octaves=4, seed=3, stretch=30.0), 0.45, 0.65)],
                    0.7,
                ),
            ),
        ),
        (
            tr("Painted wood"),
            _material(
                tr("Painted wood"),
                {"colour": "#b9c4b1", "metallic": 0.0, "roughness": 0.6},
                (
                    tr("Figure"),
                    {"height": 0.48, "roughness": 0.7},
                    [(Grain("ridges", octaves=4, seed=4, stretch=18.0), 0.5, 0.7)],
                    0.7,
                ),
            ),
        ),
        (
            tr("Planks"),
            _material(
                tr("Planks"),
                {"colour": "#8a6236", "metallic": 0.0, "roughness": 0.7},
                (
                    tr("Figure"),
                    {"colour": "#6b4826", "height": 0.47},
                    [(Grain("ridges", octaves=5, seed=5, stretch=24.0), 0.45, 0.7)],
                    0.8,
                ),
            ),
        ),
        (
            tr("Canvas"),
            _material(
                tr("Canvas"),
                {"colour": "#c8bd9f", "metallic": 0.0, "roughness": 0.92},
                (tr("Weave"), {"height": 0.48}, [(Grain("cells", octaves=2, seed=6), 0.6, 0.4)], 0.8),
            ),
        ),
        (tr("Leather with stitches"), _stitched),
        (
            tr("Rubber"),
            _material(
                tr("Rubber"),
                {"colour": "#26272a", "metallic": 0.0, "roughness": 0.85},
                (tr("Bloom"), {"colour": "#3a3b3d"}, [(_soft(seed=7), 0.45, 0.75)], 0.6),
            ),
        ),
        (
            tr("Glass"),
            _material(tr("Glass"), {"colour": "#dfeae8", "metallic": 0.0, "roughness": 0.05, "opacity": 0.25}),
        ),
        (
            tr("Worn paint"),
            _material(
                tr("Worn paint"),
                {"colour": "#7d2f22", "metallic": 0.0, "roughness": 0.5},
                (
                    tr("Bare metal"),
                    {"colour": "#a9a6a0", "metallic": 1.0, "roughness": 0.4, "height": 0.46},
                    [(Edges(), 0.3, 0.6), (_soft(seed=8), 0.35, 0.6)],
                    1.0,
                ),
            ),
        ),
        (
            tr("Rust"),
            _material(
                tr("Rust"),
                {"colour": "#6e3a1c", "metallic": 0.1, "roughness": 0.9},
                (tr("Bright rust"), {"colour": "#a85a22"}, [(_soft(seed=9), 0.45, 0.65)], 0.9),
                (
                    tr("Pits"),
                    {"height": 0.44, "colour": "#3d2213"},
                    [(Grain("cells", octaves=3, seed=10), 0.3, 0.15)],
                    0.9,
                ),
            ),
        ),
        (
            tr("Neon tube"),
            _material(
                tr("Neon tube"), {"colour": "#ffd7e6", "metallic": 0.0, "roughness": 0.15, "emissive": "#ff3c7d"}
            ),
        ),
    )
}
