"""What things that are stuck or painted onto a surface are made of, as values for their maps."""

from __future__ import annotations

from lucky_fern.core.maps import raises
from lucky_fern.core.project.document import Channel, Relief
from lucky_fern.core.project.plain import Blend

FINISHES: dict[str, dict[str, float]] = {
    "Vinyl sticker": {"metallic": 0.0, "roughness": 0.35},
    "Paper label": {"metallic": 0.0, "roughness": 0.75},
    "Enamel": {"metallic": 0.0, "roughness": 0.12},
    "Matt paint": {"metallic": 0.0, "roughness": 0.9},
    "Bright foil": {"metallic": 1.0, "roughness": 0.15},
    "Brushed foil": {"metallic": 1.0, "roughness": 0.42},
}


def finished(channels: dict[str, Channel], name: str) -> dict[str, Channel]:
    """A layer's channels with those that a finish says."""
    return {**channels, **{map_name: Channel(value) for map_name, value in FINISHES[name].items()}}


def raised(channels: dict[str, Channel], by: float) -> dict[str, Channel]:
    """A layer's channels with a height that stands out of level by so much (below 0: pressed in); 0 takes it off.

    It is added to what is below and shapes the normal map, so that its edge shows in the light.
    """
    rest = {name: channel for name, channel in channels.items() if not raises(name)}
    if by == 0:
        return rest
    blend: Blend = "add" if by > 0 else "subtract"
    return {**rest, "height": Channel(round(abs(by), 4), blend=blend, relief=Relief())}


def raised_by(channels: dict[str, Channel]) -> float:
    """How much a layer's height stands out, as :func:`raised` makes it; 0 where it is otherwise."""
    channel = channels.get("height")
    if channel is None or isinstance(channel.source, str) or channel.blend not in ("add", "subtract"):
        return 0.0
    return float(channel.source) * (1 if channel.blend == "add" else -1)
