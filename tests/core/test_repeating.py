"""UVs that repeat: one sheet, as games read it; model files as they came."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pygltflib
import pytest

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.layout.cutting import wrapped
from lucky_fern.core.layout.remedies import remedies
from lucky_fern.core.layout.repeats import repeats_of
from lucky_fern.core.model.load import load_model
from lucky_fern.core.project.commands import AddLayer, SaveSelection
from lucky_fern.core.project.document import Brushwork
from lucky_fern.core.project.layouts import RenameMaterial, Spread, Transform, Wrap
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import SheetKey, square
from lucky_fern.core.studio import Studio
from lucky_fern.core.texels.setting import set_single
from samples import Runner, read_png

# A path of 4 × 1 whose bricks repeat 3.5 × 1.25 times from a negative corner, and a lid on a tile of its own.
PATH = """o path
usemtl bricks
v 0 0 0
v 4 0 0
v 4 1 0
v 0 1 0
vt -0.5 0.25
vt 3 0.25
vt 3 1.5
vt -0.5 1.5
f 1/1 2/2 3/3 4/4
o lid
usemtl lid
v 0 2 0
v 1 2 0
v 1 3 0
vt 0.1 0.1
vt 0.9 0.1
vt 0.9 0.9
f 5/5 6/6 7/7
"""


@pytest.fixture
def path(tmp_path: Path) -> Path:
    file = tmp_path / "path.obj"
    file.write_text(PATH)
    return file


def test_paint_shows_on_all_repeats_at_once_and_files_keep_their_uvs(path: Path, run_job: Runner) -> None:
    steps = [
        {"do": "wash", "name": "Base", "values": {"colour": "#888888"}},
        {"do": "brushwork", "name": "Dots"},
        {"do": "texels", "layer": "Dots", "sheet": "bricks:1001", "draw": [[8, 16, "#ff0000"]]},
        {"do": "write-model", "out": "again.obj"},
    ]
    job = {"job": 1, "model": "path.obj", "wrap": ["bricks"], "sheet_size": 32, "steps": steps, "save": "a.fern",
           "exports": [{"preset": "gltf", "out": "maps"}]}  # fmt: skip
    result = run_job(job)
    assert result.returncode == 0, result.stderr
    assert {file.name for file in (path.parent / "maps").iterdir() if "bricks" in file.name} >= {
        "job_bricks_baseColor.png"}  # fmt: skip
    assert read_png(path.parent / "maps" / "job_bricks_baseColor.png")[16, 8].tolist()[:3] == [255, 0, 0]
    studio = Studio.open(path.parent / "a.fern")
    assert [str(key) for key in studio.surface.keys] == ["bricks:1001", "lid:1001"]
    # One spot of the sheet lies wherever the old UVs say, as often as they come by.
    model, old = studio.model, load_model(path)
    spot, times = np.array([8.5 / 32, 1 - 16.5 / 32]), 0
    for row in np.flatnonzero(model.material == 0):
        e = np.stack([model.uv[row, 1] - model.uv[row, 0], model.uv[row, 2] - model.uv[row, 0]], axis=1)
        b, c = np.linalg.solve(e, spot - model.uv[row, 0])
        if min(b, c, 1 - b - c) >= 0:
            place = model.corners[row].T @ [1 - b - c, b, c]
            uv = (-0.5 + place[0] * 3.5 / 4, 0.25 + place[1] * 1.25)
            assert np.allclose(np.mod(uv, 1), spot)
            times += 1
    assert times == 6  # u = 0.27, 1.27, 2.27 at v = 0.48 and 1.48
    again = load_model(path.parent / "again.obj")
    assert again.triangle_count == 3 and np.allclose(np.sort(again.uv.ravel()), np.sort(old.uv.ravel()))
    glb = pygltflib.GLTF2().load(str(path.parent / "maps" / "job.glb"))
    ends = {glb.materials[number].name: glb.samplers[glb.textures[
        glb.materials[number].pbrMetallicRoughness.baseColorTexture.index].sampler].wrapS
        for number in range(2)}  # fmt: skip
    assert ends == {"bricks": pygltflib.REPEAT, "lid": pygltflib.CLAMP_TO_EDGE}
    accessor = glb.accessors[glb.meshes[0].primitives[0].attributes.TEXCOORD_0]
    assert accessor.count == 4


def test_it_is_one_step_is_proposed_and_ends_when_those_faces_are_moved(path: Path) -> None:
    studio = Studio.new(path, sheet_size=32)
    finding = next(one for one in check_layout(studio.surface, studio.project.size_of) if one.kind == "crossing")
    first = remedies(studio.surface, studio.project.size_of, finding)[0]
    assert isinstance(first.edit, Wrap)
    chosen = studio.model.material == 0
    (note,) = studio.lay_out(first.edit, chosen)
    assert "UVs of bricks repeat" in note and len(studio.surface.keys) == 2
    assert studio.model.triangle_count > 3
    studio.lay_out(RenameMaterial("bricks", "cobbles"))
    assert studio.model.repeats == {"cobbles": "bricks"}
    studio.lay_out(Transform(move=(0.01, 0.0)), studio.model.material == 0)
    assert studio.model.repeats == {}  # they are written as they lie now
    studio.jump(0)
    assert studio.model.triangle_count == 3 and len(studio.surface.keys) > 2


def test_faces_that_need_no_cut_do_not_count_against_a_wrap(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    text = "o wall\nusemtl bricks\nvt 0.2 0.2\nvt 0.8 0.2\nvt 0.8 0.8\nvt 0.5 0.2\nvt 1.5 0.2\nvt 1.5 0.8\n"
    for n in range(30):  # all within tile 1001 but the last, which reaches into its neighbour
        first, places = 3 * n + 1, (4, 5, 6) if n == 29 else (1, 2, 3)
        text += f"v {n} 0 0\nv {n} 1 0\nv {n} 0 1\nf " + " ".join(
            f"{first + k}/{place}" for k, place in enumerate(places)) + "\n"  # fmt: skip
    file = tmp_path / "wall.obj"
    file.write_text(text)
    monkeypatch.setattr("lucky_fern.core.layout.cutting._MOST_PIECES", 10)
    made = wrapped(load_model(file), ("bricks",)).model
    assert made.triangle_count > 30 and made.uv.min() >= -1e-9 and made.uv.max() <= 1 + 1e-9


def test_a_switch_gives_the_tiles_back_and_they_look_as_before(path: Path) -> None:
    studio = Studio.new(path, sheet_size=32)
    before = studio.model
    assert repeats_of(before) == (("bricks", 8, False),)
    studio.execute(SaveSelection("wall", pack_faces(before.material == 0)))
    studio.lay_out(Wrap(("bricks",)))
    assert repeats_of(studio.model) == (("bricks", 8, True),)
    layer = studio.execute(AddLayer("Dots", Brushwork(), {})).layers[-1].id
    key = SheetKey("bricks", 1001)
    edit = set_single(studio, layer, key, "colour", [(8, 16, "#ff0000"), (31, 0, "#00ff00")])
    assert edit is not None
    studio.execute(edit)
    one = composite_sheet(studio.sources, studio.project, "colour", studio.surface.sheet(key, square(32)), 8)
    studio.lay_out(Spread("bricks"))
    after = studio.model
    assert not after.repeats and after.triangle_count == before.triangle_count
    assert np.array_equal(after.corners, before.corners) and np.array_equal(after.uv, before.uv)
    assert unpack_faces(studio.project.selections["wall"], after.triangle_count).sum() == 2
    for other in (key for key in studio.surface.keys if key.material == "bricks"):
        sheet = studio.surface.sheet(other, studio.project.size_of(other))
        values = composite_sheet(studio.sources, studio.project, "colour", sheet, 8)
        assert sheet.size == square(32) and (values[sheet.covered] == one[sheet.covered]).all()
    studio.save(path.with_suffix(".fern"))
    again = Studio.open(path.with_suffix(".fern"))
    assert np.allclose(again.model.uv, after.uv)
    with pytest.raises(CommandError, match="do not repeat"):
        studio.lay_out(Spread("bricks"))


@pytest.mark.parametrize(
    "corners, seems",
    [
        ([(0.1, 0.1)], False), ([(0.1, 0.1), (1.1, 0.1), (2.1, 0.1), (0.1, 1.1)], False),  # tiles in their order
        ([(-0.9, 0.1)], True), ([(0.1, 0.1), (3.1, 0.1)], True), ([(0.1, 0.1), (0.1, 2.1)], True), ([(0.7, 0.1)], True),
        ([(10.1, 0.1)], True),
    ],
)  # fmt: skip
def test_layouts_over_tiles_are_told_from_uvs_that_repeat(
    tmp_path: Path, corners: list[tuple[float, float]], seems: bool
) -> None:
    text = ""
    for n, (u, v) in enumerate(corners):
        text += "".join(f"v {n * 2 + x} {y} 0\nvt {u + 0.5 * x} {v + 0.5 * y}\n" for x, y in ((0, 0), (1, 0), (0, 1)))
    text += "".join(
        "f " + " ".join(f"{3 * n + k}/{3 * n + k}" for k in (1, 2, 3)) + "\n" for n in range(len(corners))
    )
    (tmp_path / "some.obj").write_text(text)
    assert bool(repeats_of(load_model(tmp_path / "some.obj"))) is seems
