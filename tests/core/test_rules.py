"""Rules against their definitions: closed forms, brute force, and what they must be on any layout."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy.spatial import cKDTree

from cubes import begun, box
from lucky_fern.core.compositing.changes import dirtied
from lucky_fern.core.compositing.masks import mask_values
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.places import parse_place
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.project.commands import RemoveLayers, SetLayer, SetPlace
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.sheets.region import Rect
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey.falls import climbed, rounded_normals
from lucky_fern.core.survey.grain import grain
from lucky_fern.core.survey.rays import Rays
from lucky_fern.core.survey.surfels import lean, surfels_of
from lucky_fern.core.survey.survey import border_edges
from samples import save_png


def ruled(studio: Studio, **keys: object) -> np.ndarray:
    """(size, size) what a rule's mask shows on the first sheet."""
    do_step(studio, {"do": "mask", "layer": "Wear", "kind": "rule", **keys}, Path())
    layer = next(one for one in studio.project.walk() if one.name == "Wear")
    key = studio.surface.keys[0]
    size = studio.project.size_of(key).width
    found = mask_values(
        studio.sources, studio.project, layer, studio.surface.sheet(key, square(size)), Rect(0, size, 0, size)
    )
    assert found is not None
    return found / 65535


def places(studio: Studio) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Which texels of the first sheet lie on islands (one chunk), their points and their faces' normals."""
    key = studio.surface.keys[0]
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    (chunk,) = all_chunks(sheet.size)
    inside, points, _, faces = studio.sources.survey.places(sheet, chunk)
    return inside, points, faces


@pytest.fixture(params=["outside", "inside"])
def cube(request: pytest.FixtureRequest, tmp_path: Path) -> tuple[Studio, bool]:
    return begun(box(tmp_path / "cube.obj", inward=request.param == "inside")), request.param == "inside"


def at_edge(far: np.ndarray, reach: float) -> np.ndarray:
    """What the formula gives at a distance from a right-angled edge between two large planes, by fine integration.

    The near plane keeps the disc's part up to the edge; of the far one, what lies in the ball: its points are as far
    behind as they lie from the edge.
    """
    step = reach / 400
    grid = (np.arange(-400, 400) + 0.5) * step
    a, b = np.meshgrid(grid, grid, indexing="ij")
    out = []
    for d in far:
        own = ((a * a + b * b) <= reach * reach) & (a <= d)  # a runs towards the edge
        depth, along = np.meshgrid((np.arange(400) + 0.5) * step, grid, indexing="ij")
        other = depth**2 + along**2 + d * d <= reach * reach
        out.append((depth[other].sum()) / max(own.sum() + other.sum(), 1) / reach / 0.2122)
    return np.clip(out, 0, 1)


@pytest.mark.parametrize("reach", [0.08, 0.2])
def test_edges_and_crevices_follow_their_formula_at_right_angles(cube: tuple[Studio, bool], reach: float) -> None:
    studio, inward = cube
    values = ruled(studio, rule="crevices" if inward else "edges", reach=reach)
    other = ruled(studio, rule="edges" if inward else "crevices", reach=reach, mode="replace")
    inside, points, faces = places(studio)
    in_plane = np.where(np.abs(faces) > 0.5, 0.5, points)  # the coordinates along the side
    near = np.sort(np.minimum(in_plane, 1 - in_plane), axis=1)
    straight = near[:, 1] > 1.05 * reach  # far from corners, where three sides meet
    far = near[straight, 0]
    assert straight.sum() > 400
    chosen = np.random.default_rng(1).choice(len(far), 40, replace=False)
    assert np.abs(values[inside][straight][chosen] - at_edge(far[chosen], reach)).max() < 0.05
    assert (values[inside][straight][far > reach * 1.1] == 0).all() and (other[inside] < 0.02).all()


def test_edges_are_what_brute_force_finds_on_any_surface(tmp_path: Path) -> None:
    """Every piece of a bumpy sheet against every point, with pieces a quarter as long."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:17, 0:17] / 16
    points = np.stack([x, y, 0.12 * rng.random((17, 17))], axis=2)
    a, b, c, d = points[:-1, :-1], points[:-1, 1:], points[1:, 1:], points[1:, :-1]
    corners = np.concatenate([np.stack([a, b, c], 2).reshape(-1, 3, 3), np.stack([a, c, d], 2).reshape(-1, 3, 3)])
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    reach, asked = 0.11, rng.choice(len(corners), 60, replace=False)
    middle, facing = corners[asked].mean(axis=1), normals[asked]
    got = lean(surfels_of(corners, normals, reach), middle, facing, reach)
    fine = surfels_of(corners, normals, reach / 4)
    for n in range(len(asked)):
        away = middle[n] - fine.middle
        kept = ((away**2).sum(axis=1) <= reach**2) & (fine.normal @ facing[n] >= -0.5)
        weight = fine.area[kept]
        want = (weight * (away[kept] @ facing[n])).sum() / weight.sum() / reach
        assert abs(got[n] - want) < 0.05 * 0.2122


def test_occlusion_of_floor_and_wall_has_its_closed_form(tmp_path: Path) -> None:
    """Beside an endless wall half as high as far: the covered share is (1 − cos θ) / 2, θ to the wall's upper end."""
    far = 60.0
    (tmp_path / "l.obj").write_text(
        f"v 0 0 {-far}\nv 4 0 {-far}\nv 4 0 {far}\nv 0 0 {far}\nv 0 1 {-far}\nv 0 1 {far}\n"
        "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 4/2 3/3 2/4\nf 1/1 5/2 6/3 4/4\n"
    )
    model = Studio.new(tmp_path / "l.obj", sheet_size=64).model
    x = np.linspace(0.2, 3.5, 12)
    points = np.stack([x, np.zeros(12), np.zeros(12)], axis=1)
    up = np.tile([0.0, 1.0, 0.0], (12, 1))
    # The form factor of a strip (J. Howell, "A Catalog of Radiation Heat Transfer Configuration Factors", B-3).
    want = (1 - x / np.hypot(x, 1.0)) / 2
    assert np.abs(Rays(model).covered(points, up, 1e3, 256) - want).max() < 0.03
    assert (Rays(model).covered(points[-1:], up[-1:], 0.1, 256) == 0).all()  # nothing within reach


def test_thickness_is_the_way_through_a_plate_and_open_sheets_have_none(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"))
    middle = np.array([[0.5, 0.5, 0.0]])
    outward = np.array([[0.0, 0.0, -1.0]])
    # Through a slab of depth 1, by the cosine within 60°: the mean of 1 / cos is 2 (1 − cos 60°) / sin² 60° = 4 / 3.
    rays = Rays(studio.model)
    sides = [(x, y, z) for z in (0, 1) for x, y in ((-99, -99), (99, -99), (99, 99), (-99, 99))]
    (tmp_path / "slab.obj").write_text(
        "\n".join([*(f"v {x} {y} {z}" for x, y, z in sides), "vt 0 0", "vt 1 0", "vt 1 1", "vt 0 1",
                   "f 4/1 3/2 2/3 1/4", "f 5/1 6/2 7/3 8/4"])
    )  # fmt: skip
    slab = Rays(Studio.new(tmp_path / "slab.obj", sheet_size=64).model)
    assert abs(rays.thickness(middle, outward, 0.5, 64)[0] - 0.5) < 1e-3  # no longer than the reach
    assert abs(slab.thickness(np.array([[0.3, 0.4, 0.0]]), outward, 1e4, 400)[0] - 4 / 3) < 0.01
    (tmp_path / "sheet.obj").write_text("v 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nf 1/1 2/2 3/3\n")
    sheet = begun(tmp_path / "sheet.obj", 64)
    assert not ruled(sheet, rule="thin", reach=0.5).any()


def test_heights_directions_levels_and_numbers(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj", scale=2.0))
    inside, points, faces = places(studio)
    values = ruled(studio, rule="height", axis="y", **{"from": 0.5, "to": 1.5})
    assert np.abs(values[inside] - np.clip(points[:, 1] - 0.5, 0, 1)).max() < 1e-3
    values = ruled(studio, rule="facing", direction=[0, 3, 0], angle=120)
    angle = np.degrees(np.arccos(np.clip(faces[:, 1], -1, 1)))
    assert np.abs(values[inside] - np.clip(1 - angle / 120, 0, 1)).max() < 1e-3
    turned = ruled(studio, rule="facing", direction=[0, 3, 0], angle=120, low=1, high=0, gamma=2)
    assert np.abs(turned[inside] - np.clip(angle / 120, 0, 1) ** 0.5).max() < 1e-3
    values = ruled(studio, rule="seams", reach=0.3, of="sharp")
    in_plane = np.sort(np.where(np.abs(faces) > 0.5, 1.0, points), axis=1)
    near = np.minimum(in_plane, 2 - in_plane).min(axis=1)
    assert np.abs(values[inside] - np.clip(1 - near / 0.3, 0, 1)).max() < 1e-3
    assert np.array_equal(values, ruled(studio, rule="seams", reach=0.3, of="islands"))
    assert not ruled(studio, rule="seams", reach=0.3, of="open").any()
    by_island = ruled(studio, rule="vary", by="island", seed=3)
    number = studio.model.islands[
        studio.surface.sheet(studio.surface.keys[0], square(256)).owners(all_chunks(square(256))[0])[inside]
    ]
    found = {int(n): set(by_island[inside][number == n].tolist()) for n in np.unique(number)}
    assert all(len(one) == 1 for one in found.values()) and len(set.union(*found.values())) == 6
    assert not np.array_equal(by_island, ruled(studio, rule="vary", by="island", seed=4))


def test_facing_can_go_by_the_relief_of_the_layers_below(tmp_path: Path) -> None:
    studio = Studio.new(box(tmp_path / "cube.obj"), sheet_size=64)
    normal = np.zeros((8, 8, 3), np.uint8)
    normal[...] = np.round((np.array([0.6, 0.0, 0.8]) * 0.5 + 0.5) * 255)  # leans by 36.9° along u
    save_png(tmp_path / "lean_normal.png", normal)
    do_step(studio, {"do": "wash", "name": "Below", "pictures": {"normal": "lean_normal.png"}}, tmp_path)
    do_step(studio, {"do": "wash", "name": "Wear", "values": {"colour": "#aa7744"}}, tmp_path)
    values = ruled(studio, rule="facing", direction=[0, 0, 1], relief=True)
    inside, _, faces = places(studio)
    assert np.abs(values[inside][faces[:, 2] > 0.5] - (1 - 36.87 / 90)).max() < 0.01
    before = studio.project
    below = studio.project.layers[0]
    studio.execute(SetLayer(below.id, visible=False))
    assert any(
        key.map == "colour" and chunks for key, chunks in dirtied(studio.sources, before, studio.project).items()
    )
    key = studio.surface.keys[0]
    flat = mask_values(studio.sources, studio.project, studio.project.layers[1], studio.surface.sheet(key, square(64)),
                       Rect(0, 64, 0, 64))  # fmt: skip
    assert np.abs(flat[inside][faces[:, 2] > 0.5] / 65535 - 1).max() < 1e-3


@pytest.mark.parametrize("form", ["soft", "cells", "ridges"])
def test_grain_has_its_mean_and_no_seam(form: str, tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    flat = np.column_stack([rng.uniform(-300, 300, (200_000, 2)), np.full(200_000, 7.3)])
    for octaves in (1, 4):
        values = grain(flat, form, 2.5, octaves, 11)
        assert abs(values.mean() - 0.5) < 0.05 and values.std() > 0.05 and values.min() >= 0 and values.max() <= 1
    # A little way on is a little different, wherever it is: across lattice planes too.
    here, step = rng.integers(-9, 9, (5000, 3)) * 2.5, np.array([1e-6, 1e-6, 1e-6])
    assert np.abs(grain(here + step, form, 2.5, 3, 1) - grain(here - step, form, 2.5, 3, 1)).max() < 1e-3
    assert not np.array_equal(grain(flat[:99], form, 2.5, 2, 1), grain(flat[:99], form, 2.5, 2, 2))


def test_the_rim_of_a_decal_is_as_far_as_its_border(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"))
    save_png(tmp_path / "mark.png", np.full((8, 8, 3), 200, np.uint8))
    place = {"mode": "throw", "point": [0.5, 0.5, 1.0], "normal": [0, 0, 1], "width": 0.5, "height": 0.5}
    do_step(studio, {"do": "decal", "name": "Mark", "picture": "mark.png", "place": place}, tmp_path)
    reach = 0.2
    values = ruled(studio, rule="rim", of="Mark", reach=reach)
    inside, points, faces = places(studio)
    front = faces[:, 2] > 0.5
    x, y = np.abs(points[front, 0] - 0.5) - 0.25, np.abs(points[front, 1] - 0.5) - 0.25
    far = np.abs(np.where((x > 0) & (y > 0), np.hypot(x, y), np.maximum(x, y)))
    texel = np.sqrt(1 / (256 * (1 / 6 - 0.02)) * 1 / (256 * 0.8)) * 2  # the longer side of one
    assert np.abs((1 - values[inside][front]) * reach - np.minimum(far, reach)).max() < texel
    assert not values[inside][faces[:, 2] < -0.5].any()
    # It follows the decal, and is gone with it.
    moved = {**place, "point": [0.3, 0.5, 1.0]}
    mark = next(one for one in studio.project.walk() if one.name == "Mark")
    before = studio.project
    studio.execute(SetPlace(mark.id, parse_place(studio, moved)))
    assert any(key.map == "colour" for key in dirtied(studio.sources, before, studio.project))
    layer = studio.project.layers[0]
    sheet = studio.surface.sheet(studio.surface.keys[0], square(256))
    after = mask_values(studio.sources, studio.project, layer, sheet, Rect(0, 256, 0, 256))
    assert after is not None and not np.array_equal(after / 65535, values)
    studio.execute(RemoveLayers((mark.id,)))
    gone = mask_values(studio.sources, studio.project, layer, sheet, Rect(0, 256, 0, 256))
    assert gone is not None and not gone.any()


@pytest.mark.parametrize(("keys", "words"), [
    ({"rule": "edges", "reach": 0}, "reach"), ({"rule": "edges", "rays": 3}, "no key 'rays'"),
    ({"rule": "moss"}, "edges, crevices"), ({}, "needs a 'rule'"), ({"rule": "rim"}, "needs 'of'"),
    ({"rule": "rim", "of": "Nobody"}, "Nobody"), ({"rule": "facing", "direction": [0, 0, 0]}, "point somewhere"),
    ({"rule": "height", "from": 1, "to": 1}, "must differ"), ({"rule": "edges", "low": 1, "high": 1}, "must differ"),
    ({"rule": "occlusion", "rays": 0}, "rays"), ({"rule": "grain", "octaves": 40}, "octaves"),
    ({"rule": "rim", "of": "Wear"}, "itself"),
])  # fmt: skip
def test_what_a_rule_cannot_be_is_said(keys: dict[str, object], words: str, tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"), 64)
    with pytest.raises(CommandError, match=words.replace("'", ".")):
        ruled(studio, **keys)


def test_rules_are_saved_and_read_back_and_measured_values_are_found_again(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"), 64)
    values = ruled(studio, rule="edges", reach=0.2, low=0.1)
    studio.save(tmp_path / "worn.fern")
    again = Studio.open(tmp_path / "worn.fern")
    assert again.project.masks == studio.project.masks
    layer = again.project.layers[0]
    sheet = again.surface.sheet(again.surface.keys[0], square(64))
    assert np.array_equal(mask_values(again.sources, again.project, layer, sheet, Rect(0, 64, 0, 64)) / 65535, values)


def test_edges_count_the_same_neighbours_as_a_tree_would(tmp_path: Path) -> None:
    model = begun(box(tmp_path / "cube.obj")).model
    pieces = surfels_of(model.corners, model.face_normals, 0.3)
    assert abs(pieces.area.sum() - 6) < 1e-9
    near = cKDTree(pieces.middle).query_ball_point([0.5, 0.5, 0.0], 0.3)
    assert abs(pieces.area[near].sum() - np.pi * 0.09) < 0.02


def test_a_rule_is_corrected_by_hand_and_the_last_stroke_is_what_shows(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"), 128)
    whole = ruled(studio, rule="facing", direction=[0, 0, 1], low=0.4, high=0.5)  # the front, in full
    inside, points, faces = places(studio)
    front, back = faces[:, 2] > 0.5, faces[:, 2] < -0.5
    layer = studio.project.layers[0]
    sheet = studio.surface.sheet(studio.surface.keys[0], square(128))

    def shown() -> np.ndarray:
        found = mask_values(
            studio.sources, studio.project, studio.project.layer(layer.id), sheet, Rect(0, 128, 0, 128)
        )
        assert found is not None
        return found[inside] / 65535

    def stroke(z: float, erase: bool) -> np.ndarray:
        points_ = [[0.3, 0.5, z], [0.7, 0.5, z]]
        do_step(studio, {"do": "stroke", "layer": "Wear", "on": "mask", "radius": 0.1, "hardness": 1, "erase": erase,
                         "points": points_}, tmp_path)  # fmt: skip
        return shown()

    core = (np.abs(points[:, 1] - 0.5) < 0.05) & (np.abs(points[:, 0] - 0.5) < 0.15)
    assert (stroke(1.0, True)[front & core] < 0.05).all()  # hidden where the rule showed it
    assert (stroke(0.0, False)[back & core] > 0.95).all()  # shown where it did not
    assert (stroke(1.0, False)[front & core] > 0.95).all()  # and shown again
    assert (stroke(0.0, True)[back & core] < 0.05).all()
    far = ~core & (np.abs(points[:, 1] - 0.5) > 0.2)
    assert np.array_equal(shown()[far], whole[inside][far])
    assert [entry.mode for entry in studio.project.masks[studio.project.layers[0].mask].entries] == [
        "replace", "subtract", "add",
    ]  # fmt: skip


def lampshade(path: Path, around: int, rings: int, below: float, above: float) -> Studio:
    """A cone's side, open at both ends, ``around`` flat strips from y = 0 to 1; each strip is an island of its own."""
    lines = []
    for k in range(around):
        for j in range(rings + 1):
            for turn in (k, k + 1):
                y = j / rings
                radius, angle = below + (above - below) * y, 2 * np.pi * turn / around
                lines.append(f"v {radius * np.cos(angle):.9f} {y:.9f} {radius * np.sin(angle):.9f}")
                lines.append(f"vt {(k + 0.05 + 0.9 * (turn - k)) / around:.6f} {0.02 + 0.96 * y:.6f}")
        first = 2 * k * (rings + 1) + 1
        for j in range(rings):
            a, b, c, d = (first + 2 * j + n for n in (0, 1, 3, 2))
            lines.append("f " + " ".join(f"{n}/{n}" for n in (a, d, c, b)))
    path.write_text("\n".join(lines))
    return Studio.new(path, sheet_size=64)


@pytest.mark.parametrize(("below", "above"), [(1.0, 0.4), (0.4, 1.0), (0.7, 0.7)])
def test_what_runs_down_a_cone_comes_straight_from_above_over_every_crease_and_seam(
    tmp_path: Path, below: float, above: float
) -> None:
    studio = lampshade(tmp_path / "cone.obj", 24, 5, below, above)
    surface, model = studio.surface, studio.model
    points = np.einsum("k,tkd->td", [0.2, 0.5, 0.3], model.corners)
    edges = border_edges(surface, "open")
    found = climbed(
        surface, rounded_normals(model, 40), points, np.arange(len(points)), edges, np.array([0, -1.0, 0]), 9.0
    )
    assert (found.far >= 0).all() and np.allclose(found.source[:, 1], 1)
    slant = np.hypot(1, below - above)
    assert np.abs(found.far - (1 - points[:, 1]) * slant).max() < 0.03
    turned = np.angle(
        np.exp(1j * (np.arctan2(found.source[:, 2], found.source[:, 0]) - np.arctan2(points[:, 2], points[:, 0])))
    )
    assert np.abs(turned).max() < 2 * np.pi / 24 / 2  # within half a strip
    short = climbed(
        surface, rounded_normals(model, 40), points, np.arange(len(points)), edges, np.array([0, -1.0, 0]), 0.4
    )
    assert ((short.far >= 0) == (found.far <= 0.4)).all()


def test_drips_hang_below_edges_and_nothing_runs_on_level_ground(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"))
    value = ruled(studio, rule="drips", reach=0.5, width=0.02, seed=3)
    inside, points, faces = places(studio)
    wet = value[inside]
    level = np.abs(faces[:, 1]) > 0.5
    assert (wet[level] == 0).all() and (wet[points[:, 1] < 0.5] == 0).all()
    wall = faces[:, 2] > 0.5
    upper, lower = wall & (points[:, 1] > 0.95), wall & (points[:, 1] > 0.55) & (points[:, 1] < 0.65)
    assert 0.15 < (wet[upper] > 0.3).mean() < 0.85 and 0 < (wet[lower] > 0.3).mean() < 0.7 * (wet[upper] > 0.3).mean()
    sideways = ruled(studio, rule="drips", reach=0.5, width=0.02, down=[1, 0, 0], mode="replace")
    assert (sideways[inside][np.abs(faces[:, 0]) > 0.5] == 0).all() and sideways[inside].max() > 0.5
    with pytest.raises(CommandError, match="down"):
        ruled(studio, rule="drips", down=[0, 0, 0])
