"""Where decals snap to, several in order, what lies above, finishes and slides."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.model.load import load_model
from lucky_fern.core.pictures.fonts import SHIPPED, system_fonts
from lucky_fern.core.pictures.label import Label, draw_label
from lucky_fern.core.placing.box import reach_lines
from lucky_fern.core.placing.facts import decal_facts
from lucky_fern.core.placing.pose import nudged
from lucky_fern.core.placing.several import in_order
from lucky_fern.core.placing.slide import Eye, Held, corners_of, held_of, held_throw, printed
from lucky_fern.core.placing.snap import in_line, snapped_hit, squared_up
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.placing.under import covered_share, may_meet, spots_of
from lucky_fern.core.project.commands import AddLayer, KeepSlide
from lucky_fern.core.project.document import Channel, Decal, Slide
from lucky_fern.core.project.finishes import FINISHES, finished, raised, raised_by
from lucky_fern.core.project.places import Drape, Lay, Throw
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.sheets.picking import SurfaceHit, pick
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from round_models import tube
from samples import PLANE, save_png

FACING = (0.0, 0.0, 1.0)
UP = (0.0, 1.0, 0.0)


def board(folder: Path) -> Surface:
    (folder / "plane.obj").write_text(PLANE)
    return Surface(load_model(folder / "plane.obj"))


def at(surface: Surface, x: float, y: float) -> SurfaceHit:
    hit = pick(surface.model, np.array([x, y, 5.0]), np.array([0.0, 0.0, -1.0]))
    assert hit is not None
    return hit


def thrown(x: float, y: float, width: float = 0.4, **more: object) -> Throw:
    return replace(Throw((x, y, 0.0), FACING, UP, width, depth=0.5), **more)


def test_points_snap_to_the_middle_of_the_model_and_of_what_is_selected(tmp_path: Path) -> None:
    surface = board(tmp_path)
    assert snapped_hit(surface.model, at(surface, 0.03, 0.4), 0.05).hit.position == pytest.approx([0, 0.4, 0])
    assert snapped_hit(surface.model, at(surface, 0.4, -0.02), 0.05).to == "middle of Y"
    far = snapped_hit(surface.model, at(surface, 0.3, 0.4), 0.05)
    assert far.to == "" and far.hit.position == pytest.approx([0.3, 0.4, 0])
    chosen = np.array([True, False])
    middle = surface.model.corners[0].mean(axis=0)
    near = snapped_hit(surface.model, at(surface, middle[0] + 0.02, middle[1] - 0.02), 0.05, chosen)
    assert near.to == "middle of the selection"
    assert near.hit.position == pytest.approx(middle)


def test_decals_come_in_line_with_edges_and_middles_of_others(tmp_path: Path) -> None:
    surface = board(tmp_path)
    other = thrown(-0.5, 0.3, 0.4)  # its right edge lies at −0.3, its upper edge at 0.4
    moved, words = in_line(surface, thrown(0.1, 0.32, 0.2), 0.2, [(other, 0.2)], 0.05)
    assert moved.point == pytest.approx((0.1, 0.3, 0))
    assert words == ["middle of another decal"]
    beside, words = in_line(surface, thrown(-0.21, 0.0, 0.2), 0.2, [(other, 0.2)], 0.03)
    assert beside.point == pytest.approx((-0.2, 0.0, 0))
    assert words == ["edge of another decal"]
    alone, words = in_line(surface, thrown(0.6, -0.6, 0.2), 0.2, [(other, 0.2)], 0.03)
    assert (alone.point, words) == ((0.6, -0.6, 0.0), [])
    assert squared_up(thrown(0, 0, rotate=47.0)).rotate == 45
    assert squared_up(thrown(0, 0, rotate=52.0)).rotate == 52


def test_several_decals_come_in_order(tmp_path: Path) -> None:
    surface = board(tmp_path)
    places = [thrown(-0.8, 0.0), thrown(-0.5, 0.3), thrown(0.8, 0.4), thrown(0.1, -0.3)]
    lined = in_order(surface, list(places), "line")
    points = np.array([place.point for place in lined])
    direction = points[2] - points[0]
    assert np.abs(np.cross(points - points[0], direction)).max() < 1e-9
    assert (lined[0], lined[2]) == (places[0], places[2])  # the outermost stay
    apart = np.array([place.point for place in in_order(surface, list(places), "apart")])
    assert np.linalg.norm(np.diff(apart[[0, 1, 3, 2]], axis=0), axis=1) == pytest.approx([1.6492 / 3] * 3, rel=1e-3)
    with pytest.raises(CommandError, match="three decals"):
        in_order(surface, places[:2], "line")
    round_ = Surface(tube(tmp_path))
    angles = np.radians([0, 20, 50, 70])
    drapes = [Drape((0.5 * float(np.sin(a)), 1.0, 0.5 * float(np.cos(a))), (float(np.sin(a)), 0.0, float(np.cos(a))), UP, 0.1)
              for a in angles]  # fmt: skip
    spread = np.array([place.point for place in in_order(round_, list(drapes), "round")])
    found = np.sort(np.degrees(np.arctan2(spread[:, 0], spread[:, 2])) % 360)
    assert np.abs(np.diff(found) - 90).max() < 0.5


def test_what_lies_above_is_told_as_a_share(tmp_path: Path) -> None:
    surface = board(tmp_path)
    mine = thrown(0.0, 0.0, 0.8)
    spots = spots_of(surface, mine, 0.8, throw(surface.model, mine, 0.8))
    above = thrown(0.4, 0.0, 0.8)  # covers the right half
    placed = throw(surface.model, above, 0.8)
    assert covered_share(surface, spots, above, 0.8, placed, None) == pytest.approx(0.5, abs=0.02)
    alpha = np.ones((8, 8), np.float32)
    alpha[:4] = 0  # nothing in its upper half
    assert covered_share(surface, spots, above, 0.8, placed, alpha) == pytest.approx(0.25, abs=0.02)
    laid = Lay("paint", 1001, (0.5, 0.6), 0.4, 0.4)  # on the sheet: y from −0.2 to 0.6 of the board
    assert covered_share(surface, spots, laid, 0.4, None, None) == pytest.approx(0.75, abs=0.02)
    flat = spots_of(surface, laid, 0.4, None)
    assert covered_share(surface, flat, mine, 0.8, throw(surface.model, mine, 0.8), None) == pytest.approx(
        0.75, abs=0.02
    )


@settings(max_examples=60, deadline=None)
@given(x=st.floats(-0.9, 0.9), y=st.floats(-0.9, 0.9), turn=st.floats(0, 180), width=st.floats(0.05, 0.6))
def test_pictures_are_never_said_too_far_apart_to_meet_while_they_do(
    tmp_path_factory: pytest.TempPathFactory, x: float, y: float, turn: float, width: float
) -> None:
    surface = board(tmp_path_factory.mktemp("board"))
    mine, other = thrown(0, 0, 0.3), thrown(x, y, width, rotate=turn, depth=0.01)
    spots = spots_of(surface, mine, 0.3, throw(surface.model, mine, 0.3))
    share = covered_share(surface, spots, other, 0.2, throw(surface.model, other, 0.2), None)
    assert may_meet(mine, 0.3, other, 0.2) or share == 0
    far = thrown(30.0, 0.0, 0.3)
    assert not may_meet(mine, 0.3, far, 0.3)


def test_twins_that_would_show_it_backwards_are_named(tmp_path: Path) -> None:
    (tmp_path / "twins.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 3 0 0\nv 3 1 0\nv 2 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
        "f 1/1 2/2 3/3 4/4\nf 5/2 6/1 7/4 8/3\n"
    )
    studio = Studio.new(tmp_path / "twins.obj", sheet_size=256)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((64, 64, 4), 255, np.uint8)))
    place = thrown(0.5, 0.5, 0.4)
    studio.execute(AddLayer("Name", Decal(picture, place), {"colour": Channel("picture")}))
    placed = throw(studio.model, place, 0.4)
    shared = np.ones(studio.model.triangle_count, np.bool_)
    facts = decal_facts(studio.surface, studio.project, studio.project.layers[0], place, 0.4, placed, shared)
    assert any("on their twins, too, backwards" in fact.sentence and fact.remedy == "apart" for fact in facts)


def test_finishes_and_thickness_are_values_of_maps() -> None:
    channels = {"colour": Channel("picture")}
    foil = finished(channels, "Bright foil")
    assert (foil["metallic"].source, foil["roughness"].source) == (1.0, FINISHES["Bright foil"]["roughness"])
    for by in (0.1, -0.05):
        thick = raised(foil, by)
        assert thick["height"].relief
        assert raised_by(thick) == by
    assert raised(raised(foil, 0.1), 0.0) == foil
    assert raised_by({"height": Channel("picture")}) == 0


def test_a_raised_sticker_has_an_edge_in_the_normal_map(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane, sheet_size=128)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.full((8, 8, 4), 255, np.uint8)))
    studio.execute(
        AddLayer(
            "Sticker", Decal(picture, thrown(0, 0, 1.0, height=1.0)), raised({"colour": Channel("picture")}, 0.2)
        )
    )
    sheet = studio.surface.sheet(studio.surface.keys[0], square(128))
    height = composite_sheet(studio.sources, studio.project, "height", sheet, 16)
    normal = composite_sheet(studio.sources, studio.project, "normal", sheet, 16)
    assert height[64, 64, 0] / np.iinfo(height.dtype).max == pytest.approx(0.7, abs=0.01)
    assert height[5, 5, 0] / np.iinfo(height.dtype).max == pytest.approx(0.5, abs=0.01)
    across = normal[64, :, 0] / np.iinfo(normal.dtype).max
    assert across[30:34].min() < 0.4  # its left edge rises to the right and faces left
    assert across[94:98].max() > 0.6
    assert across[64] == pytest.approx(0.5, abs=0.01)


@pytest.mark.parametrize("parallel", [False, True])
def test_a_slide_is_where_it_is_held_and_goes_back_there(parallel: bool) -> None:
    yaw = np.radians(30)
    axes = np.array([[np.cos(yaw), 0, -np.sin(yaw)], [0, 1, 0], [np.sin(yaw), 0, np.cos(yaw)]])
    eye = Eye(axes, np.array([1.0, 2.0, 0.5]), 6.0, 1.5, parallel)
    held = Held((0.3, -0.2), 0.8, 10.0)
    place = held_throw(eye, held, Throw((0, 0, 0), FACING, UP, 1.0, flip=True))
    again = held_of(eye, place)
    assert (*again.offset, again.width, again.rotate) == pytest.approx((0.3, -0.2, 0.8, 10.0))
    assert place.flip
    lens = np.array(place.point) + np.array(place.normal) * (place.lens or 0)
    assert (place.lens is None) == parallel
    if not parallel:
        assert lens == pytest.approx(eye.target + axes[2] * 6.0)  # the eye itself
    corner = corners_of(place, 0.5)
    assert np.linalg.norm(corner[1] - corner[0]) == pytest.approx(0.8 * 1.5)
    assert printed(place, 20.0).depth == 20
    ends = reach_lines(replace(place, depth=1.0), 0.5)
    far, near = (np.linalg.norm(line[1] - line[0]) for line in (ends[1], ends[0]))
    assert far / near == pytest.approx(1.0 if parallel else (place.lens + 1) / (place.lens - 1))


def test_slides_are_kept_by_name_and_saved(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane)
    picture = studio.add_picture(save_png(tmp_path / "p.png", np.zeros((4, 4, 4), np.uint8)))
    slide = Slide(picture, thrown(0, 0, lens=3.0, repeat=True), 0.4)
    studio.execute(KeepSlide("front", slide))
    studio.save(tmp_path / "p.fern")
    assert Studio.open(tmp_path / "p.fern").project.slides == {"front": slide}
    studio.execute(KeepSlide("front", None))
    assert studio.project.slides == {}
    for name, wrong, words in (
        ("", slide, "a name"),
        ("x", replace(slide, picture="gone"), "not in the kit"),
        ("y", None, "no slide"),
    ):
        with pytest.raises(CommandError, match=words):
            studio.execute(KeepSlide(name, wrong))


def test_a_repeated_throw_fills_all_that_faces_it(tmp_path: Path) -> None:
    surface = board(tmp_path)
    from round_models import drawn

    alpha = drawn(surface.model, throw(surface.model, thrown(0.3, 0.2, 0.5, repeat=True), 0.3), 128)
    assert alpha[..., 3].min() == 255
    assert np.abs(alpha[:, 20] - alpha[:, 52]).max() <= 1  # half a unit is 32 texels


def test_labels_take_two_colours_and_any_font_of_the_computer() -> None:
    label = Label("HHH", colour="#ff0000", second="#0000ff", split=0.5)
    pixels = draw_label(label)
    solid = pixels[..., 3] == 255
    rows = np.flatnonzero(solid.any(axis=1))
    top, bottom = pixels[rows[5]][solid[rows[5]]], pixels[rows[-6]][solid[rows[-6]]]
    assert (top[:, :3] == [255, 0, 0]).all()
    assert (bottom[:, :3] == [0, 0, 255]).all()
    turns = [
        row
        for row in rows
        if len(np.unique(pixels[row][solid[row]], axis=0)) == 1 and pixels[row][solid[row]][0, 0] < 128
    ]
    assert turns[0] == pytest.approx(rows.mean(), abs=3)
    fading = draw_label(replace(label, fade=True))
    middle = fading[int(rows.mean())][solid[int(rows.mean())]]
    assert np.abs(middle[:, [0, 2]].astype(int) - 128).max() < 8
    outlined = draw_label(replace(label, outline=0.1, outline_colour="#00ff00"))
    assert ((outlined[..., :3] == [0, 255, 0]).all(axis=2) & (outlined[..., 3] == 255)).sum() > 500
    fonts = system_fonts()
    assert not set(fonts) & set(SHIPPED)
    for path in list(fonts.values())[:1]:
        assert draw_label(Label("Ag", font=path))[..., 3].max() == 255


def test_nudging_goes_on_working_for_pulled_pictures(plane: Path) -> None:
    studio = Studio.new(plane, sheet_size=256)
    moved = nudged(studio.surface, studio.project, thrown(0, 0), 0.4, np.array([10.0, 0.0]), True)
    assert isinstance(moved, Throw)
    assert moved.point == pytest.approx((20 / 256, 0, 0))
