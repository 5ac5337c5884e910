"""Faces cut along texels: exactly those texels, the same surface, no cracks, few rectangles."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.cutting import Cut, cut_texels
from lucky_fern.core.layout.rectangles import rectangles
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.project.commands import AddLayer, SaveSelection, SetPixelArt, SetSheetSize
from lucky_fern.core.project.document import Brushwork
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import Extent, SheetKey
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.cutting import cut_off, prepare_join
from lucky_fern.core.texels.setting import set_single

SIZE, KEY = Extent(40, 24), SheetKey("skin", 1001)
GLOW = SheetKey("glow", 1001)


def box(path: Path, twist: float = 0.0) -> Model:
    """A box laid out as an unfolded cross, every face on texels of its own; twisted, its quads are curved."""
    corners = [(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1)]
    places = {  # face: corners in order, upper left of its 8 × 8 texels
        (4, 5, 7, 6): (8, 8), (5, 1, 3, 7): (16, 8), (1, 0, 2, 3): (24, 8), (0, 4, 6, 2): (0, 8),
        (6, 7, 3, 2): (8, 0), (0, 1, 5, 4): (8, 16),
    }  # fmt: skip
    text, count = "o box\nusemtl skin\n", 0
    for x, y, z in corners:
        turn = twist * y
        text += f"v {x * np.cos(turn) - z * np.sin(turn):.8f} {y} {x * np.sin(turn) + z * np.cos(turn):.8f}\n"
    for face, (left, upper) in places.items():
        for u, v in ((left, upper + 8), (left + 8, upper + 8), (left + 8, upper), (left, upper)):
            text += f"vt {u / SIZE.width:.9f} {1 - v / SIZE.height:.9f}\n"
        text += "f " + " ".join(f"{vertex + 1}/{count + n + 1}" for n, vertex in enumerate(face)) + "\n"
        count += 4
    path.write_text(text)
    return load_model(path)


def cut(model: Model, area: np.ndarray) -> Cut:
    return cut_texels(model, KEY, SIZE, area, np.ones(model.triangle_count, bool), "glow")


def areas(model: Model) -> tuple[np.ndarray, np.ndarray]:
    c, uv = model.corners, model.uv * [SIZE.width, SIZE.height]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    return (np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1) / 2,
            (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2)  # fmt: skip


def no_cracks(model: Model) -> None:
    """Every edge of a closed surface has just one face on each side, and the other way round there."""
    ends = np.concatenate([model.triangles[:, [k, (k + 1) % 3]] for k in range(3)]).astype(np.int64)
    forward = ends[:, 0] * 10**6 + ends[:, 1]
    assert len(np.unique(forward)) == len(forward)
    assert np.array_equal(np.sort(forward), np.sort(ends[:, 1] * 10**6 + ends[:, 0]))


@pytest.mark.parametrize("twist", [0.0, 0.6])
@pytest.mark.parametrize("seed", range(4))
def test_just_those_texels_are_faces_of_the_other_material(tmp_path: Path, twist: float, seed: int) -> None:
    model = box(tmp_path / "box.obj", twist)
    rng = np.random.default_rng(seed)
    covered = Sheet(KEY, SIZE, model, np.arange(model.triangle_count, dtype=np.int32)).covered
    area = (rng.random(SIZE.shape) < (0.02, 0.2, 0.5, 0.9)[seed]) & covered
    area[8, 8] = area[15, 15] = True  # in corners of a face, and at both ends of its diagonal
    made = cut(model, area)
    new = made.model
    no_cracks(new)
    surface, flat = areas(new)
    before, laid = areas(model)
    # Each old face is still all there, on the surface and in UV space, and nothing is turned over.
    assert np.allclose(np.bincount(made.origin, surface), before, rtol=1e-9)
    assert np.allclose(np.bincount(made.origin, flat), laid, rtol=1e-9) and (flat * laid[made.origin] > 0).all()
    glow = new.material == new.materials.index("glow")
    assert np.isclose(np.abs(flat[glow]).sum(), area.sum())
    for name, chosen, wanted in (("glow", glow, area), ("skin", ~glow, covered & ~area)):
        sheet = Sheet(SheetKey(name, 1001), SIZE, new, np.flatnonzero(chosen).astype(np.int32))
        assert np.array_equal(sheet.covered, wanted)
    # Every new corner lies where its UV lay before.
    at = made.origin
    e = model.uv[at][:, 1:] - model.uv[at][:, :1]
    shares = np.linalg.solve(e.transpose(0, 2, 1), (new.uv - model.uv[at][:, :1]).transpose(0, 2, 1))
    c = model.corners[at]
    places = c[:, :1] + np.einsum("nkj,nkd->njd", shares, c[:, 1:] - c[:, :1])
    assert np.abs(places - new.corners).max() < 1e-8


def test_few_texels_make_few_faces_and_others_stay_as_they_are(tmp_path: Path) -> None:
    model = box(tmp_path / "box.obj")
    area = np.zeros(SIZE.shape, bool)
    area[10:12, 10:14] = True
    made = cut(model, area)
    assert 2 <= (made.model.material == 1).sum() <= 8  # one rectangle, cut by the quad's diagonal
    whole = np.bincount(made.origin) == 1
    assert whole.sum() >= 8  # the other sides of the box
    with pytest.raises(CommandError, match="none of the chosen texels"):
        cut(model, np.zeros(SIZE.shape, bool))


@lru_cache
def fewest(rows: tuple[tuple[bool, ...], ...]) -> int:
    """By trying all rectangles that begin at the first texel which is left."""
    area = np.array(rows)
    left = np.argwhere(area)
    if not len(left):
        return 0
    r, c = left[0]
    best = len(left)
    for high in range(1, area.shape[0] - r + 1):
        for wide in range(1, area.shape[1] - c + 1):
            if not area[r : r + high, c : c + wide].all():
                break
            rest = area.copy()
            rest[r : r + high, c : c + wide] = False
            best = min(best, 1 + fewest(tuple(map(tuple, rest.tolist()))))
    return best


@settings(max_examples=120, deadline=None)
@given(st.lists(st.lists(st.booleans(), min_size=5, max_size=5), min_size=4, max_size=4))
def test_rectangles_fill_an_area_once_and_there_are_no_fewer(rows: list[list[bool]]) -> None:
    area = np.array(rows)
    filled = np.zeros(area.shape, int)
    found = rectangles(area)
    for left, upper, right, lower in found.tolist():
        filled[upper:lower, left:right] += 1
    assert np.array_equal(filled, area.astype(int))
    assert len(found) == fewest(tuple(map(tuple, rows)))


@pytest.mark.parametrize("twist", [0.0, 0.6])
def test_a_cut_that_is_joined_again_is_the_model_as_it_came(tmp_path: Path, twist: float) -> None:
    box(tmp_path / "box.obj", twist)
    studio = Studio.new(tmp_path / "box.obj", sheet_size=SIZE)
    model, rng = studio.model, np.random.default_rng(7)
    layer = studio.execute(AddLayer("Art", Brushwork(), {})).layers[-1].id
    spots = np.argwhere(studio.surface.sheet(KEY, SIZE).covered)
    colours = {tuple(spot): f"#{rng.integers(0, 2**24):06x}" for spot in spots.tolist()}
    command = set_single(studio, layer, KEY, "colour", [(c, r, colour) for (r, c), colour in colours.items()])
    assert command is not None
    studio.execute(command)
    studio.execute(SaveSelection("front", pack_faces(np.arange(model.triangle_count) < 2)))
    area = rng.random(SIZE.shape) < 0.2
    area[10, 10] = True
    cut_off(studio, {KEY: area}, "glow")
    assert studio.model.triangle_count > model.triangle_count
    # What is painted on the cut faces since comes back with them.
    command = set_single(studio, layer, GLOW, "colour", [(10, 10, "#ff00ff")])
    assert command is not None
    studio.execute(command)
    studio.execute(prepare_join(studio, "glow").command)
    again = studio.model
    assert again.materials == model.materials and np.array_equal(again.triangles, model.triangles)
    assert np.array_equal(again.positions, model.positions) and np.allclose(again.uv, model.uv, atol=1e-9)
    shown = composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(KEY, SIZE), 8)
    expected = {**colours, (10, 10): "#ff00ff"}
    assert all("#{:02x}{:02x}{:02x}".format(*shown[spot]) == colour for spot, colour in expected.items())
    assert unpack_faces(studio.project.selections["front"], again.triangle_count).sum() == 2
    studio.save(tmp_path / "box.fern")
    assert np.array_equal(Studio.open(tmp_path / "box.fern").model.triangles, model.triangles)


def test_of_two_cuts_one_is_joined_and_the_other_stays(tmp_path: Path) -> None:
    box(tmp_path / "box.obj")
    studio = Studio.new(tmp_path / "box.obj", sheet_size=SIZE)
    areas_ = {name: np.zeros(SIZE.shape, bool) for name in ("glow", "brass")}
    areas_["glow"][10:12, 10:12] = areas_["brass"][14, 9] = areas_["brass"][10, 26] = True
    for name, area in areas_.items():
        cut_off(studio, {KEY: area}, name)
    studio.execute(prepare_join(studio, "glow").command)
    no_cracks(studio.model)
    assert studio.model.materials == ("skin", "brass")
    brass = studio.surface.sheet(SheetKey("brass", 1001), SIZE).covered
    assert np.array_equal(brass, areas_["brass"])
    with pytest.raises(CommandError, match="'glow'"):
        prepare_join(studio, "glow")
    with pytest.raises(CommandError, match="was cut off"):
        prepare_join(studio, "skin")


def test_what_is_painted_comes_along_though_sheets_were_painted_at_other_sizes(tmp_path: Path) -> None:
    box(tmp_path / "box.obj")
    studio = Studio.new(tmp_path / "box.obj", sheet_size=Extent(20, 12))
    studio.execute(SetPixelArt(str(KEY)))
    layer = studio.execute(AddLayer("Art", Brushwork(), {})).layers[-1].id
    command = set_single(studio, layer, KEY, "colour", [(5, 5, "#ff0000"), (6, 5, "#00ff00")])
    assert command is not None
    studio.execute(command)
    studio.execute(SetSheetSize(SIZE, str(KEY)))  # what is painted is still of the smaller one
    for square_ in ((slice(10, 12), slice(10, 12)), (slice(10, 12), slice(12, 14))):
        area = np.zeros(SIZE.shape, bool)
        area[square_] = True
        cut_off(studio, {KEY: area}, "glow")
    sheet = studio.surface.sheet(GLOW, SIZE)
    shown = composite_sheet(studio.sources, studio.project, "colour", sheet, 8)
    assert (shown[10:12, 10:12] == (255, 0, 0)).all() and (shown[10:12, 12:14] == (0, 255, 0)).all()
