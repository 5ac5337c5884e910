"""Pictures that follow the surface: against planes, cylinders and spheres, where the truth is known."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.model.load import load_model
from lucky_fern.core.model.model import Model
from lucky_fern.core.pictures.picture import Picture, read_picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.placing.copies import mirror_twin, ring, row
from lucky_fern.core.placing.drape import drape
from lucky_fern.core.placing.facts import decal_facts
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.leaning import frames
from lucky_fern.core.placing.modes import put_on
from lucky_fern.core.placing.placed import draw_placed
from lucky_fern.core.placing.pose import in_mode, nudged
from lucky_fern.core.placing.roll import roll
from lucky_fern.core.placing.spots import spots
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Decal
from lucky_fern.core.project.places import Drape, OnSurface, Roll, Throw
from lucky_fern.core.sheets.grid import Chunk, square
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from round_models import NOISE, ball, drawn, tube
from samples import PLANE, Runner, read_png, save_png, soft_noise


@settings(max_examples=10, deadline=None)
@given(x=st.floats(-0.3, 0.3), y=st.floats(-0.3, 0.3), turn=st.floats(-180, 180), width=st.floats(0.3, 1.0))
def test_on_a_plane_a_draped_picture_is_a_thrown_one(
    tmp_path_factory: pytest.TempPathFactory, x: float, y: float, turn: float, width: float
) -> None:
    path = tmp_path_factory.mktemp("plane") / "plane.obj"
    path.write_text(PLANE)
    model = load_model(path)
    height = width * 0.6
    draped = drape(model, Drape((x, y, 0), (0, 0, 1), (0, 1, 0), width, rotate=turn), height)
    thrown = throw(model, Throw((x, y, 0), (0, 0, 1), (0, 1, 0), width, rotate=turn), height)
    rows = thrown.find(draped.rows)  # one or both of the board's triangles, as the picture lies
    assert len(rows) and (rows >= 0).all() and draped.lost == 0
    assert np.abs(draped.corners[:, :, :2] - thrown.corners[rows, :, :2]).max() < 1e-9 * 512
    assert draped.stretch == pytest.approx(1, abs=1e-6) and draped.lost == 0


@pytest.mark.parametrize(("sides", "turn"), [(96, 0.0), (96, 30.0), (16, 0.0)])
def test_on_a_cylinder_a_draped_picture_is_a_rolled_one(tmp_path: Path, sides: int, turn: float) -> None:
    model = tube(tmp_path, sides)
    width, height = 1.6, 0.8  # half the way round
    start = (0.0, 1.0, 0.5 * np.cos(np.pi / sides))
    draped = drape(model, Drape(start, (0, 0, 1), (0, 1, 0), width, height, turn), height)
    rolled = roll(model, Roll((0, 0, 0), (0, 1, 0), (0, 1, 0.5), width, height, turn), height)
    both = draped.reached & rolled.reached
    assert both.sum() > 0.9 * rolled.reached.sum() and draped.lost == 0 and draped.stretch < 1.02
    apart = draped.corners[both[draped.rows], :, :2] - rolled.corners[both[rolled.rows], :, :2]
    # Facets are a little shorter than their arcs.
    assert np.abs(apart).max() <= 0.01 * width + 0.8 * (1 - np.sinc(1 / sides))


def test_a_rolled_picture_lies_by_arc_and_height_and_closes_round_the_back(tmp_path: Path) -> None:
    model = tube(tmp_path, 96, 4)
    arc = 2 * np.pi * 0.5
    placed = roll(model, Roll((0, 5, 0), (0, 1, 0), (0, 1, 0.5), arc, 1.0), 1.0)
    out = drawn(model, placed, 256)
    assert (out[66:190, :, 3] > 254).all() and not out[:62, :, 3].any() and not out[194:, :, 3].any()
    # u runs once round from the back, as the picture does; its top is at height 1.5 of 2.
    whole = build_pyramid(NOISE, "colour")
    assert whole.width[0] == 160
    flat = drawn(
        load_plane(tmp_path), throw(load_plane(tmp_path), Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 2, 1), 1.0), 256
    )
    assert np.abs(out[66:190, 2:-2, :3] - flat[66:190, 2:-2, :3]).max() <= 2.5
    # A third of the way round only, and what faces inwards gets nothing.
    part = roll(model, Roll((0, 0, 0), (0, 1, 0), (0, 1, 0.5), arc / 3, 1.0), 1.0)
    shown = drawn(model, part, 256)[128, :, 3] > 127
    assert abs(shown.sum() - 256 / 3) <= 1 and shown[128] and not shown[:80].any()
    inside = Model(
        **{**{f: getattr(model, f) for f in model.__dataclass_fields__}, "triangles": model.triangles[:, ::-1]}
    )
    assert not roll(inside, Roll((0, 0, 0), (0, 1, 0), (0, 1, 0.5), arc / 3, 1.0), 1.0).reached.any()


def load_plane(folder: Path) -> Model:
    (folder / "plane.obj").write_text(PLANE)
    return load_model(folder / "plane.obj")


@pytest.mark.parametrize(("subdivisions", "share"), [(3, 0.3), (4, 0.3), (4, 0.45), (5, 0.3)])
def test_a_label_of_100_degrees_on_a_ball_keeps_its_shape(tmp_path: Path, subdivisions: int, share: float) -> None:
    model = ball(tmp_path, subdivisions)
    width = np.radians(100)
    place = Drape((0, 0, 1), (0, 0, 1), (0, 1, 0), width, width * share)
    placed = drape(model, place, width * share)
    rows = np.flatnonzero(placed.reached)
    flat, real = placed.corners[:, :, :2], model.corners[rows]
    stretch = []
    for one, there in zip(flat, real, strict=True):  # by singular values, from scratch
        basis, _ = np.linalg.qr(np.stack([there[1] - there[0], there[2] - there[0]], axis=1))
        plane = np.stack([there[1] - there[0], there[2] - there[0]], axis=1)
        singular = np.linalg.svd(
            np.stack([one[1] - one[0], one[2] - one[0]], axis=1) @ np.linalg.inv(basis.T @ plane)
        )[1]
        stretch.append(singular[0] / singular[1])
    middle = np.abs(flat.mean(axis=1)) <= np.array([width, width * share]) / 2
    inside = np.array(stretch)[middle.all(axis=1)]
    assert len(inside) > 20 and inside.max() <= 1.10 and placed.lost == 0
    assert placed.stretch == pytest.approx(max(stretch), rel=1e-6)
    areas = [np.cross(*(np.append(v, 0) for v in (one[1] - one[0], one[2] - one[0])))[2] for one in flat]
    assert min(areas) > 0  # nothing is mirrored


def test_a_picture_that_meets_an_edge_or_itself_says_how_much_is_lost(tmp_path: Path) -> None:
    model = load_plane(tmp_path)
    over = drape(model, Drape((0.75, 0, 0), (0, 0, 1), (0, 1, 0), 1.0, 1.0), 1.0)
    assert over.lost == pytest.approx(0.25, abs=0.03)
    beside = drape(model, Drape((5, 5, 0), (0, 0, 1), (0, 1, 0), 1.0, 1.0), 1.0)
    assert beside.lost == 1 and not beside.reached.any()
    pipe = tube(tmp_path, 48, 24, radius=0.1)
    round_it = drape(pipe, Drape((0, 1, 0.1), (0, 0, 1), (0, 1, 0), 0.9, 0.3), 0.3)
    # Once round is 0.628: a third of it has nowhere to go, and no texel is drawn on twice.
    assert round_it.lost == pytest.approx(1 - 0.628 / 0.9, abs=0.05)


def test_ways_of_placing_turn_into_each_other_and_stay_where_they_are(tmp_path: Path) -> None:
    model = tube(tmp_path)
    surface = Surface(model)
    thrown = Throw((0.3, 1.0, 0.4), (0.6, 0, 0.8), (0, 1, 0), 0.3, depth=0.2)
    place: OnSurface = thrown
    for mode, kind in (("drape", Drape), ("roll", Roll), ("lay", object), ("drape", Drape), ("throw", Throw)):
        changed = in_mode(surface, place, 0.18, mode)
        assert changed is not None and isinstance(changed, kind)
        place = changed
    assert isinstance(place, Throw)
    assert np.allclose(place.point, thrown.point, atol=5e-3) and place.width == pytest.approx(0.3, rel=0.02)
    rolled = in_mode(surface, thrown, 0.18, "roll")
    assert isinstance(rolled, Roll) and np.allclose(
        (rolled.axis, rolled.axis_point[0], rolled.axis_point[2])[0], (0, 1, 0)
    )
    assert abs(rolled.axis_point[0]) < 1e-6 and abs(rolled.axis_point[2]) < 1e-6


def test_draped_and_rolled_decals_are_saved_and_refused_where_they_make_no_sense(tmp_path: Path) -> None:
    tube(tmp_path)
    studio = Studio.new(tmp_path / "tube.obj", sheet_size=128)
    picture = studio.add_picture(save_png(tmp_path / "p.png", soft_noise((24, 40))))
    channels = {"colour": Channel("picture")}
    good = (Drape((0, 1, 0.5), (0, 0, 1), (0, 1, 0), 0.5), Roll((0, 0, 0), (0, 1, 0), (0, 1, 0.5), 0.5))
    for place in good:
        studio.execute(AddLayer(type(place).__name__, Decal(picture, place), channels))
        assert put_on(studio.model, place, 0.3).reached.any()
    studio.save(tmp_path / "p.fern")
    assert [layer.content for layer in Studio.open(tmp_path / "p.fern").project.layers] == [
        layer.content for layer in studio.project.layers
    ]
    for place in (
        Roll((0, 0, 0), (0, 0, 0), (0, 1, 0.5), 0.5), Roll((0, 0, 0), (0, 1, 0), (0, 1, 0), 0.5),
        Drape((0, 1, 0.5), (0, 0, 0), (0, 1, 0), 0.5), Drape((0, 1, 0.5), (0, 0, 1), (0, 1, 0), -1.0),
    ):  # fmt: skip
        with pytest.raises(CommandError):
            studio.execute(AddLayer("bad", Decal(picture, place), channels))


@settings(max_examples=15, deadline=None)
@given(
    x=st.floats(-1, 1), y=st.floats(-1, 1), z=st.floats(0.2, 1), turn=st.floats(-90, 90), axis=st.sampled_from("xyz")
)
def test_a_twin_lies_at_the_mirrored_place_and_reads_the_right_way_round(
    x: float, y: float, z: float, turn: float, axis: str
) -> None:
    place = Throw((x, y, z), (x, y, z), (0.1, 1, 0.2), 0.5, 0.25, rotate=turn)
    twin = mirror_twin(place, axis, 0.3)
    number, here, there = "xyz".index(axis), pose_frame(place), pose_frame(twin)

    def reflected(vector: np.ndarray, about: float = 0.0) -> np.ndarray:
        out = vector.copy()
        out[number] = 2 * about - out[number]
        return out

    assert np.allclose(there.origin, reflected(here.origin, 0.3)) and np.allclose(
        there.up, reflected(here.up), atol=1e-7
    )
    assert np.allclose(there.towards, reflected(here.towards), atol=1e-7)
    assert np.allclose(there.right, -reflected(here.right), atol=1e-7)  # so the picture is not mirrored
    assert mirror_twin(place, axis, 0.3, readable=False).flip and not twin.flip
    back = mirror_twin(twin, axis, 0.3)
    assert np.allclose(back.point, place.point) and back.rotate == pytest.approx(place.rotate)


def test_rows_stay_on_the_surface_and_rings_close(tmp_path: Path) -> None:
    surface = Surface(tube(tmp_path))
    place = Drape((0, 1, 0.5), (0, 0, 1), (0, 1, 0), 0.2, 0.1)
    made = [one.place for one in row(surface, place, 5, 1.0)]
    assert len(made) == 5
    for one in made:
        assert np.hypot(one.point[0], one.point[2]) == pytest.approx(0.5, abs=2e-3) and one.point[1] == pytest.approx(
            1
        )
        assert np.dot(one.normal, (one.point[0], 0, one.point[2])) == pytest.approx(0.5, abs=5e-3)
    turned = [one.place for one in ring(place, 6, np.array([0, 2.0, 0]), np.array([0, 5.0, 0]))]
    angles = sorted(np.degrees(np.arctan2(one.point[0], one.point[2])) % 360 for one in turned)
    assert np.allclose(angles, [60, 120, 180, 240, 300])


def test_what_one_must_know_about_a_decal_is_said_with_its_remedy(tmp_path: Path) -> None:
    tube(tmp_path)
    studio = Studio.new(tmp_path / "tube.obj", sheet_size=256)
    picture = studio.add_picture(save_png(tmp_path / "p.png", soft_noise((300, 600))))

    def told(place: OnSurface) -> dict[str, str]:
        studio.execute(AddLayer("x", Decal(picture, place), {"colour": Channel("picture")}))
        layer, height = studio.project.layers[-1], place.height or place.width / 2
        placed = studio.sources.pose(place, height, None)
        return {
            f.remedy: f.sentence for f in decal_facts(studio.surface, studio.project, layer, place, height, placed)
        }

    # Thrown 0.8 wide on a tube of radius 0.5: at its ends the surface is slanted to 1 / 0.6 of what is seen.
    facts = told(Throw((0, 1, 0.5), (0, 0, 1), (0, 1, 0), 0.8))
    assert "stretched 1.6×" in facts["drape"] or "stretched 1.5×" in facts["drape"]
    assert "65 × 51 texels from a 600 × 300 picture" in facts["larger"] and "soft" in facts["larger"]
    assert set(told(Drape((0, 1, 0.5), (0, 0, 1), (0, 1, 0), 0.8))) == {"larger"}
    round_it = told(Drape((0, 1, 0.5), (0, 0, 1), (0, 1, 0), 4.7, 0.5))["roll"]
    assert abs(float(round_it.partition("%")[0]) - 100 * (1 - np.pi / 4.7)) <= 2 and "meets an edge" in round_it


def test_a_job_drapes_rolls_and_makes_twins_rows_and_rings(tmp_path: Path, run_job: Runner) -> None:
    tube(tmp_path)
    save_png(tmp_path / "p.png", np.full((20, 20, 3), (255, 0, 0), np.uint8))
    front = {"point": [0.0, 1.0, 0.5], "normal": [0, 0, 1], "up": [0, 1, 0], "width": 0.2}
    decal = {"do": "decal", "picture": "p.png"}
    steps = [
        {"do": "wash", "values": {"colour": "#ffffff"}},
        {**decal, "name": "Name", "place": {"mode": "drape", **front}, "twin": {"across": "z"}},
        {**decal, "name": "Band", "place": {"mode": "roll", "axis_point": [0, 0, 0], "axis": [0, 1, 0],
                                            "point": [0, 0.4, 0.5], "width": 3.2, "height": 0.1}},
        {**decal, "name": "Rivet", "place": {"mode": "drape", **front, "point": [0, 1.8, 0.5], "width": 0.1},
         "ring": {"count": 4, "axis": [0, 1, 0], "point": [0, 0, 0]}},
    ]  # fmt: skip
    job = {"job": 1, "model": "tube.obj", "sheet_size": 256, "steps": steps, "save": "t.fern",
           "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
    result = run_job(job, "t")
    assert result.returncode == 0, result.stderr
    red = read_png(next((tmp_path / "maps").glob("*baseColor*")))[..., 1] < 128
    names = [layer.name for layer in Studio.open(tmp_path / "t.fern").project.layers]
    assert names[1:] == ["Name 2", "Name", "Band", "Rivet 4", "Rivet 3", "Rivet 2", "Rivet"]
    assert red[128, 128] and red[128, 2] and red[128, 253] and not red[128, 64]  # u 0.5 is the front, 0 the back
    assert red[204].all() and not red[195].any()
    assert [bool(red[25, column]) for column in (1, 64, 128, 192)] == [True] * 4 and red[25].mean() < 0.2
    bad = {**job, "steps": [{**decal, "place": {"mode": "roll", "axis_point": [0, 0, 0], "axis": [0, 1, 0],
                                                "point": [0, 1, 0], "width": 1}}]}  # fmt: skip
    result = run_job(bad, "bad")
    assert result.returncode == 2 and "beside its axis" in result.stderr


@pytest.mark.parametrize("own", [True, False])
def test_nudging_moves_by_texels(tmp_path: Path, own: bool) -> None:
    tube(tmp_path)
    studio = Studio.new(tmp_path / "tube.obj", sheet_size=256)
    place = Drape((0, 1, 0.5), (0, 0, 1), (0, 1, 0), 0.3, 0.2, rotate=90)
    moved = nudged(studio.surface, studio.project, place, 0.2, np.array([3.0, 0.0]), own)
    # Turned by 90 degrees, its own right is up on the tube: 3 texels of 256 for 2 units; u runs once round in 256.
    angle = np.degrees(np.arctan2(moved.point[0], moved.point[2]))
    expected = (1 + 3 / 128, 0.0) if own else (1.0, 3 / 256 * 360)
    assert moved.point[1] == pytest.approx(expected[0], abs=2e-4) and angle == pytest.approx(expected[1], abs=0.1)


def test_labels_find_the_middles_of_selected_pieces_in_reading_order(tmp_path: Path) -> None:
    """A wall of 3 × 2 panels, their corners shuffled about a little, some of them not chosen."""
    rng = np.random.default_rng(5)
    text, want = [], []
    for number in rng.permutation(6):
        x, y = 2.0 * (number % 3), 2.0 * (number // 3) + rng.uniform(-0.1, 0.1)
        start = sum(line.startswith("v") for line in text) + 1
        text += [f"o p{number}", *(f"v {x + a} {y + b} 0" for a, b in ((0, 0), (1, 0), (1, 1), (0, 1)))]
        text.append(f"f {start} {start + 1} {start + 2} {start + 3}")
        if number != 4:
            want.append((-(number // 3), number % 3, (x + 0.5, y + 0.5)))
    (tmp_path / "wall.obj").write_text("\n".join(text))
    model = load_model(tmp_path / "wall.obj")
    chosen = model.part != model.parts.index("p4")
    found = [tuple(hit.position[:2]) for hit in spots(model, chosen)]
    assert np.allclose(found, [middle for _, _, middle in sorted(want)])
    assert spots(model, np.zeros_like(chosen)) == []


@pytest.mark.parametrize(("sides", "turn"), [(6, 0.0), (6, 35.0), (24, 0.0)])
def test_a_roll_lies_by_the_angle_of_each_texel_on_a_pillar_of_few_faces_too(
    tmp_path: Path, sides: int, turn: float
) -> None:
    """A ramp along the picture shows at each point the arc of its own angle round the axis, not of its face's corners."""
    model = tube(tmp_path, sides, 4)
    reach = 0.5 * np.cos(np.pi / sides)
    width, height, size = 1.2, 0.9, 256
    ramp = np.zeros((64, 256, 4), np.uint16)
    ramp[..., 0] = (np.arange(256) * 256 + 128)[None]
    ramp[..., 1] = (np.arange(64) * 1024 + 512)[:, None]
    ramp[..., 3] = 65535
    placed = roll(model, Roll((0, 0, 0), (0, 1, 0), (0, 1, reach), width, height, turn), height)
    surface = Surface(model)
    sheet = surface.sheet(surface.keys[0], square(size))
    chunk = Chunk(0, 0)
    shown = draw_placed(
        placed, sheet, chunk, build_pyramid(Picture("ramp", ramp, True, taken="data"), "data"), False, False
    )
    points = sheet.surface_points(chunk)
    inside = (points.triangle >= 0) & (shown[..., 3] > 65000)
    x, y, z = points.position[inside].T
    arc, up, angle = np.arctan2(x, z) * reach, y - 1, np.radians(turn)
    s = (arc * np.cos(angle) + up * np.sin(angle)) / width + 0.5
    t = 0.5 - (up * np.cos(angle) - arc * np.sin(angle)) / height
    inner = (np.abs(s - 0.5) < 0.48) & (np.abs(t - 0.5) < 0.46)
    assert inner.sum() > 2000
    got = shown[inside][inner].astype(float) / 65535
    assert np.abs(got[:, 0] - s[inner]).max() < 0.5 / 256 and np.abs(got[:, 1] - t[inner]).max() < 0.5 / 64


def test_normals_on_a_roll_lean_along_the_arc_at_each_texel(tmp_path: Path) -> None:
    """A picture of normals that lean 30° to its right, on a pillar of six faces: towards the arc everywhere."""
    tube(tmp_path, 6, 4)
    studio = Studio.new(tmp_path / "tube.obj", sheet_size=256)
    lean = np.radians(30.0)
    colour = np.rint((np.array([np.sin(lean), 0, np.cos(lean)]) * 0.5 + 0.5) * 65535).astype(np.uint16)
    data = encode_png(np.broadcast_to(colour, (16, 16, 3)).copy())
    picture = studio.keep_picture(data, read_picture(data, "lean_normal.png", "data"))
    reach = 0.5 * np.cos(np.pi / 6)
    place = Roll((0, 0, 0), (0, 1, 0), (0, 1, reach), 1.4, 0.8)
    studio.execute(AddLayer("lean", Decal(picture, place), {"normal": Channel("picture")}))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(256))
    stored = composite_sheet(studio.sources, studio.project, "normal", sheet, 16) / 65535 * 2 - 1
    points = sheet.surface_points(Chunk(0, 0))
    there = (points.triangle >= 0) & (np.hypot(stored[..., 0], stored[..., 1]) > 0.3)
    rows, columns = np.nonzero(there)
    owner = studio.sources.owners(sheet, Chunk(0, 0))[there]
    frame = frames(sheet, Chunk(0, 0), rows, columns, owner)
    normal = sum(stored[there][:, k : k + 1] * frame[k] for k in range(3))
    x, _, z = points.position[there].T
    face = sheet.model.face_normals[points.triangle[there]]
    out = np.stack([x, np.zeros_like(x), z], axis=1)
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    round_ = np.cross([0, 1, 0], out)
    right = round_ - out * (face * round_).sum(1, keepdims=True) / (face * out).sum(1, keepdims=True)
    right /= np.linalg.norm(right, axis=1, keepdims=True)
    shading = points.normal[there] / np.linalg.norm(points.normal[there], axis=1, keepdims=True)
    right -= shading * (right * shading).sum(1, keepdims=True)
    right /= np.linalg.norm(right, axis=1, keepdims=True)
    wanted = right * np.sin(lean) + shading * np.cos(lean)
    off = np.degrees(np.arccos(np.clip((normal * wanted).sum(1) / np.linalg.norm(normal, axis=1), -1, 1)))
    assert len(off) > 3000 and np.percentile(off, 98) < 0.6
