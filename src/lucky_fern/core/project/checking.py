"""A whole project checked: everything that a command would refuse, and that everything named is there.

The kinds' own checks are those that commands use; here they meet a document that came from outside.
"""

from __future__ import annotations

from lucky_fern.core.errors import CommandError, ProjectError
from lucky_fern.core.limits import DEEPEST_GROUPS, MOST_PIXELS
from lucky_fern.core.project.commands.checks import check_blend, check_channel
from lucky_fern.core.project.commands.kit import check_palette
from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.export_setup import check_setup
from lucky_fern.core.project.kinds import check_value
from lucky_fern.core.project.numbers import check_share
from lucky_fern.core.project.plain import Scope, check_picture, check_size
from lucky_fern.core.project.presets import check_preset
from lucky_fern.core.udim import is_tile
from lucky_fern.words import tr

_MOST_LAYERS = 100_000


def check_project(project: Project, name: str) -> None:
    """Refuse a project whose document is well formed and makes no sense.

    Raises
    ------
    ProjectError
        With a sentence that names the file ``name`` and what is wrong in it.
    """
    try:
        _check(project)
    except CommandError as error:
        raise ProjectError(
            tr("{name} is damaged: {error}; take an older copy of it.", name=name, error=error)
        ) from error
    except RecursionError as error:
        raise ProjectError(
            tr("{name} is damaged: its groups are nested too deeply; take an older copy of it.", name=name)
        ) from error


def _check(project: Project) -> None:
    for size in (project.sheet_size, *project.sheet_sizes.values()):
        check_size(size)
    _check_kit(project)
    seen: set[int] = set()
    for layer in project.layers:
        _check_layer(project, layer, seen, 0)
    numbers = [*seen, *project.masks]
    if numbers and (max(numbers) >= project.next_id or min(numbers) < 0):
        raise CommandError(tr("its layers are numbered wrongly"))
    for number, mask in project.masks.items():
        if len(mask.entries) > _MOST_LAYERS:
            raise CommandError(tr("mask {number} has more entries than there can be", number=number))
        for entry in mask.entries:
            entry.check(project)
    for slide in project.slides.values():
        check_picture(project, slide.picture)
        slide.place.check()
        check_share("opacity", slide.opacity)
    for name, pinned in project.pinned.items():
        check_picture(project, name)
        pinned.check()
    for guides in project.guides.values():
        guides.check()
    for paint in project.paints.values():
        for map_name, value in paint.values.items():
            check_value(map_name, value)
    for colours in project.palettes.values():
        check_palette(colours)
    for loan in project.loans.values():
        loan.check()
    for view in project.lent_views.values():
        view.place.check()
    if project.light is not None:
        project.light.check()
    for material in project.numbers.values():
        material.check()
    for setup in project.exports:
        if setup.own is not None:
            check_preset(setup.own)
        check_setup(setup)


def _check_kit(project: Project) -> None:
    for name, kit in project.pictures.items():
        if not (kit.width >= 1 and kit.height >= 1 and kit.width * kit.height <= MOST_PIXELS):
            raise CommandError(
                tr(
                    "picture {name!r} is said to have {width} × {height} pixels",
                    name=name,
                    width=kit.width,
                    height=kit.height,
                )
            )
        if kit.prepared is not None:
            kit.prepared.check()
    for name, tiles in project.sequences.items():
        if not tiles or name in project.pictures:
            raise CommandError(tr("a sequence cannot be called {name!r}", name=name))
        for tile, picture in tiles.items():
            if not is_tile(tile) or picture not in project.pictures:
                raise CommandError(tr("the sequence {name!r} names what is not there", name=name))


def _check_layer(project: Project, layer: Layer, seen: set[int], depth: int) -> None:
    if depth > DEEPEST_GROUPS:
        raise CommandError(tr("its groups are nested more than {DEEPEST_GROUPS} deep", DEEPEST_GROUPS=DEEPEST_GROUPS))
    if layer.id in seen or len(seen) > _MOST_LAYERS:
        raise CommandError(tr("layer {id} is there twice", id=layer.id))
    seen.add(layer.id)
    check_share("opacity", layer.opacity)
    check_blend(layer.blend)
    if layer.mask is not None and layer.mask not in project.masks:
        raise CommandError(
            tr("layer '{name}' names mask {mask}, which is not there", name=layer.name, mask=layer.mask)
        )
    _check_scope(layer.scope)
    layer.content.check(project)
    for map_name, channel in layer.channels.items():
        check_channel(project, layer.content, map_name, channel)
    for child in layer.children:
        _check_layer(project, child, seen, depth + 1)


def _check_scope(scope: Scope) -> None:
    for number in scope.islands or ():
        if not 0 <= number < 1 << 31:
            raise CommandError(tr("there is no island {number}", number=number))
