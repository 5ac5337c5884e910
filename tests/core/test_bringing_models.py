"""Models of every kind come in and go out whole; their pictures and colours start the stack; newer versions replace."""

from __future__ import annotations

import struct
from pathlib import Path
from xml.etree import ElementTree

import cv2
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from cubes import begun, box
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import ModelError
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.exporting.model_files import model_files
from lucky_fern.core.exporting.vertex_colours import vertex_colours
from lucky_fern.core.incoming import first_washes, point_at, prepare_replacement
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.layout.guide import GuideLook, draw_guide, guide_svg
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.ply_rows import Lists, read_rows
from lucky_fern.core.model.subdivide import subdivided
from lucky_fern.core.project.commands import AddLayer, KeepSlide, SaveSelection
from lucky_fern.core.project.document import Channel, Decal, Slide, Wash
from lucky_fern.core.project.export_setup import ExportSetup
from lucky_fern.core.project.layouts import GiveMaterial, Transform
from lucky_fern.core.project.places import Along, Throw
from lucky_fern.core.sheets.faces import pack_faces, unpack_faces
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from samples import PLANE, read_png, save_png, soft_noise
from small_models import SIDE_BY_SIDE

RED = np.full((8, 8, 3), (200, 30, 20), np.uint8)


def map_of(studio: Studio, name: str = "colour", bits: int = 8) -> np.ndarray:
    key = studio.surface.keys[0]
    sheet = studio.surface.sheet(key, studio.project.size_of(key))
    return composite_sheet(studio.sources, studio.project, name, sheet, bits)


def board(folder: Path, mtl: str, name: str = "board.obj") -> Path:
    (folder / name).write_text("mtllib board.mtl\n" + PLANE)
    (folder / "board.mtl").write_text("newmtl paint\n" + mtl)
    return folder / name


def test_ply_and_stl_come_in_with_colours_and_without_uvs(tmp_path: Path) -> None:
    ply = (
        "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
        "property uchar red\nproperty uchar green\nproperty uchar blue\nproperty float s\nproperty float t\n"
        "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
        "0 0 0 255 0 0 0 0\n2 0 0 0 255 0 1 0\n2 1 0 0 0 255 1 1\n0 1 0 255 255 255 0 1\n4 0 1 2 3\n"
    )
    (tmp_path / "a.ply").write_text(ply)
    model = load_model(tmp_path / "a.ply")
    assert model.triangle_count == 2 and len(np.unique(model.polygon)) == 1 and model.has_uv.all()
    assert model.corner_colours is not None
    found = {tuple(p): c[:3].tolist() for p, c in zip(model.corners.reshape(-1, 3), model.corner_colours.reshape(-1, 4), strict=True)}  # fmt: skip
    assert found[2, 1, 0] == [0, 0, 255] and found[0, 0, 0] == [255, 0, 0]
    facet = struct.pack("<12fH", 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0)
    (tmp_path / "b.stl").write_bytes(b"\0" * 80 + struct.pack("<I", 1) + facet)
    bare = load_model(tmp_path / "b.stl")
    assert bare.triangle_count == 1 and not bare.has_uv.any()
    (tmp_path / "c.ply").write_text(ply.replace("element face 1", "element face 0").replace("4 0 1 2 3\n", ""))
    (tmp_path / "d.stl").write_bytes(b"solid nothing\nendsolid\n")
    for name, word in (("c.ply", "without faces"), ("d.stl", "d.stl")):
        with pytest.raises(ModelError, match=word):
            load_model(tmp_path / name)


def test_pictures_that_materials_name_are_found_and_missing_ones_can_be_pointed_at(tmp_path: Path) -> None:
    (tmp_path / "textures").mkdir()
    save_png(tmp_path / "textures" / "Paint Colour.png", RED)
    save_png(tmp_path / "elsewhere.png", np.full((8, 8, 3), 51, np.uint8))
    path = board(tmp_path, "map_Kd C:\\work\\textures\\paint colour.png\nmap_Pr -bm 1 gone\\rough.png\n")
    studio = Studio.new(path, sheet_size=64)
    missing = first_washes(studio, tmp_path)
    assert [(one.map, one.file) for one in missing] == [("roughness", "gone\\rough.png")]
    assert (map_of(studio)[20:40, 20:40] == (200, 30, 20)).all() and len(studio.project.layers) == 1
    point_at(studio, missing[0], tmp_path / "elsewhere.png")
    assert len(studio.project.layers) == 1 and set(studio.project.layers[0].channels) == {"colour", "roughness"}
    assert np.allclose(map_of(studio, "roughness")[20:40, 20:40], 51)


def test_models_written_come_back_as_they_were(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=64)
    studio.lay_out(Transform(rotate=90, about=(0.5, 0.5)))
    studio.lay_out(GiveMaterial("glass"), studio.model.part == 1)
    for ending in ("obj", "glb", "ply"):
        for name, data in model_files(studio.model, f"out.{ending}").items():
            (tmp_path / name).write_bytes(data)
        again = load_model(tmp_path / f"out.{ending}")

        def corners(model):
            """Each corner as a row of position and UV, sorted: the same however points are shared."""
            rows = np.concatenate([model.corners, model.uv], axis=2).reshape(-1, 5).round(5) + 0.0
            return rows[np.lexsort(rows.T)]

        assert np.allclose(corners(again), corners(studio.model), atol=1e-5), ending
        if ending != "ply":
            assert again.materials == ("paint", "glass") and again.parts == ("left", "right")
            assert (again.material == again.part).all()
    scene = trimesh.load(tmp_path / "out.glb")  # another reader, too
    assert sum(len(mesh.faces) for mesh in scene.geometry.values()) == 4


def test_vertex_colours_go_in_and_out_and_what_they_cannot_hold_is_measured(tmp_path: Path) -> None:
    lines = ["v 0 0 0 1 0 0", "v 1 0 0 0 1 0", "v 1 1 0 0 0 1", "v 0 1 0 1 1 1"]
    text = "\n".join([*lines, "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"])
    (tmp_path / "c.obj").write_text(text)
    studio = Studio.new(tmp_path / "c.obj", sheet_size=64)
    studio.execute(AddLayer("Points", Wash(), {"colour": Channel("vertices")}))
    shown = map_of(studio).astype(int)
    assert np.abs(shown[63, 0] - (255, 0, 0)).max() < 25 and np.abs(shown[0, 63] - (0, 0, 255)).max() < 25
    out = vertex_colours(studio.sources, studio.project)
    assert out.warning is None
    by_place = {tuple(p): c for p, c in zip(studio.model.corners.reshape(-1, 3), out.colours.reshape(-1, 4).astype(int), strict=True)}  # fmt: skip
    for place, colour in (((0, 0, 0), (255, 0, 0)), ((1, 0, 0), (0, 255, 0)), ((1, 1, 0), (0, 0, 255))):
        assert np.abs(by_place[place][:3] - colour).max() < 25
    # Fine stripes are more than four points can hold; a finer copy holds more of them.
    stripes = np.zeros((64, 64, 3), np.uint8)
    stripes[:, ::16] = stripes[:, 1::16] = stripes[:, 2::16] = 255
    picture = studio.add_picture(save_png(tmp_path / "s.png", stripes))
    studio.execute(AddLayer("Stripes", Wash(), {"colour": Channel("picture", picture=picture)}))
    coarse = vertex_colours(studio.sources, studio.project)
    fine = vertex_colours(studio.sources, studio.project, subdivided(studio.model, 4))
    assert coarse.warning is not None and "sparse" in coarse.warning and coarse.lost > 0.05
    assert fine.lost < coarse.lost
    (tmp_path / "o.ply").write_bytes(model_files(studio.model, "o.ply", out.colours)["o.ply"])
    again = load_model(tmp_path / "o.ply")
    assert again.corner_colours is not None and again.corner_colours[..., :3].max() > 200


def test_a_newer_version_keeps_paint_poses_and_selections_and_tells_what_moved(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=128)
    picture = studio.add_picture(save_png(tmp_path / "p.png", soft_noise((16, 16))))
    throw = Throw((0.5, 1, 0), (0, 0, 1), (0, 1, 0), 0.6, depth=0.5)
    studio.execute(AddLayer("Crest", Decal(picture, throw), {"colour": Channel("picture")}))
    stripe = Along(((0.1, 0.3, 0), (0.9, 0.3, 0)), ((0, 0, 1), (0, 0, 1)), 0.2, corner=0.1)
    studio.execute(AddLayer("Stripe", Decal(picture, stripe), {"colour": Channel("picture")}))
    studio.execute(KeepSlide("front", Slide(picture, Throw((0, 1, 0), (0, 0, 1), (0, 1, 0), 1.0, lens=4.0))))
    studio.execute(SaveSelection("right", pack_faces(studio.model.part == 1)))
    before = map_of(studio)

    def newer(text: str) -> tuple[str, ...]:
        (tmp_path / "new.obj").write_text(text)
        made = prepare_replacement(studio, tmp_path / "new.obj")
        studio.execute(made.command)
        return made.notes

    assert newer(SIDE_BY_SIDE) == ("all paint lies where it lay",)
    assert np.array_equal(map_of(studio), before)
    # The right half is moved away, and a third part comes before it: the selection follows the surface.
    moved = SIDE_BY_SIDE.replace("v 3 0 0", "v 3 0 1").replace("v 3 2 0", "v 3 2 1")
    notes = newer(moved)
    assert any("lies elsewhere" in note and "right" in note for note in notes)
    studio.jump(studio.history.at - 1)
    # The same in inches: everything placed is converted.
    inches = "\n".join(
        " ".join(["v", *(str(float(x) * 39.37) for x in line.split()[1:])]) if line.startswith("v ") else line
        for line in SIDE_BY_SIDE.splitlines()
    )
    notes = newer(inches)
    assert any("39.37×" in note for note in notes) and not any("elsewhere" in note for note in notes)
    place = studio.project.layers[0].content.place
    longer = studio.project.layers[1].content.place
    assert (longer.width, longer.corner, longer.points[1][0]) == pytest.approx(
        (0.2 * 39.37, 0.1 * 39.37, 0.9 * 39.37)
    )
    assert studio.project.slides["front"].place.lens == pytest.approx(4 * 39.37)
    assert place.width == pytest.approx(0.6 * 39.37) and place.point[1] == pytest.approx(39.37)
    assert np.abs(map_of(studio).astype(int) - before).max() <= 1
    faces = unpack_faces(studio.project.selections["right"], studio.model.triangle_count)
    assert np.array_equal(faces, studio.model.part == 1)
    studio.jump(0)
    assert studio.model.bounds.max() == pytest.approx(3)


def test_a_guide_shows_islands_where_they_lie_and_never_gets_into_exports(tmp_path: Path) -> None:
    (tmp_path / "two.obj").write_text(SIDE_BY_SIDE)
    studio = Studio.new(tmp_path / "two.obj", sheet_size=64)
    key, before = studio.surface.keys[0], studio.project
    drawn = draw_guide(studio.surface, key, GuideLook(size=200, line=2, fill="islands", numbers=False))
    # The left island covers u 0.02 … 0.48, the right one 0.50 … 0.98; v 0.02 … 0.98.
    assert drawn.shape == (200, 200, 4) and drawn[100, 50, 3] == 255 and drawn[1, 100, 3] == 0
    columns = np.flatnonzero(drawn[100, :, 3])
    assert abs(columns.min() - 4) <= 2 and abs(columns.max() - 196) <= 2
    lined = draw_guide(studio.surface, key, GuideLook(size=200, fill="none", wires=True, numbers=False))
    assert lined[100, 50, 3] == 0 and lined[4, 50, 3] > 0
    plain = draw_guide(studio.surface, key, GuideLook(size=64, transparent=False))
    assert (plain[..., 3] == 255).all()
    svg = ElementTree.fromstring(guide_svg(studio.surface, key, GuideLook(size=200)))
    assert svg.tag.endswith("svg") and [one.text for one in svg.iter() if one.tag.endswith("text")] == ["1", "2"]
    assert studio.project is before
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#336699")}))
    export(studio.sources, studio.project, ExportSetup("separate", str(tmp_path)), "two", tmp_path / "maps")
    written = read_png(next((tmp_path / "maps").glob("*baseColor*")))
    assert (written == (0x33, 0x66, 0x99)).all()


def test_pictures_inside_a_glb_start_the_stack(tmp_path: Path) -> None:
    mesh = trimesh.creation.box()
    uv = np.random.default_rng(3).uniform(0.1, 0.9, (len(mesh.vertices), 2))
    image = Image.fromarray(RED)
    material = trimesh.visual.material.PBRMaterial(name="skin", baseColorTexture=image)
    mesh.visual = trimesh.visual.TextureVisuals(uv=uv, material=material)
    (tmp_path / "box.glb").write_bytes(mesh.export(file_type="glb"))
    studio = Studio.new(tmp_path / "box.glb", sheet_size=64)
    assert first_washes(studio, tmp_path) == []
    covered = studio.surface.sheet(studio.surface.keys[0], square(64)).covered
    assert np.abs(map_of(studio)[covered].astype(int) - RED[0, 0]).max() <= 1
    assert cv2.imdecode(np.frombuffer(studio.blobs[next(iter(studio.project.pictures.values())).digest], np.uint8), 1) is not None  # fmt: skip


def test_lengths_of_rules_and_edgings_follow_a_model_that_comes_back_in_other_units(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"), 64)
    for step in ({"do": "edging", "name": "Seam", "along": "islands", "offset": 0.1, "length": 0.2, "width": 0.1},
                 {"do": "mask", "layer": "Seam", "kind": "rule", "rule": "seams", "reach": 0.4},
                 {"do": "mask", "layer": "Seam", "kind": "rule", "rule": "height", "from": 0.2, "to": 0.8}):  # fmt: skip
        do_step(studio, step, tmp_path)
    before = map_of(studio)
    studio.execute(prepare_replacement(studio, box(tmp_path / "millimetres.obj", scale=1000)).command)
    edging = studio.project.layers[-1].content
    assert (edging.offset, edging.length, edging.gap) == (100, 200, None)
    rules = [entry.shape.rule for mask in studio.project.masks.values() for entry in mask.entries]
    assert rules[0].reach == 400 and (rules[1].start, rules[1].end) == (200, 800)
    assert np.abs(map_of(studio).astype(int) - before).max() <= 1


SORTS = {
    "char": "i1",
    "uchar": "u1",
    "short": "i2",
    "ushort": "u2",
    "int": "i4",
    "uint": "u4",
    "float": "f4",
    "double": "f8",
}
_columns = st.lists(
    st.tuples(st.sampled_from(list(SORTS)), st.sampled_from(["", "uchar", "ushort", "int"])), min_size=1, max_size=4
)


@settings(max_examples=150, deadline=None)
@given(st.data())
def test_rows_of_a_ply_are_read_as_they_were_written_in_any_form(data: st.DataObject) -> None:
    """Elements of any properties and lists, as words or as bytes of either order, against what was put in."""
    form = data.draw(st.sampled_from(["ascii", "binary_little_endian", "binary_big_endian"]))
    order = ">" if form == "binary_big_endian" else "<"
    head, body, wanted = [b"ply", f"format {form} 1.0".encode()], bytearray(), {}
    for name in ("vertex", "face", "rest")[: data.draw(st.integers(1, 3))]:
        columns, rows = data.draw(_columns), data.draw(st.integers(0, 5))
        head.append(f"element {name} {rows}".encode())
        for number, (sort, count) in enumerate(columns):
            head.append(f"property {f'list {count} ' if count else ''}{sort} p{number}".encode())
        for _ in range(rows):
            for number, (sort, count) in enumerate(columns):
                many = data.draw(st.integers(0, 4)) if count else 1
                values = np.array(data.draw(st.lists(st.integers(0, 100), min_size=many, max_size=many)), SORTS[sort])
                wanted.setdefault((name, number), []).append(values)
                if form == "ascii":
                    body += (" ".join([*([str(many)] if count else []), *map(str, values.tolist())]) + "\n").encode()
                else:
                    body += np.array([many] if count else [], order + SORTS[count or "int"]).tobytes()
                    body += values.astype(order + SORTS[sort]).tobytes()
    found = read_rows(head, bytes(body))
    for (name, number), values in wanted.items():
        column = found[name].columns[f"p{number}"]
        flat = column.items if isinstance(column, Lists) else column
        assert np.array_equal(flat, np.concatenate(values)) and flat.dtype == values[0].dtype
        if isinstance(column, Lists):
            assert column.counts.tolist() == [len(one) for one in values]


def test_a_ply_that_is_written_is_read_by_others(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    model = load_model(tmp_path / "plane.obj")
    (tmp_path / "plane.ply").write_bytes(model_files(model, "plane.ply")["plane.ply"])
    mesh = trimesh.load(tmp_path / "plane.ply", process=False)
    assert np.allclose(mesh.triangles, model.corners) and np.allclose(mesh.vertex_normals, [0, 0, 1])
    assert mesh.metadata["_ply_raw"]["vertex"]["properties"].keys() >= {"s", "t"}
