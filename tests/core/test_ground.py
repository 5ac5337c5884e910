"""What layers depend on: whatever is edited, maps, masks and exports are those of a project built fresh."""

from __future__ import annotations

import io
import os
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from msgspec.structs import replace
from PIL import Image

from cubes import box
from lucky_fern.core import easel
from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet, written_maps
from lucky_fern.core.errors import CommandError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.commands import (
    AddLayer,
    AddMaskEntry,
    Command,
    Describe,
    DuplicateLayers,
    GiveMask,
    GroupLayers,
    MoveLayers,
    PreparePicture,
    RemoveLayers,
    SaveSelection,
    SetChannel,
    SetContent,
    SetGroup,
    SetLayer,
    SetMask,
    SetMaskEntry,
    SetSheetSize,
    Ungroup,
)
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Group, Relief, Wash
from lucky_fern.core.project.echoes import ECHO, Echo
from lucky_fern.core.project.effects import Blur, Invert, Levels, Sharpen
from lucky_fern.core.project.more_effects import Specks
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.rules import Edges, Facing, Grain, Rim, RuleShape, Vary
from lucky_fern.core.project.shapes import Fill, HeardShape, MaskEntry, PictureShape, ScopeShape
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.sheets.grid import Extent
from lucky_fern.core.studio import Studio

MATERIAL = "default"
STACKS = int(os.environ.get("FERN_STACKS", "20"))  # 200 before a release


@pytest.fixture
def cube(tmp_path: Path) -> Studio:
    """A cube on one sheet of 2 × 1 chunks, two pictures in its kit, a saved selection of four faces."""
    studio = Studio.new(box(tmp_path / "cube.obj"), sheet_size=Extent(320, 96))
    for seed in (1, 2):
        out = io.BytesIO()
        Image.fromarray(pixels(seed)).save(out, "PNG")
        studio.keep_picture(out.getvalue(), read_picture(out.getvalue(), f"n{seed}.png"))
    chosen = np.zeros(studio.model.triangle_count, np.bool_)
    chosen[:4] = True
    studio.execute(SaveSelection("some", pack_faces(chosen)))
    return studio


def pixels(seed: int) -> np.ndarray:
    return np.random.default_rng(seed).integers(0, 256, (16, 16, 4)).astype(np.uint8)


def add(
    studio: Studio, content: Any, channels: dict[str, Channel], entry: MaskEntry | None = None, **keys: Any
) -> int:
    studio.execute(AddLayer("layer", content, channels, **keys))
    number = studio.project.next_id - 1
    if entry is not None:
        studio.execute(AddMaskEntry(number, entry))
    return number


def laid(u: float = 0.25, v: float = 0.5, wide: float = 0.3) -> Lay:
    return Lay(MATERIAL, 1001, (u, v), wide, 0.6)


def kept(studio: Studio) -> Callable[[], None]:
    """Maps kept up to date by what edits dirty; calling it compares them, and exports, with those of a fresh start."""
    store, shown = MapStore(studio.sources), [studio.project]
    for piece, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, piece, chunks)

    def compare(whole: bool = True) -> None:
        now = studio.project
        for piece, chunks in dirtied(studio.sources, shown[0], now).items():
            store.update(now, piece, chunks, focus=next((one.id for one in now.walk()), None))
        shown[0] = now
        if not whole:
            return
        fresh = Studio(now, studio.blobs, studio.model)
        for sheet in fresh.surface.sheets(now.size_of):
            written = written_maps(fresh.sources, now, sheet)
            for name, spec in MAPS.items():
                bits = 16 if spec.wide else 8
                truth = composite_sheet(fresh.sources, now, name, sheet, bits)
                mine = store.get(MapKey(sheet.key, name), sheet.size)
                assert (mine == truth).all(), (name, int((mine != truth).sum()), studio.history.titles)
                if name in written:
                    exported = composite_sheet(studio.sources, now, name, sheet, bits)
                    assert (exported == truth).all(), (name, "exported", studio.history.titles)

    return compare


# --- the faults that this was written for ---------------------------------------------------------------------------


def test_a_rim_follows_the_mask_of_the_layer_that_it_goes_by(cube: Studio) -> None:
    low = add(cube, Wash(), {"colour": Channel("#aa7744")})
    high = add(cube, Wash(), {"roughness": Channel(0.9)}, MaskEntry(PictureShape("n1.png", laid())))
    cube.execute(AddMaskEntry(low, MaskEntry(RuleShape(Rim(high, 0.2)))))
    compare = kept(cube)
    mask = cube.project.layer(high).mask
    assert mask is not None
    cube.execute(SetMaskEntry(mask, 0, MaskEntry(PictureShape("n1.png", laid(0.7)))))
    compare()


def test_a_rim_follows_what_the_mask_of_its_layer_hears_below(cube: Studio) -> None:
    base = add(cube, Wash(), {"height": Channel(0.2)}, MaskEntry(ScopeShape(Scope(selections=("some",)))))
    high = add(cube, Wash(), {"colour": Channel("#aa7744")}, MaskEntry(HeardShape("height", 0.2)))
    add(cube, Wash(), {"metallic": Channel(1.0)}, MaskEntry(RuleShape(Rim(high, 0.2))))
    compare = kept(cube)
    cube.execute(SetChannel(base, "height", Channel(0.9)))
    compare()


def test_layers_with_equal_masks_each_hear_what_lies_below_themselves(cube: Studio) -> None:
    entry = MaskEntry(HeardShape("colour", "#ff0000", 0.1, 0.01))
    add(cube, Wash(), {"colour": Channel("#ff0000")})
    add(cube, Wash(), {"colour": Channel("#0000ff"), "metallic": Channel(0.3)}, entry)
    upper = add(cube, Wash(), {"roughness": Channel(0.9)}, entry)
    key, size = cube.surface.keys[0], cube.project.sheet_size
    sheet = cube.surface.sheet(key, size)
    rough = composite_sheet(cube.sources, cube.project, "roughness", sheet, 8)[sheet.covered]
    start = round(MAPS["roughness"].start[0] * 255)
    assert (rough == start).all()  # all below it is blue, nowhere red
    cube.execute(GiveMask((upper,), cube.project.layers[1].mask))  # one and the same mask
    assert (composite_sheet(cube.sources, cube.project, "roughness", sheet, 8)[sheet.covered] == start).all()


def test_facing_by_relief_in_a_group_goes_by_its_siblings_below(cube: Studio) -> None:
    out = io.BytesIO()
    lean = np.round((np.array([0.6, 0.0, 0.8]) * 0.5 + 0.5) * 255).astype(np.uint8)
    Image.fromarray(np.broadcast_to(lean, (8, 8, 3)).copy()).save(out, "PNG")
    name = cube.keep_picture(out.getvalue(), read_picture(out.getvalue(), "lean_normal.png"))
    cube.execute(AddLayer("group", Group(), {}))
    group = cube.project.next_id - 1
    add(cube, Wash(), {"normal": Channel("picture", picture=name)}, into=group)
    facing = RuleShape(Facing((0.0, 0.0, 1.0), relief=True))
    add(cube, Wash(), {"roughness": Channel(0.0)}, into=group)
    add(cube, Wash(), {"roughness": Channel(1.0)}, MaskEntry(facing), into=group)
    sheet = cube.surface.sheet(cube.surface.keys[0], cube.project.sheet_size)
    rough = composite_sheet(cube.sources, cube.project, "roughness", sheet, 8) / 255.0
    front = cube.model.face_normals[sheet.triangle][:, 2] > 0.5
    owner = np.concatenate([cube.sources.owners(sheet, chunk) for chunk in ((0, 0), (0, 1))], axis=1)
    there = (owner >= 0) & front[np.maximum(owner, 0)]
    assert np.abs(rough[there, 0] - (1 - 36.87 / 90)).max() < 0.01


def test_layers_that_would_show_by_themselves_are_refused_however_long_the_way(cube: Studio) -> None:
    numbers = [add(cube, Wash(), {"colour": Channel("#aa7744")}) for _ in range(40)]
    for lower, upper in pairwise(numbers):
        for _ in range(2):  # every way twice: all ways together would be 2 ** 40
            cube.execute(AddMaskEntry(lower, MaskEntry(RuleShape(Rim(upper, 0.1)), on=False)))
    with pytest.raises(CommandError, match="itself"):
        cube.execute(AddMaskEntry(numbers[-1], MaskEntry(RuleShape(Rim(numbers[0], 0.1)))))
    # By way of what a mask hears, too.
    with pytest.raises(CommandError, match="itself"):
        cube.execute(AddMaskEntry(numbers[-1], MaskEntry(HeardShape("colour"))))


def test_how_a_picture_is_kept_dirties_nothing_and_what_it_shows_does(cube: Studio) -> None:
    add(cube, Decal("n1.png", laid()), {"colour": Channel("picture")}, MaskEntry(PictureShape("n2.png", laid())))
    compare = kept(cube)
    compare()
    before = cube.project
    cube.execute(Describe(("n1.png", "n2.png"), ("sign",), favourite=True))
    assert not dirtied(cube.sources, before, cube.project)
    drawn = cube.sources.kept.size
    compare()
    assert cube.sources.kept.size == drawn
    kit = cube.project.pictures["n1.png"]
    for name in ("n1.png", "n2.png"):
        cube.execute(PreparePicture({name: replace(kit, digest=cube.project.pictures[name].digest, taken="data")}))
        compare()


def test_a_mask_that_hears_one_map_is_left_alone_by_edits_of_another(cube: Studio) -> None:
    below = add(cube, Wash(), {"metallic": Channel(0.3)})
    add(cube, Wash(), {"colour": Channel("#336699")})
    add(cube, Wash(), {"roughness": Channel(0.9)}, MaskEntry(HeardShape("colour")))
    before = cube.project
    cube.execute(SetChannel(below, "metallic", Channel(0.7)))
    assert {piece.map for piece in dirtied(cube.sources, before, cube.project)} == {"metallic"}


# --- random stacks, random edits, some taken back -------------------------------------------------------------------


def some_channels(draw: np.random.Generator, picture: str | None) -> dict[str, Channel]:
    found: dict[str, Channel] = {}
    for name in draw.choice(list(MAPS), 1 + int(draw.integers(3)), replace=False).tolist():
        kind = MAPS[name].kind
        relief = Relief(float(draw.uniform(1, 6)), "texels") if name == "height" and draw.random() < 0.5 else None
        if kind == "normal":
            if picture is None:
                continue
            source: str | float = "picture"
        elif picture is not None and draw.random() < 0.5:
            source = "picture"
        else:
            source = f"#{draw.integers(1 << 24):06x}" if kind == "colour" else float(round(draw.random(), 2))
        own = picture if source == "picture" else None
        found[name] = Channel(source, opacity=float(draw.choice([1.0, 0.6])), picture=own, relief=relief)
    return found or {"colour": Channel("#336699")}


def some_shape(draw: np.random.Generator, studio: Studio, layer: int) -> Any:
    others = [one.id for one in studio.project.walk() if one.id != layer] or [layer]
    picture = f"n{draw.integers(1, 3)}.png"
    shapes = [
        Fill(0.5), PictureShape(picture, laid(float(draw.random()), 0.5, 0.4)), ScopeShape(Scope(selections=("some",))),
        HeardShape(str(draw.choice(["colour", "height", "roughness"]))), HeardShape("colour", "#336699", 0.3, 0.2),
        RuleShape(Facing((0.0, 0.3, 1.0), relief=True)), RuleShape(Facing((0.0, 1.0, 0.3))),
        RuleShape(Rim(int(draw.choice(others)), 0.2)), RuleShape(Rim(int(draw.choice(others)), 0.1)),
        RuleShape(Grain("soft", 0.2)), RuleShape(Vary("island")), RuleShape(Edges(0.1)),
    ]  # fmt: skip
    return shapes[draw.integers(len(shapes))]


def some_entry(draw: np.random.Generator, studio: Studio, layer: int) -> MaskEntry:
    mode = str(draw.choice(["replace", "add", "subtract", "intersect"]))
    return MaskEntry(some_shape(draw, studio, layer), mode, feather=float(draw.choice([0.0, 2.0])),
                     invert=bool(draw.integers(2)))  # fmt: skip


def some_layer(draw: np.random.Generator) -> Command:
    picture = f"n{draw.integers(1, 3)}.png"
    maps = draw.choice(["colour", "roughness", "height", "metallic"], 2, replace=False).tolist()
    effect = [Levels(0.1, 0.9, 1.4), Blur(2.0), Sharpen(1.0, 1.5), Invert(), Specks(1)][draw.integers(5)]
    throw = Throw((0.5, 0.5, 1.0), (0.0, 0.0, 1.0), (0.0, 1.0, 0.0), 0.6, 0.6, 0.3)
    choices: list[tuple[Any, dict[str, Channel]]] = [
        (Wash(repeat=(2.0, 1.0)), some_channels(draw, picture if draw.integers(2) else None)),
        (Decal(picture, laid(float(draw.random()), 0.5, 0.3)), some_channels(draw, picture)),
        (Decal(picture, throw), some_channels(draw, picture)),
        (Adjustment(effect), {name: Channel() for name in maps}),
        (Echo(source=maps[0], part="luminance" if maps[0] == "colour" else "one"), {maps[1]: Channel(ECHO)})
        if maps[0] == "colour" else (Echo(source="colour"), {maps[0]: Channel(ECHO)}),
        (Group(isolated=bool(draw.integers(2))), {}),
    ]  # fmt: skip
    content, channels = choices[draw.integers(len(choices))]
    blend = str(draw.choice(["normal", "normal", "multiply", "add"]))
    return AddLayer("layer", content, channels, float(draw.choice([1.0, 0.7])), blend)


def some_edit(draw: np.random.Generator, studio: Studio) -> Command:
    layers = list(studio.project.walk())
    one, other = (layers[draw.integers(len(layers))] for _ in range(2))
    groups = [layer.id for layer in layers if layer.content.holds_layers]
    edits: list[Command] = [
        some_layer(draw), SetLayer(one.id, visible=not one.visible), SetLayer(one.id, opacity=float(draw.random())),
        SetLayer(one.id, scope=Scope(selections=("some",)) if one.scope == Scope() else Scope()),
        AddMaskEntry(one.id, some_entry(draw, studio, one.id)), AddMaskEntry(one.id, some_entry(draw, studio, one.id)),
        MoveLayers((one.id,), 0, groups[0] if groups and groups[0] != one.id else None), MoveLayers((one.id,), 0),
        DuplicateLayers((one.id,)), GroupLayers((one.id, other.id)), SetSheetSize(
            Extent(*draw.choice([64, 96, 320], 2).tolist()), str(studio.surface.keys[0])),
        SaveSelection("some", pack_faces(draw.random(studio.model.triangle_count) < 0.5)),
        PreparePicture({"n1.png": replace(studio.project.pictures["n1.png"],
                                          taken=str(draw.choice(["colour", "data"])))}),
    ]  # fmt: skip
    if len(layers) > 4:
        edits.append(RemoveLayers((one.id,)))
    if one.channels:
        name = next(iter(one.channels))
        edits += [SetChannel(one.id, name, replace(one.channels[name], on=not one.channels[name].on))]
        edits += [SetChannel(one.id, "height", replace(one.channels["height"], relief=Relief(3.0, "units")))
                  for _ in range("height" in one.channels and one.content.own_pixels)]  # fmt: skip
    if one.content.holds_layers:
        edits += [Ungroup(one.id), SetGroup(one.id, isolated=not one.content.isolated)]
    for number, mask in studio.project.masks.items():
        edits += [SetMask(number, invert=not mask.invert), GiveMask((other.id,), number)]
        if mask.entries:
            edits.append(SetMaskEntry(number, 0, some_entry(draw, studio, one.id)))
    if isinstance(one.content, Adjustment):
        edits.append(SetContent(one.id, Adjustment(Blur(float(draw.choice([1.0, 3.0]))))))
    return edits[draw.integers(len(edits))]


@pytest.mark.parametrize("seed", range(STACKS))
def test_random_stacks_edited_saved_and_edited_back_are_those_of_a_fresh_start(
    cube: Studio, seed: int, tmp_path: Path
) -> None:
    draw = np.random.default_rng(seed)
    add(cube, Wash(), {"colour": Channel("#99aabb"), "height": Channel(0.4), "roughness": Channel(0.5)})
    painted = add(cube, Brushwork(), {})
    stroke = easel.begin_stroke(cube, Brush(0.3, 0.8))
    stroke.go_to(np.array([0.5, 0.5, 1.0]), np.array([0.0, 0.0, 1.0]))
    easel.paint_on_layer(cube, painted, stroke, {"colour": "#cc2211", "height": 0.8})
    for _ in range(5):
        cube.execute(some_layer(draw))
    studio = cube
    compare = kept(studio)
    for turn in range(16):
        if draw.random() < 0.25:
            studio.history.undo()
        else:
            try:
                studio.execute(some_edit(draw, studio))
            except CommandError:
                continue  # what makes no sense is refused; nothing has changed
        compare(turn % 5 == 4)
    compare()
    studio.save(tmp_path / "stack.fern")
    studio = Studio.open(tmp_path / "stack.fern")
    compare = kept(studio)
    for _ in range(4):
        try:
            studio.execute(some_edit(draw, studio))
        except CommandError:
            continue
        compare(False)
    while studio.history.undo_label is not None:
        studio.history.undo()
    compare()
