"""Recipes: a layer, or a group of them, kept to be put onto any project.

A recipe is a small project file without a model (docs/project-format.md): pictures, masks and rules come along, rules
are measured anew wherever it is put. What belongs to one model alone (painted pixels, selections, islands) stays
behind.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

import platformdirs
from msgspec.structs import replace

from lucky_fern.core.bundles import bundled
from lucky_fern.core.errors import ProjectError
from lucky_fern.core.files import safe_name
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import KeepRecipe
from lucky_fern.core.project.commands.taking import TakeLayers
from lucky_fern.core.project.document import Layer, Project, walk
from lucky_fern.core.project.file import FileKind, pack, unpack
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import Mask
from lucky_fern.core.project.tree import with_children
from lucky_fern.core.studio import Studio
from lucky_fern.words import counted, tr

SUFFIX = ".fernrecipe"
RECIPE = FileKind(tr("recipe"), SUFFIX)


def own_folder() -> Path:
    """Where recipes of this computer lie (XDG_DATA_HOME)."""
    return Path(platformdirs.user_data_dir("lucky-fern")) / "recipes"


def keep_recipe(studio: Studio, layer: int, name: str = "") -> tuple[bytes, list[str]]:
    """The bytes of a recipe of a layer (by id), and what stayed behind, in words.

    Raises
    ------
    CommandError
        If the layer is not there.
    """
    part = bundled(studio, (layer,))
    inside = {one.id for one in walk(part.layers)}
    told: list[str] = []
    painted = [one.name for one in walk(part.layers) if one.content.painted]
    if painted:
        told.append(tr("what is painted by hand stays behind: {names}", names=", ".join(painted[:4])))
    drawn = [one.name for one in walk(part.layers) if getattr(one.content, "paths", ())]
    if drawn:
        told.append(tr("paths drawn by hand stay where they are in space: {names}", names=", ".join(drawn[:4])))
    masks, left = {}, 0
    for number, mask in part.masks.items():
        kept = tuple(entry for entry in mask.entries if entry.shape.travels and entry.shape.refers().layers <= inside)
        left += len(mask.entries) - len(kept)
        masks[number] = Mask(kept, mask.invert, mask.on)
    if left:
        told.append(tr("{entries} of masks stayed behind: painted, of this model's faces, or the rim of a layer "
                       "that is not in the recipe", entries=counted(left, "entry", "entries")))  # fmt: skip
    layers = tuple(_open(one) for one in _without_paint(part.layers))
    title = name or part.layers[0].name
    part = replace(part, name=title, layers=layers, masks=masks, selections={})
    return pack(part, studio.blobs), told


def read_recipe(data: bytes, file: str) -> tuple[Project, Blobs]:
    """What a recipe's file holds, and its contents; ``file`` is what it is called in sentences.

    Raises
    ------
    ProjectError
        If it is damaged, of a newer version, or no recipe.
    """
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / safe_name(file)
        path.write_bytes(data)
        part, blobs = unpack(path, RECIPE)
        blobs.fetch()
    if not part.layers:
        raise ProjectError(tr("{file} holds no layers; it is no recipe.", file=file))
    return part, blobs


def take_recipe(
    studio: Studio, data: bytes, file: str, name: str = "", scope: Scope | None = None, above: int | None = None
) -> TakeLayers:
    """The edit that puts a recipe on the stack, its contents being there already.

    ``name`` and ``scope`` are those of the layer that it becomes; see :func:`read_recipe`.
    """
    part, blobs = read_recipe(data, file)
    for kit in part.pictures.values():
        for digest in kit.digests:
            studio.blobs.add(blobs[digest])
    return put_recipe(part, name, scope, above)


def keep_in_kit(studio: Studio, layer: int, name: str = "") -> tuple[KeepRecipe, list[str]]:
    """The edit that keeps a layer (by id) as a recipe in the project's kit, and what stayed behind, in words."""
    data, told = keep_recipe(studio, layer, name)
    return KeepRecipe(name or studio.project.layer(layer).name, studio.blobs.add(data)), told


def put_recipe(part: Project, name: str = "", scope: Scope | None = None, above: int | None = None) -> TakeLayers:
    """The edit that puts the layers of a recipe on the stack."""
    first = part.layers[0]
    scope = first.scope if scope is None else scope
    layer = replace(first, name=name or first.name, scope=scope, recipe=part.name or first.name)
    return TakeLayers(replace(part, layers=(layer, *part.layers[1:])), (), above)


def _without_paint(layers: tuple[Layer, ...]) -> tuple[Layer, ...]:
    kept = []
    for layer in layers:
        if layer.children:
            kept.append(with_children(layer, _without_paint(layer.children)))
        elif layer.content.painted is None:
            kept.append(layer)
        else:
            kept.append(replace(layer, content=type(layer.content)()))  # there, and empty, to be painted on
    return tuple(kept)


def _open(layer: Layer) -> Layer:
    """A layer that is confined to nothing of one model."""
    if layer.children:
        layer = with_children(layer, tuple(_open(child) for child in layer.children))
    return replace(layer, scope=Scope())
