"""Edits of the layout against analytic truth, and what follows them: paint, decals, scopes, undo."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import Cancelled, CommandError
from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.layout.edit import edit_layout
from lucky_fern.core.layout.islands import island_overlaps
from lucky_fern.core.layout.measure import measure
from lucky_fern.core.layout.unwrap import charts
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.commands import AddLayer, PaintPixels, RemoveSelection, SaveSelection
from lucky_fern.core.project.document import Brushwork, Channel, Decal, Wash
from lucky_fern.core.project.layouts import (
    Align,
    AlongAxis,
    AsBox,
    Distribute,
    EvenDensity,
    FitRectangle,
    FlipV,
    GiveMaterial,
    LayoutEdit,
    Pack,
    Proportions,
    RenameMaterial,
    RenamePart,
    RoundAxis,
    SendTo,
    Snap,
    StackTwins,
    Transform,
    Unstack,
    Unwrap,
)
from lucky_fern.core.project.painted import encode_chunk
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from samples import save_png, soft_noise
from small_models import SIDE_BY_SIDE


def squares(folder: Path, places: list[tuple[float, float, float]], mirrored: tuple[int, ...] = ()) -> Model:
    """Separate unit squares in space, each with a square of UV (u, v, side)."""
    text = []
    for number, (u, v, side) in enumerate(places):
        x = 2 * number
        text += [f"o s{number}", f"v {x} 0 0", f"v {x + 1} 0 0", f"v {x + 1} 1 0", f"v {x} 1 0", "usemtl paint"]
        corners = [(0, 0), (1, 0), (1, 1), (0, 1)]
        text += [f"vt {u + (1 - a if number in mirrored else a) * side} {v + b * side}" for a, b in corners]
        text.append("f " + " ".join(f"{number * 4 + k + 1}/{number * 4 + k + 1}" for k in range(4)))
    (folder / "squares.obj").write_text("\n".join(text))
    return load_model(folder / "squares.obj")


def edited(model: Model, edit: LayoutEdit, chosen: np.ndarray | None = None, size: int = 1024) -> Model:
    return edit_layout(model, edit, chosen, lambda key: square(size)).model


def islands_box(model: Model, island: int) -> np.ndarray:
    uv = model.uv[model.islands == island]
    return np.stack([uv.min(axis=(0, 1)), uv.max(axis=(0, 1))])


def cylinder(folder: Path, sides: int = 48, radius: float = 0.5, height: float = 2.0) -> Model:
    """An open tube round Y, all UVs on one spot."""
    turn = np.arange(sides) / sides * 2 * np.pi
    text = [f"v {radius * np.sin(a)} {y} {radius * np.cos(a)}" for y in (0.0, height) for a in turn]
    text.append("vt .5 .5")
    for k in range(sides):
        n = (k + 1) % sides
        text.append("f " + " ".join(f"{v + 1}/1" for v in (k, n, sides + n, sides + k)))
    (folder / "tube.obj").write_text("\n".join(text))
    return load_model(folder / "tube.obj")


def test_flattening_along_the_proposed_axis_keeps_lengths_and_the_way_up(tmp_path: Path) -> None:
    tilted = "v 0 0 0\nv 3 0 0\nv 3 1 0.05\nv 0 1 0.05\nvt 0 0\nf 1/1 2/1 3/1 4/1\n"
    (tmp_path / "m.obj").write_text(tilted)
    model = edited(load_model(tmp_path / "m.obj"), AlongAxis())
    measures = measure(model)
    # Nearly along Z, so Z is what was meant; the slope of 0.05 is all the stretch there is.
    assert np.allclose(measures.angle_stretch, np.hypot(1, 0.05), rtol=1e-6)
    flat = {
        tuple(np.round(p, 6)): uv for p, uv in zip(model.corners.reshape(-1, 3), model.uv.reshape(-1, 2), strict=True)
    }
    assert flat[3, 0, 0][0] > flat[0, 0, 0][0] and flat[0, 1, 0.05][1] > flat[0, 0, 0][1]
    assert (measures.uv_area > 0).all() and model.uv.min() >= 0 and model.uv.max() <= 1


def test_a_tube_unrolls_to_its_arc_and_height(tmp_path: Path) -> None:
    model = edited(cylinder(tmp_path), RoundAxis())
    measures = measure(model)
    across, up = np.ptp(model.uv, axis=(0, 1))
    # The arc of the circle through the points against the flat facets: half of 48 sides' sagitta apart at most.
    assert across / up == pytest.approx(2 * np.pi * 0.5 / 2.0, rel=2e-3)
    assert measures.angle_stretch.max() < 1.002 and (measures.uv_area > 0).all()
    assert len(np.unique(model.islands)) == 1
    again = edited(model, RoundAxis(axis=(0, 1, 0), point=(0, 0, 0)))
    assert np.allclose(np.ptp(again.uv, axis=(0, 1)), (across, up), rtol=2e-3)


def test_a_stacked_box_comes_apart_into_six_sides_without_stretch(tmp_path: Path) -> None:
    text = [f"v {x} {y} {z}" for x in (0, 1) for y in (0, 2) for z in (0, 3)] + [
        "vt 0 0",
        "vt 1 0",
        "vt 1 1",
        "vt 0 1",
    ]
    for face in ((1, 2, 4, 3), (5, 7, 8, 6), (1, 5, 6, 2), (3, 4, 8, 7), (1, 3, 7, 5), (2, 6, 8, 4)):
        text.append("f " + " ".join(f"{v}/{k + 1}" for k, v in enumerate(face)))
    (tmp_path / "box.obj").write_text("\n".join(text))
    model = load_model(tmp_path / "box.obj")
    assert any(one.worry for one in check_layout(Surface(model), lambda key: square(1024)))
    boxed = edited(model, AsBox())
    measures = measure(boxed)
    assert len(np.unique(boxed.islands)) == 6 and not island_overlaps(boxed)
    assert np.allclose(measures.angle_stretch, 1) and np.ptp(measures.density) < 1e-6 * measures.density[0]
    assert not [one for one in check_layout(Surface(boxed), lambda key: square(1024)) if one.worry]


def test_unwrapping_leaves_nothing_to_worry_about(tmp_path: Path) -> None:
    model = edited(cylinder(tmp_path), Unwrap(padding=8))
    assert not [one for one in check_layout(Surface(model), lambda key: square(1024)) if one.worry]
    assert model.uv.min() >= 0 and model.uv.max() <= 1 and not island_overlaps(model)


def test_large_surfaces_are_unwrapped_beside_the_program_with_progress_and_can_be_called_off() -> None:
    ball = trimesh.creation.icosphere(subdivisions=3)  # more than is done in the program itself
    positions, triangles = np.asarray(ball.vertices, float), np.asarray(ball.faces, np.int64)
    told: list[float] = []
    shapes, rows = charts(positions, triangles, told.append)
    assert np.array_equal(np.sort(np.concatenate(rows)), np.arange(len(triangles)))
    assert told == sorted(told) and told[-1] == 1.0
    corners = positions[triangles]
    for shape, mine in zip(shapes, rows, strict=True):
        a, b = shape[:, 1] - shape[:, 0], shape[:, 2] - shape[:, 0]
        flat = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
        real = np.linalg.norm(np.cross(*(corners[mine, k] - corners[mine, 0] for k in (1, 2))), axis=1) / 2
        assert (flat > 0).all() and np.abs(flat / real - 1).max() < 0.6

    def stop(share: float) -> None:
        raise Cancelled("enough")

    with pytest.raises(Cancelled):
        charts(positions, triangles, stop)


def boxes(folder: Path, count: int) -> Model:
    """Boxes of many sizes, each by itself, without UVs."""
    rng = np.random.default_rng(count)
    each = [trimesh.creation.box(extents=rng.random(3) * (1, 0.1, 0.1) + 0.02) for _ in range(count)]
    for number, box in enumerate(each):
        box.apply_translation((2 * number, 0, 0))
    trimesh.util.concatenate(each).export(folder / "boxes.obj")
    return load_model(folder / "boxes.obj")


@pytest.mark.parametrize(("count", "size", "what"), [(30, 64, "padding between them gave way to"), (300, 64, "")])
def test_many_pieces_fit_onto_a_small_sheet_and_it_is_told_what_gave_way(
    tmp_path: Path, count: int, size: int, what: str
) -> None:
    model = boxes(tmp_path, count)
    done = edit_layout(model, Unwrap(padding=8), None, lambda key: square(size))
    uv = done.model.uv
    assert np.isfinite(uv).all() and uv.min() >= 0 and uv.max() <= 1
    assert not island_overlaps(done.model)
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    assert (np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) > 0).all()
    assert len(done.notes) == 1 and what in done.notes[0] and "a larger sheet" in done.notes[0]


def test_unwrapping_can_be_called_off_while_the_pieces_are_laid(tmp_path: Path) -> None:
    model = boxes(tmp_path, 60)
    told: list[float] = []

    def stop(share: float) -> None:
        told.append(share)
        if share > 0.6:
            raise Cancelled("enough")

    with pytest.raises(Cancelled):
        edit_layout(model, Unwrap(padding=2), None, lambda key: square(1024), stop)
    assert told == sorted(told) and 0.6 < told[-1] < 0.75  # noticed soon, not when all was laid


@settings(max_examples=25, deadline=None)
@given(seed=st.integers(0, 2**32 - 1), turn=st.booleans())
def test_packed_islands_never_meet_never_mirror_and_keep_their_padding(
    seed: int, turn: bool, tmp_path_factory
) -> None:
    rng = np.random.default_rng(seed)
    places = [(*rng.uniform(0, 0.6, 2), rng.uniform(0.02, 0.4)) for _ in range(int(rng.integers(2, 14)))]
    each = np.array(places)
    far = np.abs(each[:, None] - each).max(axis=2) + np.eye(len(each))
    assume((far > 0.01).all())  # two that lie on each other as one are twins, and stay together
    model = squares(tmp_path_factory.mktemp("pack"), places)
    packed = edited(model, Pack(padding=8, turn=turn))
    assert not island_overlaps(packed) and (measure(packed).uv_area > 0).all()
    assert packed.uv.min() >= 4 / 1024 - 1e-9 and packed.uv.max() <= 1 - 4 / 1024 + 1e-9
    boxes = np.array([islands_box(packed, k) for k in range(len(places))])
    apart = np.maximum(boxes[:, None, 0] - boxes[None, :, 1], boxes[None, :, 0] - boxes[:, None, 1]).max(axis=2)
    np.fill_diagonal(apart, 1)
    assert apart.min() >= 8 / 1024 - 1e-9
    scale = np.sqrt(measure(packed).uv_area / measure(model).uv_area)
    assert np.allclose(scale, scale[0], rtol=1e-6)


def test_packing_some_islands_leaves_the_others_and_twins_stay_together(tmp_path: Path) -> None:
    model = squares(tmp_path, [(0.1, 0.1, 0.3), (0.1, 0.1, 0.3), (0.5, 0.5, 0.2), (0.05, 0.55, 0.3)], mirrored=(1,))
    chosen = model.part != 3
    packed = edited(model, Pack(padding=4), chosen)
    assert np.array_equal(packed.uv[model.part == 3], model.uv[model.part == 3])
    assert np.allclose(islands_box(packed, 0), islands_box(packed, 1))
    assert {tuple(pair[:2]) for pair in island_overlaps(packed)} == {(0, 1)}


def test_stacks_come_apart_and_twins_go_on_top_of_each_other(tmp_path: Path) -> None:
    model = squares(tmp_path, [(0.1, 0.1, 0.2), (0.15, 0.12, 0.2), (0.6, 0.6, 0.2)])
    apart = edited(model, Unstack())
    assert not island_overlaps(apart) and np.array_equal(apart.uv[:2], model.uv[:2])
    with pytest.raises(CommandError, match="none of the selected islands lies on another"):
        edited(apart, Unstack())
    together = edited(apart, StackTwins())
    assert np.allclose(together.uv[2:4], together.uv[:2]) and len(island_overlaps(together)) == 3


def test_a_mirrored_half_stacks_corner_by_corner(tmp_path: Path) -> None:
    half = "v 1 0 0\nv 3 0 0\nv 3 1 0\nv 1 2 0\nv 2 0 1\n"
    other = half.replace("v 1", "v -1").replace("v 3", "v -3").replace("v 2 0 1", "v -2 0 1")
    text = half + other + "vt .1 .1\nvt .3 .1\nvt .3 .2\nvt .1 .3\nvt .2 .05\n"
    text += "vt .6 .6\nvt .9 .6\nvt .9 .8\nvt .6 .9\nvt .7 .5\nf 1/1 2/2 3/3 4/4\nf 1/1 5/5 2/2\nf 9/9 8/8 7/7 6/6\nf 7/7 10/10 6/6\n"
    (tmp_path / "m.obj").write_text(text)
    model = edited(load_model(tmp_path / "m.obj"), StackTwins())
    at = {tuple(p): uv for p, uv in zip(model.corners.reshape(-1, 3), model.uv.reshape(-1, 2), strict=True)}
    for x, y, z in ((1.0, 0.0, 0.0), (3.0, 0.0, 0.0), (3.0, 1.0, 0.0), (1.0, 2.0, 0.0), (2.0, 0.0, 1.0)):
        assert np.allclose(at[x, y, z], at[-x, y, z])
    found = [one for one in check_layout(Surface(model), lambda key: square(256)) if one.kind == "twins"]
    assert len(found) == 1 and "mirrored" in found[0].sentence


def test_moves_fits_lines_and_densities_are_what_was_asked(tmp_path: Path) -> None:
    model = squares(tmp_path, [(0.1, 0.1, 0.1), (0.3, 0.25, 0.2), (0.7, 0.6, 0.05)])
    first = model.part == 0
    turned = edited(model, Transform(move=(0.2, 0.1), rotate=90, scale=(2, 1), about=(0.1, 0.1)), first)
    assert np.allclose(islands_box(turned, 0), [[0.2, 0.2], [0.3, 0.4]])
    flipped = edited(model, Transform(scale=(-1, 1)), first)
    assert np.allclose(islands_box(flipped, 0), islands_box(model, 0)) and (measure(flipped).uv_area[first] < 0).all()
    fitted = edited(model, FitRectangle((0.25, 0.5), (0.75, 0.75)), first)
    assert np.allclose(islands_box(fitted, 0), [[0.25, 0.5], [0.75, 0.75]])
    kept = edited(model, FitRectangle((0.25, 0.5), (0.75, 0.75), keep=True), first)
    assert np.allclose(islands_box(kept, 0), [[0.375, 0.5], [0.625, 0.75]])
    lined = edited(model, Align("top"))
    assert np.allclose([islands_box(lined, k)[1, 1] for k in range(3)], 0.65)
    spread = edited(model, Distribute("u"))
    boxes = [islands_box(spread, k) for k in range(3)]
    assert boxes[1][0, 0] - boxes[0][1, 0] == pytest.approx(boxes[2][0, 0] - boxes[1][1, 0])
    even = edited(model, EvenDensity(texels_per_unit=128))
    assert np.allclose(measure(even).density * 1024, 128)
    sent = edited(model, SendTo(1013), first)
    assert np.allclose(sent.uv[first], model.uv[first] + (2, 1))
    over = edited(model, FlipV())
    assert np.allclose(over.uv[..., 1], 1 - model.uv[..., 1])
    snapped = edited(model, Snap("texels"), first, size=64)
    assert (
        np.allclose(islands_box(snapped, 0)[0] * 64 % 1, 0) and np.abs(snapped.uv - model.uv).max() <= 0.5 / 64 + 1e-9
    )
    near = replace(model, uv=model.uv + (first[:, None, None] * (0.0, -0.07)))
    assert islands_box(edited(near, Snap("tile"), first), 0)[0, 1] == pytest.approx(0)
    below = replace(model, uv=model.uv + (first[:, None, None] * (0.22, 0.03)))
    assert np.allclose(islands_box(edited(below, Snap("islands"), first), 0), [[0.3, 0.15], [0.4, 0.25]])
    squeezed = replace(model, uv=model.uv * (1.0, 0.5))
    assert np.allclose(measure(edited(squeezed, Proportions())).angle_stretch, 1)


def test_edits_that_make_no_sense_are_refused(tmp_path: Path) -> None:
    model = squares(tmp_path, [(0.1, 0.1, 0.3), (0.5, 0.5, 0.3)])
    nothing = np.zeros(model.triangle_count, np.bool_)
    for edit, word in (
        (Transform(scale=(0, 1)), "other than 0"), (FitRectangle((0.5, 0.5), (0.1, 0.9)), "lower left"), (SendTo(12), "tile"),
        (Pack(padding=-1), "padding"), (Distribute(), "three islands"), (AlongAxis((0, 0, 0)), "somewhere"),
        (RoundAxis((0, 0, 0)), "somewhere"), (GiveMaterial("a:b"), "colon"), (RenameMaterial("x", "y"), "there are paint"),
        (EvenDensity(0), "above 0"), (Pack(scale=False, padding=250), "do not fit"), (RenamePart("s0", "s1"), "already"),
    ):  # fmt: skip
        with pytest.raises(CommandError, match=word):
            edited(model, edit)
    with pytest.raises(CommandError, match="no faces are selected"):
        edited(model, SendTo(1002), nothing)


# --- what follows -------------------------------------------------------------------------------------------------


def studio_of(folder: Path, size: int = 512) -> Studio:
    (folder / "two.obj").write_text(SIDE_BY_SIDE)
    return Studio.new(folder / "two.obj", sheet_size=size)


def colour_of(studio: Studio) -> np.ndarray:
    key = studio.surface.keys[0]
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    return composite_sheet(studio.sources, studio.project, "colour", sheet, 8)


def paint(studio: Studio, texels: np.ndarray) -> int:
    """A brushwork layer whose first chunk holds (256, 256, 4) texels."""
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    layer, key = studio.project.layers[-1].id, studio.surface.keys[0]
    studio.execute(
        PaintPixels(
            layer, str(key), studio.project.size_of(key), {"colour": {"0,0": studio.blobs.add(encode_chunk(texels))}}
        )
    )
    return layer


@pytest.mark.parametrize("stay", [True, False])
def test_paint_stays_on_the_surface_or_in_uv_space(tmp_path: Path, stay: bool) -> None:
    studio = studio_of(tmp_path)
    rgba = np.dstack([soft_noise((256, 256)), np.full((256, 256), 255, np.uint8)])
    paint(studio, rgba)
    before = colour_of(studio)
    left = studio.model.part == 0
    # By whole texels, so that what stays on the surface comes out to the byte.
    studio.lay_out(Transform(move=(0, -64 / 512)), left, stay)
    after = colour_of(studio)
    inside = studio.surface.sheet(studio.surface.keys[0], square(512)).covered
    rows = slice(80, 200)  # the left island reaches from column 11 to 245
    columns = slice(20, 240)
    if stay:
        assert np.array_equal(after[rows.start + 64 : rows.stop + 64, columns], before[rows, columns])
    else:
        assert np.array_equal(after[rows, columns], before[rows, columns])
    assert np.array_equal(after[:, 262:][inside[:, 262:]], before[:, 262:][inside[:, 262:]])
    studio.jump(studio.history.at - 1)
    assert np.array_equal(colour_of(studio), before)


def test_turned_and_scaled_paint_agrees_with_sampling_the_old_layout(tmp_path: Path) -> None:
    studio = studio_of(tmp_path)
    rgba = np.dstack([soft_noise((256, 256), cells=4), np.full((256, 256), 255, np.uint8)])
    paint(studio, rgba)
    before, old = colour_of(studio).astype(float), studio.model
    studio.lay_out(Transform(rotate=30, scale=(0.5, 0.5), about=(0.25, 0.75)), studio.model.part == 0)
    after, sheet = colour_of(studio), studio.surface.sheet(studio.surface.keys[0], square(512))
    checked = 0
    for chunk in [(0, 0), (0, 1)]:
        points = sheet.surface_points(
            type(
                studio.surface.sheet(studio.surface.keys[0], square(512))
                .chunks_of(np.ones(len(sheet.xy), bool))
                .pop()
            )(*chunk)
        )
        rows, columns = np.nonzero((points.triangle >= 0) & (old.part[points.triangle] == 0))
        for r, c in list(zip(rows, columns, strict=True))[::97]:
            uv = points.barycentric[r, c] @ old.uv[points.triangle[r, c]]
            x, y = uv[0] * 512 - 0.5, (1 - uv[1]) * 512 - 0.5
            if not (4 < x < 240 and 4 < y < 240):
                continue
            i, j = int(y), int(x)
            fy, fx = y - i, x - j
            exact = (before[i, j] * (1 - fx) + before[i, j + 1] * fx) * (1 - fy) + (
                before[i + 1, j] * (1 - fx) + before[i + 1, j + 1] * fx
            ) * fy
            assert np.abs(after[chunk[0] * 256 + r, chunk[1] * 256 + c] - exact).max() <= 1.0
            checked += 1
    assert checked > 20


def test_laid_pictures_island_scopes_and_selections_follow(tmp_path: Path) -> None:
    studio = studio_of(tmp_path)
    picture = studio.add_picture(save_png(tmp_path / "p.png", soft_noise((32, 64))))
    place = Lay("paint", 1001, (0.25, 0.5), 0.2)
    studio.execute(AddLayer("Laid", Decal(picture, place), {"colour": Channel("picture")}))
    studio.execute(AddLayer("Right", Wash(), {"roughness": Channel(0.2)}, scope=Scope(islands=(1,))))
    right = studio.model.part == 1
    notes = studio.lay_out(Transform(rotate=90, about=(0.5, 0.5)))
    laid = studio.project.layers[0].content.place
    assert (
        np.allclose(laid.centre, (0.5, 0.25))
        and laid.rotate == pytest.approx(90)
        and laid.width == pytest.approx(0.2)
    )
    assert notes == ()
    # Half of the island goes elsewhere: the scope still means all of it, as a selection from now on.
    half = right & (np.arange(len(right)) == np.flatnonzero(right)[0])
    studio.lay_out(AlongAxis(), half)
    scope = studio.project.layers[1].scope
    assert scope.islands is not None or scope.selections is not None
    chosen = studio.surface.triangles_of(
        (None, scope.islands, tuple(studio.project.selections[n] for n in scope.selections or ()) or None)
    )
    assert chosen is not None and np.array_equal(chosen, right)
    for name in studio.project.selections:
        with pytest.raises(CommandError, match="says where Right shows"):
            studio.execute(RemoveSelection(name))


def test_materials_are_given_renamed_and_saved(tmp_path: Path) -> None:
    studio = studio_of(tmp_path)
    studio.execute(
        AddLayer("All", Wash(), {"colour": Channel("#336699")}, scope=Scope(materials=("paint",), parts=("left",)))
    )
    studio.lay_out(GiveMaterial("glow"), studio.model.part == 1)
    assert [str(key) for key in studio.surface.keys] == ["paint:1001", "glow:1001"]
    studio.lay_out(RenameMaterial("paint", "hull"))
    studio.lay_out(RenamePart("left", "port"))
    assert studio.project.layers[0].scope == Scope(materials=("hull",), parts=("port",))
    studio.save(tmp_path / "two.fern")
    again = Studio.open(tmp_path / "two.fern")
    assert again.model.materials == ("hull", "glow") and again.model.parts == ("port", "right")
    assert np.array_equal(again.model.material, studio.model.material) and again.project == studio.project
    again.jump(0)
    assert again.model.materials == ("hull", "glow")  # that is where its history begins
    studio.jump(1)
    assert studio.model.materials == ("paint",) and [str(key) for key in studio.surface.keys] == ["paint:1001"]


@settings(max_examples=50, deadline=None)
@given(bits=st.lists(st.booleans(), min_size=1, max_size=300))
def test_sets_of_faces_survive_as_text(bits: list[bool]) -> None:
    chosen = np.array(bits)
    assert np.array_equal(unpack_faces(pack_faces(chosen), len(chosen)), chosen)
    for broken in (pack_faces(chosen)[:-2], "x:y", f"{len(chosen) + 1}:" + pack_faces(chosen).partition(":")[2]):
        with pytest.raises(CommandError):
            unpack_faces(broken, len(chosen))


def test_a_selection_that_changes_is_composited_anew(tmp_path: Path) -> None:
    from lucky_fern.core.compositing.changes import dirtied

    studio = studio_of(tmp_path, 512)
    studio.execute(SaveSelection("half", pack_faces(studio.model.part == 0)))
    studio.execute(AddLayer("Wash", Wash(), {"colour": Channel("#ff0000")}, scope=Scope(selections=("half",))))
    before, first = studio.project, colour_of(studio)
    studio.execute(SaveSelection("half", pack_faces(studio.model.part == 1)))
    dirty = dirtied(studio.sources, before, studio.project)
    assert {key.map for key in dirty} == {"colour"} and sum(map(len, dirty.values())) == 4
    after = colour_of(studio)
    assert tuple(first[250, 100]) == tuple(after[250, 400]) == (255, 0, 0) and tuple(after[250, 100]) != (255, 0, 0)
