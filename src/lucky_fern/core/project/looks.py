"""A project as it is looked at for a while: with a mask in colour, or a mask alone."""

from __future__ import annotations

from msgspec.structs import replace

from lucky_fern.core.project.document import Channel, Layer, Project, Wash
from lucky_fern.core.project.rules import RuleShape
from lucky_fern.core.project.shapes import Mask, MaskEntry

TINT = "#d0249a"
_STRENGTH = 0.55


def mask_in_colour(project: Project, layer_id: int) -> Project:
    """What a layer's mask (and scope) shows, tinted over all."""
    shown = _where(project.layer(layer_id), project.next_id, TINT)
    return replace(project, layers=(*project.layers, replace(shown, opacity=_STRENGTH)))


def mask_alone(project: Project, layer_id: int) -> Project:
    """White where a layer's mask (and scope) shows, black elsewhere, on the colour map."""
    black = Layer(project.next_id, "", Wash(), {"colour": Channel("#000000")})
    white = _where(project.layer(layer_id), project.next_id + 1, "#ffffff")
    return replace(project, layers=(black, white))


def rule_alone(project: Project, rule: RuleShape) -> Project:
    """White where a rule shows, black elsewhere, on the colour map; nothing else."""
    number = project.next_id
    black = Layer(number, "", Wash(), {"colour": Channel("#000000")})
    white = Layer(number + 1, "", Wash(), {"colour": Channel("#ffffff")}, mask=number + 2)
    return replace(project, layers=(black, white), masks={number + 2: Mask((MaskEntry(rule),))})


def _where(layer: Layer, number: int, colour: str) -> Layer:
    channels = {"colour": Channel(colour), "emissive": Channel("#000000")}  # or what glows would outshine it
    return Layer(number, "", Wash(), channels, scope=layer.scope, mask=layer.mask)
