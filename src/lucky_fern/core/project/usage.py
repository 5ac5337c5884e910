"""Where pictures of the kit are used, and which of them are there twice."""

from __future__ import annotations

from lucky_fern.core.project.document import Layer, Project
from lucky_fern.core.project.references import layer_refers, mask_refers
from lucky_fern.words import tr


def layers_that_use(project: Project, name: str) -> list[Layer]:
    """The layers that show a picture or sequence, or whose masks do; from the bottom of the stack."""
    return [layer for layer in project.walk() if name in layer_refers(project, layer).pictures]


def where_used(project: Project, name: str) -> list[str]:
    """What shows a picture or sequence, in words: layers, masks that no layer has now, slides, sequences."""
    found = [tr("layer '{name}'", name=layer.name) for layer in layers_that_use(project, name)]
    worn = {layer.mask for layer in project.walk()}
    found += [
        tr("mask {number}, which no layer wears", number=number)
        for number, mask in project.masks.items()
        if number not in worn and name in mask_refers(mask).pictures
    ]
    found += [tr("slide '{name}'", name=slide) for slide, one in project.slides.items() if one.picture == name]
    found += [tr("sequence '{name}'", name=one) for one, tiles in project.sequences.items() if name in tiles.values()]
    return found


def duplicates(project: Project) -> list[tuple[str, ...]]:
    """Names of pictures that are the same, contents and all that is made of them: one tuple for each."""
    groups: dict[tuple[object, ...], list[str]] = {}
    for name, kit in project.pictures.items():
        groups.setdefault((kit.digest, kit.taken, kit.covers), []).append(name)
    return [tuple(names) for names in groups.values() if len(names) > 1]
