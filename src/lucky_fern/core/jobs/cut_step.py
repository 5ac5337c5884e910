"""``layout`` with the op ``cut-texels``: texels of some colours, or so bright, become faces of their own material."""

from __future__ import annotations

from typing import Any

import msgspec

from lucky_fern.core.arrays import Bool
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.numbers import check_range
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.cutting import Wanted, cut_off, wanted_texels
from lucky_fern.words import tr


class CutKeys(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """What the op takes beside a selection and a scope."""

    material: str
    map: str = "colour"
    colours: list[str] = []
    tolerance: float = 0.0
    low: float | None = None
    high: float = 1.0


def cut_along(studio: Studio, own: dict[str, Any], chosen: Bool | None) -> tuple[str, ...]:
    """Cut what is asked for; what there is to say.

    Raises
    ------
    CommandError
        If the keys make no sense, or no such texel lies on those faces.
    """
    try:
        keys = msgspec.convert(own, CutKeys)
    except msgspec.ValidationError as error:
        words = str(error).replace(" - at `$.", " at `").replace("Object contains unknown field", "unknown key")
        raise CommandError(
            tr("{words} (see docs/jobs.md for the keys of op {op!r})", words=words, op="cut-texels")
        ) from error
    if keys.map not in MAPS:
        raise CommandError(
            tr("there is no map called {map_name!r}; the maps are {MAPS}", map_name=keys.map, MAPS=", ".join(MAPS))
        )
    if not keys.colours and keys.low is None:
        raise CommandError(tr("'cut-texels' takes 'colours' of texels, or how bright they are at least ('low')"))
    check_range("tolerance", keys.tolerance, 0, 1)
    wanted = Wanted(keys.map, tuple(keys.colours), keys.tolerance, keys.low, keys.high)
    areas = wanted_texels(studio, wanted, keys.material)
    return cut_off(studio, areas, keys.material, chosen)
