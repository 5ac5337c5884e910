"""Faces laid by whole texels: exact means 0 of 255."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.easel import bring_to_size
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.overlaps import overlapping_pairs
from lucky_fern.core.project.commands import AddLayer, SetPixelArt, SetSheetSize
from lucky_fern.core.project.document import Brushwork, Channel, Wash
from lucky_fern.core.project.layouts import Apart, BoxNet, GatherSheets, OneSpot, Transform, Vary
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.sheets.grid import Chunk, Extent, SheetKey
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.setting import set_block
from lucky_fern.core.udim import corner_of

BODY = {"head": (8, 8, 8, "skin"), "trunk": (8, 12, 4, "coat"), "arm": (4, 12, 4, "coat"), "leg": (4, 12, 4, "coat")}


def boxes(folder: Path, parts: dict[str, tuple[float, float, float, str]]) -> Path:
    """An OBJ of boxes beside each other, without any UVs worth the name."""
    lines, count, x = ["vt 0 0", "vt 1 0", "vt 0 1"], 0, 0.0
    for name, (wide, high, deep, material) in parts.items():
        lines += [f"o {name}", f"usemtl {material}"]
        for k in range(8):
            lines.append(f"v {x + wide * (k & 1)} {high * (k >> 1 & 1)} {deep * (k >> 2 & 1)}")
        for quad in ((0, 2, 3, 1), (4, 5, 7, 6), (0, 4, 6, 2), (1, 3, 7, 5), (2, 6, 7, 3), (0, 1, 5, 4)):
            a, b, c, d = (count + k + 1 for k in quad)
            lines += [f"f {a}/1 {b}/2 {c}/3 {d}/3"]
        count, x = count + 8, x + wide + 2
    path = folder / "figure.obj"
    path.write_text("\n".join(lines) + "\n")
    return path


def figure(folder: Path, size: Extent | None = None, material: str | None = None) -> Studio:
    parts = {name: (*box[:3], material or box[3]) for name, box in BODY.items()}
    studio = Studio.new(boxes(folder, parts))
    for name in studio.model.materials:
        studio.execute(SetSheetSize(size or Extent(64, 64), f"{name}:1001"))
        studio.execute(SetPixelArt(f"{name}:1001"))
    return studio


def texel_boxes(studio: Studio, rows: np.ndarray, size: Extent) -> np.ndarray:
    uv = studio.model.uv[rows]
    return np.array([uv[..., 0].min(), 1 - uv[..., 1].max(), uv[..., 0].max(), 1 - uv[..., 1].min()]) * [
        size.width, size.height, size.width, size.height]  # fmt: skip


def of_part(studio: Studio, name: str) -> np.ndarray:
    return studio.model.part == studio.model.parts.index(name)


def painted(studio: Studio, key: SheetKey, seed: int = 3) -> np.ndarray:
    """Every texel of a sheet a colour of its own."""
    size = studio.project.size_of(key)
    block = np.random.default_rng(seed).integers(0, 256, (*size.shape, 4), dtype=np.uint8)
    block[..., 3] = 255
    layer = studio.execute(AddLayer(str(key), Brushwork(), {})).layers[-1].id
    bring_to_size(studio, layer)
    command = set_block(studio, layer, key, "colour", (0, 0), block)
    assert command is not None
    studio.execute(command)
    return block[..., :3]


def shown(studio: Studio, key: SheetKey) -> np.ndarray:
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    return composite_sheet(studio.sources, studio.project, "colour", sheet, 8)


def colours_of(studio: Studio, key: SheetKey) -> dict[tuple[int, ...], tuple[int, ...]]:
    """Where on the surface a texel's middle lies (rounded) → its colour, of a sheet's own texels."""
    size, model = studio.project.size_of(key), studio.model
    sheet, values, found = studio.surface.sheet(key, size), shown(studio, key), {}
    for row, column in np.argwhere(sheet.covered):
        chunk_owner = sheet.owners(Chunk(int(row) // 256, int(column) // 256))[row % 256, column % 256]
        triangle = sheet.triangle[chunk_owner]
        uv = model.uv[triangle] - corner_of(key.tile)
        middle = np.array([(column + 0.5) / size.width, 1 - (row + 0.5) / size.height])
        shares = np.linalg.solve(np.vstack([uv.T, np.ones(3)]), [*middle, 1])
        place = tuple(np.rint(shares @ model.corners[triangle] * 1000).astype(int))
        found[place] = tuple(values[row, column].tolist())
    return found


def test_a_box_becomes_a_cross_of_whole_texels_that_hangs_together(tmp_path: Path) -> None:
    studio = figure(tmp_path, material="all")
    studio.lay_out(BoxNet(1.0))
    size, model = Extent(64, 64), studio.model
    for name, (wide, high, deep, _) in BODY.items():
        rows = np.flatnonzero(of_part(studio, name))
        left, upper, right, lower = texel_boxes(studio, rows, size)
        assert (right - left, lower - upper) == pytest.approx((2 * wide + 2 * deep, high + 2 * deep))
        texels = model.uv[rows] * 64
        assert np.allclose(texels, np.rint(texels), atol=1e-9)
        assert len(np.unique(model.islands[rows])) == 1  # folded together the cross is the box: all sides hang on
        edges, laid = np.diff(model.corners[rows], axis=1), np.diff(texels, axis=1)
        assert np.allclose(
            np.linalg.norm(edges, axis=2), np.linalg.norm(laid, axis=2)
        )  # one texel a unit, unstretched
        turn = (model.uv[rows, 1] - model.uv[rows, 0], model.uv[rows, 2] - model.uv[rows, 0])
        assert (turn[0][:, 0] * turn[1][:, 1] - turn[0][:, 1] * turn[1][:, 0] > 0).all()  # none lies mirrored
    assert not len(overlapping_pairs(model.uv)[0])


@pytest.mark.parametrize("degrees", [(0, 0, 20), (10, -30, 15), (0, 44, 0)])
def test_a_box_that_stands_aslant_is_unfolded_along_its_own_sides(tmp_path: Path, degrees: tuple[int, ...]) -> None:
    path = boxes(tmp_path, {"arm": (4.0, 12.0, 5.0, "coat")})
    turn = Rotation.from_euler("xyz", degrees, degrees=True).as_matrix()
    lines = [
        "v {:.9f} {:.9f} {:.9f}".format(*(turn @ np.array(line.split()[1:], float)))
        if line.startswith("v ")
        else line
        for line in path.read_text().splitlines()
    ]
    path.write_text("\n".join(lines))
    studio = Studio.new(path, sheet_size=Extent(64, 64))
    studio.lay_out(BoxNet(1.0))
    model = studio.model
    left, upper, right, lower = texel_boxes(studio, np.arange(12), Extent(64, 64))
    assert (right - left, lower - upper) == pytest.approx((18, 22)) and len(np.unique(model.islands)) == 1
    texels, edges = model.uv * 64, np.diff(model.corners, axis=1)
    assert np.allclose(texels, np.rint(texels), atol=1e-6)
    assert np.allclose(np.linalg.norm(edges, axis=2), np.linalg.norm(np.diff(texels, axis=1), axis=2), atol=1e-5)


def test_a_cross_that_has_no_room_is_refused_with_its_size(tmp_path: Path) -> None:
    studio = figure(tmp_path, Extent(30, 30), material="all")
    before = studio.project
    with pytest.raises(CommandError, match="32 × 24 texels on a sheet of 30 × 30"):
        studio.lay_out(BoxNet(1.0))
    assert studio.project is before
    with pytest.raises(CommandError, match="above 0"):
        studio.lay_out(BoxNet(float("nan")))


def test_one_face_of_a_cross_moves_alone_by_whole_texels_with_its_paint(tmp_path: Path) -> None:
    studio = figure(tmp_path, Extent(96, 96), material="all")
    studio.lay_out(BoxNet(1.0))
    key = SheetKey("all", 1001)
    painted(studio, key)
    before, uv = colours_of(studio, key), studio.model.uv.copy()
    arm = of_part(studio, "arm") & (studio.model.face_normals[:, 2] > 0.9)
    studio.lay_out(Transform(move=(10.4 / 96, -40.3 / 96), snap="texels", alone=True), arm)
    assert np.allclose(studio.model.uv[~arm], uv[~arm])
    moved = (studio.model.uv[arm] - uv[arm]) * 96
    assert np.allclose(moved, [10, -40])
    assert colours_of(studio, key) == before
    assert len(np.unique(studio.model.islands[of_part(studio, "arm")])) == 5  # top, bottom and the sides hung on it


def test_parts_go_onto_one_spot_and_apart_again(tmp_path: Path) -> None:
    studio = figure(tmp_path, Extent(96, 96), material="all")
    studio.lay_out(BoxNet(1.0))
    arm, leg = of_part(studio, "arm"), of_part(studio, "leg")
    studio.lay_out(OneSpot(), arm | leg)
    size = Extent(96, 96)
    assert texel_boxes(studio, arm, size) == pytest.approx(texel_boxes(studio, leg, size))
    studio.lay_out(Apart(), arm | leg)
    texels = studio.model.uv * 96
    assert np.allclose(texels, np.rint(texels)) and not len(overlapping_pairs(studio.model.uv)[0])
    with pytest.raises(CommandError, match="two parts or more"):
        studio.lay_out(OneSpot(), arm)


def test_copies_take_texels_from_places_by_chance_inside_an_area(tmp_path: Path) -> None:
    tiles = {f"stone {n}": (3.0, 2.0, 1.0, "wall") for n in range(40)}
    studio = Studio.new(boxes(tmp_path, tiles))
    studio.execute(SetSheetSize(Extent(128, 64), "wall:1001"))
    studio.lay_out(BoxNet(1.0))
    front = studio.model.face_normals[:, 2] > 0.9
    studio.lay_out(Vary((16, 8, 40, 24), seed=5), front)
    places = np.array([texel_boxes(studio, front & of_part(studio, name), Extent(128, 64)) for name in tiles])
    assert np.allclose(places, np.rint(places)) and np.allclose(places[:, 2:] - places[:, :2], [3, 2])
    assert (places[:, :2] >= [16, 8]).all() and (places[:, 2:] <= [40, 24]).all()
    assert len({tuple(place) for place in places.round().tolist()}) > 25
    once = studio.model.uv.copy()
    studio.lay_out(Vary((16, 8, 40, 24), seed=5), front)
    assert np.allclose(studio.model.uv, once)
    with pytest.raises(CommandError, match="does not fit"):
        studio.lay_out(Vary((0, 0, 2, 2)), front)


def test_sheets_of_all_parts_are_gathered_into_one_as_they_look(tmp_path: Path) -> None:
    studio = figure(tmp_path)
    studio.execute(SetSheetSize(Extent(64, 32), "skin:1001"))
    studio.lay_out(BoxNet(1.0))
    skin, coat = SheetKey("skin", 1001), SheetKey("coat", 1001)
    painted(studio, coat, 4)
    painted(studio, skin, 5)
    studio.execute(AddLayer("Dye", Wash(), {"colour": Channel("#123456")}, scope=Scope(materials=("skin",))))
    before = {**colours_of(studio, skin), **colours_of(studio, coat)}
    notes = studio.lay_out(GatherSheets("figure"))
    one = SheetKey("figure", 1001)
    assert studio.model.materials == ("figure",) and studio.project.size_of(one) == Extent(128, 64)
    assert studio.project.is_pixel_art(one) and "2 sheets" in notes[0]
    assert colours_of(studio, one) == before
    studio.jump(studio.history.at - 1)
    assert {**colours_of(studio, skin), **colours_of(studio, coat)} == before
    with pytest.raises(CommandError, match="do not fit"):
        studio.lay_out(GatherSheets("figure", Extent(64, 64)))
