"""``copies``: a twin, a row or a ring of a decal that is there, with its mask."""

from __future__ import annotations

import msgspec

from lucky_fern.core.copying import copied
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.base import Here
from lucky_fern.core.jobs.changing_steps import the_layer
from lucky_fern.core.jobs.decal_step import Ring, Row, Twin, copies_of
from lucky_fern.words import tr


class CopiesStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``copies``: of the decal ``layer``, as a decal's own keys make them; what its mask has moves along."""

    do: str
    layer: str
    twin: Twin | None = None
    row: Row | None = None
    ring: Ring | None = None


def do_copies(here: Here, step: CopiesStep) -> str:
    layer = the_layer(here.studio, step.layer)
    if layer.content.placed is None:
        raise CommandError(tr("'{layer}' is no decal; only decals have copies", layer=step.layer))
    if step.twin is None and step.row is None and step.ring is None:
        raise CommandError(tr("'copies' takes a 'twin', a 'row' or a 'ring'"))
    found = copies_of(here.studio, step, layer.content.placed[1])
    if found:
        here.studio.execute(copied(here.studio, layer, found, "Add copies"))
    return step.layer
