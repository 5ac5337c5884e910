"""What commands refuse, each with a sentence that says what may be there instead."""

from __future__ import annotations

from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS, directs, raises
from lucky_fern.core.project.document import Channel, Project
from lucky_fern.core.project.kinds import Content, Place
from lucky_fern.core.project.numbers import check_finite, check_range, check_share
from lucky_fern.core.project.plain import BLEND_MODES, check_picture
from lucky_fern.words import tr

STEEPEST = 16.0  # times


def check_blend(blend: str) -> None:
    if blend not in BLEND_MODES:
        raise CommandError(
            tr(
                "there is no blend mode {blend!r}; there are {BLEND_MODES}",
                blend=blend,
                BLEND_MODES=", ".join(BLEND_MODES),
            )
        )


def check_channel(project: Project, content: Content, map_name: str, channel: Channel) -> None:
    """Refuse a channel whose map, value or picture cannot be."""
    if map_name not in MAPS:
        raise CommandError(
            tr("there is no map called {map_name!r}; the maps are {MAPS}", map_name=map_name, MAPS=", ".join(MAPS))
        )
    check_share("opacity", channel.opacity)
    if channel.blend is not None:
        check_blend(channel.blend)
    if channel.relief is not None:
        if not raises(map_name):
            raise CommandError(tr("only the height map shapes the normal map; switch relief on there"))
        channel.relief.check()
    if channel.strength != 1.0 and not directs(map_name):
        raise CommandError(tr("only normals have a strength of their own; use the opacity on {name}", name=map_name))
    check_range("strength", channel.strength, -STEEPEST, STEEPEST)
    if channel.picture is not None:
        check_picture(project, channel.picture)
    check_finite(*channel.shift)
    check_range("scale", channel.scale, 1e-3, 1e3)
    placed = content.placed
    if channel.shift != (0.0, 0.0) and placed is not None and placed[1].on_surface:
        raise CommandError(tr("a shift is counted in tiles: lay the picture flat on its sheet for it"))
    content.check_source(map_name, channel.source, channel.picture)


def check_place(place: Place) -> None:
    """Refuse poses that have no size, no direction, or numbers that are none."""
    place.check()
