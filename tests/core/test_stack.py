"""Whole stacks against a reference written from the recommendation, and edits against a fresh start."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from PIL import Image

from lucky_fern.core.compositing.changes import dirtied, everything
from lucky_fern.core.compositing.compositor import MapKey, MapStore, composite_sheet
from lucky_fern.core.compositing.stack import ON_TOP, keep_below
from lucky_fern.core.pictures.picture import read_picture
from lucky_fern.core.project.commands import (
    AddLayer,
    AddMaskEntry,
    AddSequence,
    DuplicateLayers,
    GiveMask,
    GroupLayers,
    MoveLayers,
    PasteMask,
    RemoveLayers,
    SetChannel,
    SetContent,
    SetGroup,
    SetLayer,
    SetMask,
    SetMaskEntry,
    Ungroup,
)
from lucky_fern.core.project.document import Adjustment, Channel, Decal, Group, Layer, Relief, Wash
from lucky_fern.core.project.effects import Blur, Invert, Levels
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.plain import BLEND_MODES
from lucky_fern.core.project.shapes import Fill, Mask, MaskEntry, PictureShape
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from recommendation import w3c
from small_models import SIDE_BY_SIDE

SIZE = 32
SMOOTH_MODES = [mode for mode in BLEND_MODES if mode not in ("color-dodge", "color-burn")]  # those two jump


def noise(seed: int, size: int = SIZE) -> np.ndarray:
    return np.random.default_rng(seed).integers(0, 256, (size, size, 4)).astype(np.uint8)


def give_picture(studio: Studio, seed: int, size: int = SIZE) -> str:
    """Random colours and alpha as a sequence for tile 1001, so that a pixel is a texel."""
    out = io.BytesIO()
    Image.fromarray(noise(seed, size)).save(out, "PNG")
    picture = studio.keep_picture(out.getvalue(), read_picture(out.getvalue(), f"n{seed}.png"))
    name = f"n{seed}.<UDIM>.png"
    if name not in studio.project.sequences:
        studio.execute(AddSequence(name, {1001: picture}))
    return name


leaves = st.fixed_dictionaries({
    "seed": st.integers(0, 40), "mode": st.sampled_from(SMOOTH_MODES), "opacity": st.floats(0, 1),
    "mask": st.one_of(st.none(), st.integers(50, 60)),
})  # fmt: skip
adjustments = st.fixed_dictionaries({
    "effect": st.sampled_from([Invert(), Levels(0.1, 0.8, 1.6)]), "mode": st.sampled_from(SMOOTH_MODES),
    "opacity": st.floats(0, 1), "mask": st.one_of(st.none(), st.integers(50, 60)),
})  # fmt: skip
trees = st.recursive(
    st.one_of(leaves, leaves, adjustments),
    lambda inner: st.fixed_dictionaries({
        "layers": st.lists(inner, min_size=1, max_size=3), "isolated": st.booleans(),
        "mode": st.sampled_from(SMOOTH_MODES), "opacity": st.floats(0, 1),
        "mask": st.one_of(st.none(), st.integers(50, 60)),
    }),
    max_leaves=7,
)  # fmt: skip


def build(studio: Studio, tree: dict[str, Any], into: int | None = None) -> None:
    content: Any = Wash(by="tiles")
    channels = {}
    if "layers" in tree:
        content = Group(isolated=tree["isolated"])
    elif "effect" in tree:
        content, channels = Adjustment(tree["effect"]), {"colour": Channel()}
    else:
        channels = {"colour": Channel("picture", picture=give_picture(studio, tree["seed"]))}
    studio.execute(AddLayer("x", content, channels, tree["opacity"], tree["mode"], into=into))
    number = studio.project.next_id - 1
    if tree["mask"] is not None:
        shape = PictureShape(give_picture(studio, tree["mask"]), Lay("paint", 1001, (0.5, 0.5), 1.0, 1.0))
        studio.execute(AddMaskEntry(number, MaskEntry(shape)))
    for inner in tree.get("layers", ()):
        build(studio, inner, number)


def put(tree: dict[str, Any], colour: np.ndarray, alpha: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """W3C Compositing and Blending, sections 5 and 9, in float64, straight colours."""
    strength = np.full((SIZE, SIZE, 1), tree["opacity"])
    if tree["mask"] is not None:
        strength = strength * noise(tree["mask"])[..., 3:] / 255.0
    if "effect" in tree:
        new = 1 - colour
        if isinstance(tree["effect"], Levels):
            new = np.clip((colour - 0.1) / 0.7, 0, 1) ** (1 / 1.6)
        return colour + strength * (w3c(tree["mode"], colour, new) - colour), alpha
    if "layers" in tree and not tree["isolated"]:
        after, after_alpha = colour, alpha
        for inner in tree["layers"]:
            after, after_alpha = put(inner, after, after_alpha)
        mixed_alpha = (1 - strength) * alpha + strength * after_alpha
        mixed = (1 - strength) * alpha * colour + strength * after_alpha * after
        return np.where(mixed_alpha > 0, mixed / np.where(mixed_alpha > 0, mixed_alpha, 1), 0), mixed_alpha
    if "layers" in tree:
        source, cover = np.zeros_like(colour), np.zeros_like(alpha)
        for inner in tree["layers"]:
            source, cover = put(inner, source, cover)
    else:
        pixels = noise(tree["seed"]) / 255.0
        source, cover = pixels[..., :3], pixels[..., 3:]
    cover = cover * strength
    out = cover + alpha - cover * alpha
    blended = (1 - alpha) * source + alpha * w3c(tree["mode"], colour, source)
    mixed = cover * blended + (1 - cover) * alpha * colour
    return np.where(out > 0, mixed / np.where(out > 0, out, 1), colour), out


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(trees, min_size=1, max_size=4))
def test_random_stacks_of_groups_masks_and_adjustments_agree_with_the_recommendation(
    plane: Path, stack: list[dict[str, Any]]
) -> None:
    studio = Studio.new(plane, sheet_size=SIZE)
    colour, alpha = np.ones((SIZE, SIZE, 3)), np.ones((SIZE, SIZE, 1))
    for tree in stack:
        build(studio, tree)
        colour, alpha = put(tree, colour, alpha)
    sheet = studio.surface.sheet(studio.surface.keys[0], square(SIZE))
    found = composite_sheet(studio.sources, studio.project, "colour", sheet, 16) / 65535.0
    assert np.abs(found - colour).max() < 1 / 255


@pytest.fixture
def isles(tmp_path: Path) -> Studio:
    """Two islands at 600 texels: nine chunks, some of them smaller; a stack with everything in it."""
    (tmp_path / "isles.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "isles.obj", sheet_size=600)
    a, b = give_picture(studio, 1, 64), give_picture(studio, 2, 64)
    mark = Lay("paint", 1001, (0.3, 0.3), 0.2)
    studio.execute(
        AddLayer("base", Wash(by="tiles"), {"colour": Channel("picture", picture=a), "roughness": Channel(0.4)})
    )
    studio.execute(
        AddLayer(
            "bumps", Decal(b, mark), {"height": Channel("picture", relief=Relief()), "colour": Channel("picture")}
        )
    )
    studio.execute(AddLayer("soft", Adjustment(Blur(6.0)), {"colour": Channel()}))
    studio.execute(
        AddLayer(
            "top", Decal(a, replace(mark, centre=(0.7, 0.7))), {"colour": Channel("#ff2200"), "height": Channel(0.9)}
        )
    )
    top = studio.project.layers[-1].id
    studio.execute(AddMaskEntry(top, MaskEntry(PictureShape(b, mark), feather=5.0)))
    return studio


def edits(studio: Studio, draw: np.random.Generator) -> list[Any]:
    """One of every kind of edit, on layers drawn at random."""
    layers = list(studio.project.walk())
    one: Layer = layers[draw.integers(len(layers))]
    groups = [layer for layer in layers if isinstance(layer.content, Group)]
    several = tuple(layer.id for layer in layers if draw.random() < 0.4) or (one.id,)
    masks = list(studio.project.masks)
    maybe: list[Any] = [
        SetLayer(one.id, visible=bool(draw.random() < 0.7)),
        SetLayer(one.id, opacity=float(draw.random()), blend="multiply"),
        SetChannel(one.id, "colour", None),
        DuplicateLayers(several),
        GroupLayers(several),
        PasteMask((one.id,), Mask((MaskEntry(Fill(0.5)),))),
        *(
            SetChannel(
                layer.id, "height", replace(layer.channels["height"], relief=Relief(float(draw.random() * 20)))
            )
            for layer in layers
            if "height" in layer.channels and draw.random() < 0.5
        ),
    ]
    if len(layers) > 6:
        maybe.append(RemoveLayers((one.id,)))
    if isinstance(one.content, Decal):
        place = replace(one.content.place, centre=tuple(draw.random(2)))
        maybe.append(SetContent(one.id, replace(one.content, place=place)))
    if isinstance(one.content, Adjustment):
        maybe.append(SetContent(one.id, Adjustment(Blur(float(draw.random() * 20)))))
    else:
        maybe.append(SetLayer(one.id, scope=replace(one.scope, parts=("left",))))
    if groups:
        group = groups[draw.integers(len(groups))]
        inside = {group.id, *(layer.id for layer in group.children)}
        maybe += [
            Ungroup(group.id),
            SetGroup(group.id, isolated=not group.content.isolated),
            SetLayer(group.id, opacity=0.5),
        ]
        if one.id not in inside and not isinstance(one.content, Group):
            maybe.append(MoveLayers((one.id,), 0, group.id))
    if masks:
        number = masks[draw.integers(len(masks))]
        maybe += [GiveMask((one.id,), number), SetMask(number, invert=True), SetMask(number, on=False)]
        maybe.append(
            SetMaskEntry(number, 0, replace(studio.project.masks[number].entries[0], feather=2.0, mode="subtract"))
        )
    return maybe


@pytest.mark.parametrize("seed", range(6))
def test_whatever_is_edited_the_maps_kept_up_to_date_equal_those_of_a_fresh_start(isles: Studio, seed: int) -> None:
    draw, key = np.random.default_rng(seed), isles.surface.keys[0]
    store, shown = MapStore(isles.sources), isles.project
    for piece, chunks in everything(isles.sources, shown).items():
        store.update(shown, piece, chunks)
    for turn in range(14):
        choice = edits(isles, draw)
        if turn % 5 == 4:
            isles.history.undo()
        else:
            isles.execute(choice[draw.integers(len(choice))])
        focus = int(draw.choice([ON_TOP, *(layer.id for layer in isles.project.walk())]))
        for piece, chunks in dirtied(isles.sources, shown, isles.project).items():
            store.update(isles.project, piece, chunks, focus=focus)
        shown = isles.project
        if turn % 3 == 2:
            fresh = Studio(isles.project, isles.blobs, isles.model)
            sheet = fresh.surface.sheet(key, square(600))
            for name, bits in (("colour", 8), ("height", 16), ("normal", 16), ("roughness", 8)):
                whole = composite_sheet(fresh.sources, fresh.project, name, sheet, bits)
                assert (store.get(MapKey(key, name), square(600)) == whole).all(), (name, isles.history.titles)


def test_what_is_made_ready_for_the_next_layer_leaves_that_layer_alone_to_be_put_on(isles: Studio) -> None:
    key = isles.surface.keys[0]
    sheet, chunks = isles.surface.sheet(key, square(600)), all_chunks(square(600))
    isles.execute(AddLayer("hill", Wash(), {"height": Channel(0.7, relief=Relief())}, 0.5))
    for name in ("colour", "normal"):
        for chunk in chunks:
            keep_below(isles.sources, isles.project, name, sheet, chunk, ON_TOP)
    isles.execute(
        AddLayer("new", Wash(), {"colour": Channel("#123456"), "height": Channel(0.6, relief=Relief())}, 0.5)
    )
    top, before, store = isles.project.layers[-1].id, isles.sources.blended, MapStore(isles.sources)
    store.update(isles.project, MapKey(key, "colour"), chunks, focus=top)
    assert isles.sources.blended - before == len(chunks)
    for name, bits in (("colour", 8), ("normal", 16)):
        store.update(isles.project, MapKey(key, name), chunks, focus=top)
        fresh = Studio(isles.project, isles.blobs, isles.model)
        whole = composite_sheet(fresh.sources, fresh.project, name, fresh.surface.sheet(key, square(600)), bits)
        assert (store.get(MapKey(key, name), square(600)) == whole).all()


def test_moving_grouping_and_ungrouping_never_loses_a_layer(isles: Studio) -> None:
    draw = np.random.default_rng(5)
    there = {layer.id for layer in isles.project.walk()}
    for _ in range(120):
        layers = list(isles.project.walk())
        groups = [None, *(layer.id for layer in layers if isinstance(layer.content, Group))]
        several = tuple(int(i) for i in draw.choice([layer.id for layer in layers], 2))
        into = groups[draw.integers(len(groups))]
        command = [GroupLayers(several), MoveLayers(several, 0, into), *(Ungroup(g) for g in groups[-1:] if g)]
        try:
            isles.execute(command[draw.integers(len(command))])
        except ValueError as error:
            assert "into itself" in str(error)
        leaves_ = {layer.id for layer in isles.project.walk() if not isinstance(layer.content, Group)}
        assert leaves_ == there
        ids = [layer.id for layer in isles.project.walk()]
        assert len(ids) == len(set(ids))


def test_editing_the_top_of_thirty_layers_on_four_large_sheets_costs_its_own_chunks_and_one_layer(
    tmp_path: Path,
) -> None:
    text = ["v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nusemtl hull"]
    for tile in range(4):
        text.append("\n".join(f"vt {u + tile} {v}" for u, v in ((0, 0), (1, 0), (1, 1), (0, 1))))
        text.append("f " + " ".join(f"{k + 1}/{k + 1 + 4 * tile}" for k in range(4)))
    (tmp_path / "four.obj").write_text("\n".join(text))
    studio = Studio.new(tmp_path / "four.obj", sheet_size=4096)
    for number in range(29):
        studio.execute(AddLayer(f"w{number}", Wash(), {"colour": Channel("#406080")}, 0.5))
    give_picture(studio, 3, 16)
    picture = next(iter(studio.project.pictures))
    place = Lay("hull", 1002, (0.5, 0.5), 0.1)
    studio.execute(AddLayer("mark", Decal(picture, place), {"colour": Channel("picture")}))
    top, store = studio.project.layers[-1], MapStore(studio.sources)
    before = studio.project

    def follow() -> tuple[int, int]:
        nonlocal before
        chunks, blends = store.composited, studio.sources.blended
        for piece, dirty in dirtied(studio.sources, before, studio.project).items():
            store.update(studio.project, piece, dirty, focus=top.id)
        before = studio.project
        return store.composited - chunks, studio.sources.blended - blends

    studio.execute(SetLayer(top.id, opacity=0.9))
    assert follow() == (4, 4 * 30)  # 410 texels in the middle of a sheet: 2 × 2 chunks, all layers once
    for opacity in (0.8, 0.7):
        studio.execute(SetLayer(top.id, opacity=opacity))
        assert follow() == (4, 4)  # and then only the layer that changes
