"""Reading models: everything a file says survives, and what is wrong is named."""

from __future__ import annotations

import json
import struct
from dataclasses import fields
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import example, given, settings
from hypothesis import strategies as st

from lucky_fern.core.errors import ModelError
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.model.obj import read_obj
from lucky_fern.core.sheets.grid import all_chunks, span, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.demo.models import marsh_hen, soup_flask, tea_kettle


def load(tmp_path: Path, text: str, name: str = "thing.obj") -> Model:
    (tmp_path / name).write_text(text)
    return load_model(tmp_path / name)


def test_obj_keeps_corner_uvs_groups_materials_and_polygons(tmp_path: Path) -> None:
    model = load(tmp_path, """
o ship\ng bow
v 0 0 0\nv 1 0 0\nv 1 1 0\nv .5 .4 0\nv 0 1 0
vt 1.1 0.1\nvt 1.9 0.1\nvt 1.9 0.9\nvt 1.5 0.4\nvt 1.1 0.9
usemtl red paint
f -5/-5 -4/-4 -3/-3 -2/-2 -1/-1
g stern
v 0 0 1\nv 1 0 1\nv 1 1 1
usemtl blue
f 6/1 7/2 8/3
""")  # fmt: skip
    assert model.parts == ("ship/bow", "ship/stern")
    assert model.materials == ("red paint", "blue")
    # The pentagon has a notch: cut into triangles it must keep its area and its turn.
    bow = model.corners[model.part == 0]
    area = np.cross(bow[:, 1] - bow[:, 0], bow[:, 2] - bow[:, 0])[:, 2] / 2
    assert (area > 0).all() and area.sum() == pytest.approx(0.7)
    assert len(model.outline_edges) == 5 + 3
    assert [str(key) for key in Surface(model).keys] == ["red paint:1002", "blue:1002"]


@pytest.mark.parametrize(
    ("text", "line", "word"),
    [
        ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n", "line 4", "vertex 4"),
        ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 -7\n", "line 4", "vertex -7"),
        ("v 0 0 0\nv 1 x 0\n", "line 2", "not a number"),
        ("v 0 0\n", "line 1", "3 numbers"),
        ("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1/1 2/1 3/1\n", "line 4", "texture coordinate"),
    ],
)
def test_a_broken_obj_is_refused_with_file_and_line(tmp_path: Path, text: str, line: str, word: str) -> None:
    with pytest.raises(ModelError) as caught:
        load(tmp_path, text)
    assert "thing.obj" in str(caught.value) and line in str(caught.value) and word in str(caught.value)


def test_nan_positions_and_flat_faces_are_left_out_with_a_warning(tmp_path: Path) -> None:
    model = load(tmp_path, "v 0 0 0\nv 1 0 0\nv 0 1 0\nv nan 0 0\nf 1 2 3\nf 1 2 4\nf 1 2 2\n")
    assert model.triangle_count == 1
    assert any("not a number" in text for text in model.warnings)
    assert any("without area" in text for text in model.warnings)
    assert any("no UVs" in text and "thing.obj" in text for text in model.uv_warnings)
    assert Surface(model).keys == ()


def test_missing_normals_are_smooth_on_a_sphere_and_sharp_on_a_cube(tmp_path: Path) -> None:
    sphere = trimesh.creation.icosphere(subdivisions=3)
    sphere.export(tmp_path / "ball.obj", include_normals=False)
    model = load_model(tmp_path / "ball.obj")
    exact = model.corners / np.linalg.norm(model.corners, axis=2, keepdims=True)
    assert np.degrees(np.arccos(np.clip((exact * model.normals).sum(2), -1, 1))).max() < 1.0
    trimesh.creation.box().export(tmp_path / "cube.obj", include_normals=False)
    cube = load_model(tmp_path / "cube.obj")
    assert np.allclose(cube.normals, cube.face_normals[:, None, :], atol=1e-6)


def test_tangents_follow_u_and_turn_their_sign_on_mirrored_islands(tmp_path: Path) -> None:
    model = load(tmp_path, """v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0
vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1
f 1/1 2/2 3/3 4/4
f 2/2 5/1 6/4 3/3
""")  # fmt: skip
    left, right = model.polygon == 0, model.polygon == 1
    assert np.allclose(model.tangents[left], [1, 0, 0, 1], atol=1e-6)
    assert np.allclose(model.tangents[right], [-1, 0, 0, -1], atol=1e-6)


def test_tangents_of_a_cylinder_equal_the_derivative_of_its_surface(tmp_path: Path) -> None:
    angle = np.linspace(0, 2 * np.pi, 65)
    lines = [
        f"v {np.sin(a)} {y} {np.cos(a)}\nvt {a / 7} {y}\nvn {np.sin(a)} 0 {np.cos(a)}" for y in (0, 1) for a in angle
    ]
    lines += [
        f"f {k}/{k}/{k} {k + 1}/{k + 1}/{k + 1} {k + 66}/{k + 66}/{k + 66} {k + 65}/{k + 65}/{k + 65}"
        for k in range(1, 65)
    ]
    model = load(tmp_path, "\n".join(lines))
    seam = (np.abs(model.uv[..., 0] - 0) < 1e-9) | (np.abs(model.uv[..., 0] - 2 * np.pi / 7) < 1e-6)
    exact = np.stack([model.normals[..., 2], 0 * model.normals[..., 0], -model.normals[..., 0]], axis=2)
    deviation = np.degrees(np.arccos(np.clip((exact * model.tangents[..., :3]).sum(2), -1, 1)))
    assert deviation[~seam].max() < 0.1  # the average of two faces is the tangent between them
    assert deviation[seam].max() < 3.0  # at the UV seam only one face counts, half a step (2.8°) off


def test_glb_with_transforms_strides_and_two_meshes_reads_as_in_an_independent_reader(tmp_path: Path) -> None:
    scene = trimesh.Scene()
    box = trimesh.creation.box(extents=(1, 2, 3))
    box.visual = trimesh.visual.TextureVisuals(uv=np.random.default_rng(1).random((len(box.vertices), 2)))
    turn = trimesh.transformations.rotation_matrix(0.7, [0, 1, 0], [1, 2, 3])
    scene.add_geometry(box, node_name="hold", transform=turn)
    mirror = np.diag([-2.0, 1, 1, 1])
    mirror[:3, 3] = 5, 0, 0
    scene.add_geometry(box.copy(), node_name="twin", transform=mirror)
    (tmp_path / "two.glb").write_bytes(scene.export(file_type="glb"))
    model = load_model(tmp_path / "two.glb")
    other = trimesh.load(tmp_path / "two.glb", force="scene").to_mesh()
    assert model.parts == ("hold", "twin")
    assert np.allclose(model.bounds, other.bounds, atol=1e-5)
    volume = (model.corners[:, 0] * np.cross(model.corners[:, 1], model.corners[:, 2])).sum() / 6
    assert volume == pytest.approx(6 + 12, rel=1e-5)  # the mirrored one is turned right side out
    assert model.uv.min() >= 0 and model.uv.max() <= 1


@pytest.mark.parametrize("data", [b"", b"glTF", b"not a model", b'{"asset": {"version": "2.0"}}'])
def test_a_damaged_glb_gives_a_sentence(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "bad.glb").write_bytes(data)
    with pytest.raises(ModelError, match=r"bad\.glb"):
        load_model(tmp_path / "bad.glb")


def test_gltf_beside_its_buffer_loads_and_a_missing_buffer_is_named(tmp_path: Path) -> None:
    data = struct.pack("<9f", 0, 0, 0, 1, 0, 0, 0, 1, 0) + struct.pack("<6f", 0, 1, 1, 1, 0, 0)
    document = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "scene": 0, "nodes": [{"mesh": 0, "name": "flag"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}}]}],
        "buffers": [{"uri": "flag.bin", "byteLength": len(data)}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 24}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
                      {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC2"}],
    }  # fmt: skip
    (tmp_path / "flag.gltf").write_text(json.dumps(document))
    with pytest.raises(ModelError, match=r"flag\.bin"):
        load_model(tmp_path / "flag.gltf")
    (tmp_path / "flag.bin").write_bytes(data)
    model = load_model(tmp_path / "flag.gltf")
    assert np.allclose(sorted(model.uv[0].tolist()), [[0, 0], [0, 1], [1, 0]])  # v counted upwards
    assert model.materials == ("default",)


@pytest.mark.parametrize("make", [soup_flask, tea_kettle, marsh_hen])
def test_demo_models_are_clean_and_only_the_life_rings_share_uv_space(tmp_path: Path, make) -> None:
    make(tmp_path / "demo.obj")
    model = load_model(tmp_path / "demo.obj")
    surface = Surface(model)
    assert model.warnings == () and surface.placement.warnings == ()
    for key in surface.keys:
        sheet = surface.sheet(key, square(1024))
        owners = np.zeros((1024, 1024), np.int32)
        for part in range(len(model.parts)):
            if model.parts[part] == "life ring":
                continue

            for chunk in all_chunks(square(1024)):
                owners[span(chunk, square(1024))] += sheet.owners(chunk, (model.part == part)[sheet.triangle]) >= 0
        assert owners.max() <= 1, key


def test_material_colours_come_from_mtl_and_a_missing_library_is_named(tmp_path: Path) -> None:
    text = "mtllib paint.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl hull\nf 1 2 3\n"
    assert any("paint.mtl" in warning for warning in load(tmp_path, text).warnings)
    (tmp_path / "paint.mtl").write_text("newmtl other\nKd 0 0 0\nnewmtl hull\nKd 0.2 0.4 1\n")
    model = load(tmp_path, text)
    assert model.colours == {"hull": "#3366ff"} and not any("paint.mtl" in warning for warning in model.warnings)


_NUMBERS = st.sampled_from([
    "0", "1", "-1", ".5", "5.", "-0.25", "+2", "1e3", "1E-3", "-2.5e+2", "1e30", "0.1234567890123456789",
    "9007199254740993", "3.3333333", "1e", "-", ".", "x", "nan", "1_0", "1,5",
])  # fmt: skip
_CORNERS = st.sampled_from(
    ["1", "2", "3", "-1", "-2", "1/1", "2/2/1", "3//1", "1/", "/1", "1//", "0", "9", "+1", "1/2/1/7", "a"]
)
_GAPS = st.sampled_from([" ", "  ", "\t"])


@st.composite
def _obj_lines(draw: st.DrawFn) -> str:
    word, most, of = draw(st.sampled_from([("v", 8, _NUMBERS), ("vt", 4, _NUMBERS), ("vn", 4, _NUMBERS), ("f", 6, _CORNERS),
                                           ("f", 4, _CORNERS), ("g", 2, _CORNERS), ("usemtl", 1, _CORNERS), ("#", 2, _CORNERS)]))  # fmt: skip
    parts = draw(st.lists(of, min_size=0 if draw(st.booleans()) else most - 1, max_size=most))
    gap = draw(_GAPS)
    return (
        draw(st.sampled_from(["", "", " "])) + gap.join([word, *parts]) + draw(st.sampled_from(["", "", " ", "\r"]))
    )


@example(["v 0 0 0 0 nan inf"])
@settings(max_examples=400, deadline=None)
@given(st.lists(_obj_lines(), max_size=14))
def test_long_runs_of_an_obj_are_read_as_its_lines_are_one_by_one(lines: list[str]) -> None:
    usual = {"v": "v 1.5 -2 1e-2", "vt": "vt .5 1", "vn": "vn 0 0 1", "f": "f 1 2/2 -1//-1"}
    head = [usual[word] for word in ("v", "v", "v", "vt", "vt", "vn", "vn")]
    # Each stands among many of its kind, so that it ends a run and another one follows.
    among = [[usual.get(line.split()[0], "# ")] * 40 for line in lines]
    text = "\n".join([*head, *(one for line, most in zip(lines, among, strict=True) for one in (*most, line, *most))])

    def read(mark: str) -> object:
        try:
            raw = read_obj(f"# {mark}\n{text}".encode(), "x.obj")
        except ModelError as error:
            return str(error)
        return {one.name: getattr(raw, one.name) for one in fields(raw)}

    runs, single = read("u"), read("ü")  # beyond plain letters each line is read by itself
    if isinstance(runs, str) or isinstance(single, str):
        assert runs == single
        return
    for name, value in runs.items():
        if isinstance(value, np.ndarray):
            assert value.dtype == single[name].dtype
            assert np.array_equal(value, single[name], equal_nan=value.dtype.kind == "f"), name
        else:
            assert value == single[name], name
