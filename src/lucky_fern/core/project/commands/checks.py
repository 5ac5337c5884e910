"""What commands refuse, each with a sentence that says what may be there instead."""

from __future__ import annotations

import math
from itertools import pairwise

from lucky_fern.core.colour import is_hex
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS, parse_value
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Content, Decal, Group, Project, Wash
from lucky_fern.core.project.effects import Blur, Contrast, Curve, Effect, Gradient, Levels, Shade, Sharpen
from lucky_fern.core.project.places import Along, Drape, Lay, Place, Roll, Throw, Warp
from lucky_fern.core.project.plain import BLEND_MODES

LONGEST_BLUR = 128.0


def check_share(what: str, value: float) -> None:
    if not 0.0 <= value <= 1.0:
        raise CommandError(f"{what} runs from 0 to 1, not {value:g}")


def check_value(map_name: str, value: str | float) -> None:
    """Refuse a value that its map cannot have."""
    try:
        parse_value(map_name, value)
    except (ValueError, KeyError) as error:
        raise CommandError(str(error.args[0])) from error


def check_blend(blend: str) -> None:
    if blend not in BLEND_MODES:
        raise CommandError(f"there is no blend mode {blend!r}; there are {', '.join(BLEND_MODES)}")


def check_picture(project: Project, name: str) -> None:
    if name not in project.pictures and name not in project.sequences:
        raise CommandError(f"picture {name!r} is not in the kit; add it first")


def check_channel(project: Project, content: Content, map_name: str, channel: Channel) -> None:
    """Refuse a channel whose map, value or picture cannot be."""
    if map_name not in MAPS:
        raise CommandError(f"there is no map called {map_name!r}; the maps are {', '.join(MAPS)}")
    check_share("opacity", channel.opacity)
    if channel.blend is not None:
        check_blend(channel.blend)
    if channel.relief and map_name != "height":
        raise CommandError("only the height map shapes the normal map; switch relief on there")
    if channel.picture is not None:
        check_picture(project, channel.picture)
    if isinstance(content, Adjustment | Group):
        if channel.source != "":
            raise CommandError(f"a{'n adjustment' if isinstance(content, Adjustment) else ' group'} gives no values")
        if isinstance(content, Adjustment):
            check_effect_on(content.effect, map_name)
        return
    if isinstance(content, Brushwork):
        if channel.source != "painted":
            raise CommandError("brushwork gives what is painted on it, not a value")
        return
    if channel.source == "vertices":
        if not isinstance(content, Wash):
            raise CommandError("only a wash takes the colours of the model's points")
        return
    if channel.source == "picture":
        if isinstance(content, Wash) and channel.picture is None:
            raise CommandError(f"the wash takes {map_name} from a picture but names none")
        return
    check_value(map_name, channel.source)


def check_content(project: Project, content: Content) -> None:
    """Refuse contents whose numbers, pictures or effects cannot be."""
    if isinstance(content, Decal):
        check_picture(project, content.picture)
        check_place(content.place)
    elif isinstance(content, Wash):
        if 0 in content.repeat or not all(map(math.isfinite, (*content.repeat, *content.offset, content.rotate))):
            raise CommandError("repeat takes two numbers other than 0")
    elif isinstance(content, Adjustment):
        check_effect(content.effect)


def check_place(place: Place) -> None:
    """Refuse poses that have no size, no direction, or numbers that are none."""
    if isinstance(place, Along):
        _check_along(place)
        return
    numbers: list[float] = [place.width, place.rotate]
    if isinstance(place, Throw | Drape):
        numbers += [*place.point, *place.normal, *place.up, place.angle_limit]
        if math.hypot(*place.normal) == 0:
            raise CommandError("normal must point somewhere; [0, 0, 0] does not")
        if math.hypot(*place.up) == 0:
            raise CommandError("up must point somewhere; [0, 0, 0] does not")
        if not 0 < place.angle_limit <= 180:
            raise CommandError(f"angle_limit runs from 0 to 180 degrees, not {place.angle_limit:g}")
    if isinstance(place, Throw):
        numbers += [place.depth]
        if place.depth <= 0:
            raise CommandError(f"depth must be above 0, not {place.depth:g}")
        if place.stand_off is not None and not place.stand_off > 0:
            raise CommandError("stand_off must be above 0")
        if place.lens is not None and not place.lens > 0:
            raise CommandError("lens must be above 0; it is how far the lens stands from the point")
        if not 0 <= place.fade <= 180:
            raise CommandError(f"fade runs from 0 to 180 degrees, not {place.fade:g}")
    elif isinstance(place, Roll):
        numbers += [*place.axis_point, *place.axis, *place.point]
        if math.hypot(*place.axis) == 0:
            raise CommandError("axis must point somewhere; [0, 0, 0] does not")
        if all(map(math.isfinite, numbers)) and distance_from_axis(place) == 0:
            raise CommandError(
                "the point of a roll must lie beside its axis: its distance says how far it goes round"
            )
    elif isinstance(place, Lay):
        numbers += [*place.centre]
    if not all(map(math.isfinite, numbers)):
        raise CommandError("every number of a place must be finite")
    if place.width <= 0 or (place.height is not None and place.height <= 0):
        raise CommandError("width and height must be above 0")
    if place.warp is not None:
        _check_warp(place.warp)


def _check_warp(warp: Warp) -> None:
    if not (2 <= warp.columns <= 12 and 2 <= warp.rows <= 12):
        raise CommandError("a warp has 2 to 12 columns and rows of points")
    if len(warp.points) != warp.columns * warp.rows:
        raise CommandError(f"a warp of {warp.columns} × {warp.rows} has that many points, not {len(warp.points)}")
    if not all(math.isfinite(value) and abs(value) <= 10 for point in warp.points for value in point):
        raise CommandError("points of a warp lie within ten pictures round it")
    if warp.columns == warp.rows == 2:
        a, b, d, c = warp.points
        turns = [
            (q[0] - p[0]) * (r[1] - q[1]) - (q[1] - p[1]) * (r[0] - q[0])
            for p, q, r in ((a, b, c), (b, c, d), (c, d, a), (d, a, b))
        ]
        if min(turns) <= 1e-9:
            raise CommandError("the four corners of a warp go round clockwise, without one behind the others")


def _check_along(place: Along) -> None:
    if len(place.points) != len(place.normals) or len(place.points) < 2:
        raise CommandError("a stripe has two points or more, and a normal for each")
    numbers = [value for point in (*place.points, *place.normals) for value in point]
    if not all(map(math.isfinite, (*numbers, place.width, place.corner, *place.taper, place.length or 1.0))):
        raise CommandError("every number of a place must be finite")
    if not all(math.hypot(*normal) > 0 for normal in place.normals):
        raise CommandError("normals must point somewhere; [0, 0, 0] does not")
    if all(math.dist(place.points[0], point) == 0 for point in place.points):
        raise CommandError("the points of a stripe must lie apart")
    if place.width <= 0 or place.corner < 0 or (place.length is not None and place.length <= 0):
        raise CommandError("width and length of a stripe must be above 0, its corner 0 or more")
    if not all(0 <= share <= 4 for share in place.taper) or not any(place.taper):
        raise CommandError("taper takes two shares of the width from 0 to 4, not both 0")


def distance_from_axis(place: Roll) -> float:
    """How far a roll's point lies from its axis; 0 where it is too near to tell."""
    length = math.hypot(*place.axis)
    offset = [p - a for p, a in zip(place.point, place.axis_point, strict=True)]
    along = sum(o * a for o, a in zip(offset, place.axis, strict=True)) / length
    rest = math.sqrt(max(sum(o * o for o in offset) - along * along, 0.0))
    return rest if rest > 1e-9 * max(math.hypot(*offset), abs(along)) else 0.0


def check_effect(effect: Effect) -> None:
    """Refuse effects whose numbers are out of range."""
    if isinstance(effect, Levels):
        for what in ("black", "white", "low", "high"):
            check_share(what, getattr(effect, what))
        check_levels(effect.black, effect.white, effect.gamma)
    elif isinstance(effect, Curve):
        inputs = [x for x, _ in effect.points]
        if len(inputs) < 2 or any(b - a < 1e-4 for a, b in pairwise(inputs)):
            raise CommandError("a curve takes two points or more, each further right than the one before")
        for point in effect.points:
            for value in point:
                check_share("a curve's point", value)
    elif isinstance(effect, Gradient):
        places = [place for place, _ in effect.stops]
        if len(places) < 2 or places != sorted(places):
            raise CommandError("a ramp takes two stops or more, in rising order")
        for place, colour in effect.stops:
            check_share("a stop's place", place)
            if not is_hex(colour):
                raise CommandError(f"{colour!r} is not a colour: write it as #rrggbb")
    elif isinstance(effect, Blur | Sharpen):
        if not 0 <= effect.radius <= LONGEST_BLUR:
            raise CommandError(f"radius runs from 0 to {LONGEST_BLUR:g} texels, not {effect.radius:g}")
        if isinstance(effect, Sharpen) and not 0 <= effect.amount <= 10:
            raise CommandError(f"amount runs from 0 to 10, not {effect.amount:g}")
    elif isinstance(effect, Shade | Contrast):
        for what in effect.__struct_fields__:
            limit = 360.0 if what == "hue" else 1.0
            if not abs(getattr(effect, what)) <= limit:
                raise CommandError(f"{what} runs from {-limit:g} to {limit:g}, not {getattr(effect, what):g}")


def check_levels(black: float, white: float, gamma: float) -> None:
    if not black < white:
        raise CommandError(f"black must lie below white; {black:g} and {white:g} do not")
    if not 0.01 <= gamma <= 100:
        raise CommandError(f"gamma runs from 0.01 to 100, not {gamma:g}")


def check_effect_on(effect: Effect, map_name: str) -> None:
    """Refuse effects that mean nothing on a kind of map."""
    kind = MAPS[map_name].kind
    if isinstance(effect, Shade | Gradient) and kind != "colour":
        raise CommandError(f"{map_name} holds no colours; this adjustment works on colour and emissive")
    if kind == "normal" and not isinstance(effect, Blur | Sharpen):
        raise CommandError("directions in the normal map can be blurred or sharpened, nothing else")
