"""Placing pictures, against analytic truth, an OpenCV warp, and rays cast one by one."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.arrays import F64
from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.model.load import load_model
from lucky_fern.core.pictures.picture import Picture
from lucky_fern.core.pictures.pyramid import build_pyramid
from lucky_fern.core.placing.frame import pose_frame
from lucky_fern.core.placing.lay import draw_laid, laid_chunks, lay_on_sheet
from lucky_fern.core.placing.placed import draw_placed, touched_chunks
from lucky_fern.core.placing.pose import (
    as_laid,
    drop_thrown,
    in_mode,
    move_to_uv,
    scaled,
    sheet_pose,
    surface_pose,
    turned,
)
from lucky_fern.core.placing.throw import throw
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.places import Lay, Throw
from lucky_fern.core.sheets.grid import Chunk, all_chunks, span, square
from lucky_fern.core.sheets.picking import pick
from lucky_fern.core.sheets.sheet import Sheet
from lucky_fern.core.sheets.surface import Surface
from lucky_fern.core.studio import Studio
from lucky_fern.demo.models import soup_flask
from samples import save_png, soft_noise

WHITE = Picture("white", np.full((4, 4, 4), 255, np.uint8), True)


def with_alpha(rgb: np.ndarray) -> Picture:
    return Picture("noise", np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8)]), True)


def thrown(surface: Surface, sheet: Sheet, place: Throw, picture: Picture, nearest: bool = False) -> F64:
    """The whole sheet, straight RGBA 0…1."""
    pose = throw(surface.model, place, place.height or place.width * picture.height / picture.width)
    pyramid = build_pyramid(picture, "colour")
    out = np.zeros((*sheet.size.shape, 4))
    for chunk in touched_chunks(pose, sheet):
        out[span(chunk, sheet.size)] = draw_placed(pose, sheet, chunk, pyramid, nearest, True) / 65535
    return out


def laid(place: Lay, sheet: Sheet, picture: Picture, nearest: bool = False, encode: bool = True) -> F64:
    affine = lay_on_sheet(place, place.height or place.width * picture.height / picture.width, sheet.key, sheet.size)
    assert affine is not None
    pyramid = build_pyramid(picture, "colour" if encode else "data")
    out = np.zeros((*sheet.size.shape, 4))
    for chunk in laid_chunks(affine, sheet.size):
        out[span(chunk, sheet.size)] = draw_laid(affine, sheet.size, chunk, pyramid, nearest, encode, False) / 65535
    return out


def on(path: Path, size: int) -> tuple[Surface, Sheet]:
    surface = Surface(load_model(path))
    return surface, surface.sheet(surface.keys[0], square(size))


@settings(max_examples=25, deadline=None)
@given(st.floats(-0.4, 0.4), st.floats(-0.4, 0.4), st.floats(-180, 180), st.floats(0.2, 0.9), st.floats(0.2, 0.9))
def test_a_throw_on_a_plane_lands_where_the_matrix_says(
    tmp_path_factory: pytest.TempPathFactory, x: float, y: float, angle: float, width: float, height: float
) -> None:
    from samples import PLANE

    path = tmp_path_factory.mktemp("plane") / "plane.obj"
    path.write_text(PLANE)
    surface, sheet = on(path, 256)
    place = Throw((x, y, 0), (0, 0, 2), (0, 3, 0.5), width, height, 0.5, rotate=angle)
    alpha = thrown(surface, sheet, place, WHITE)[..., 3]
    turn = np.array(
        [
            [np.cos(np.radians(angle)), -np.sin(np.radians(angle))],
            [np.sin(np.radians(angle)), np.cos(np.radians(angle))],
        ]
    )
    corner = np.array([[-width, -height], [width, -height], [width, height], [-width, height]]) / 2 @ turn.T + (x, y)
    texel = np.stack([(corner[:, 0] + 1) * 128, (1 - corner[:, 1]) * 128], axis=1)
    inside = np.zeros((256, 256))
    for r, c in np.ndindex(256, 256):
        inside[r, c] = cv2.pointPolygonTest(texel.astype(np.float32), (c + 0.5, r + 0.5), True)
    assert (alpha[inside > 0.75] == 1).all()  # half a texel from the border inwards, and a little for slant
    assert (alpha[inside < -0.75] == 0).all()
    assert alpha.sum() == pytest.approx(width * height / 4 * 256**2, rel=0.01)


@pytest.mark.parametrize("angle", [0.0, 17.0, 90.0, -133.0])
def test_lay_equals_an_opencv_warp(plane: Path, angle: float) -> None:
    _, sheet = on(plane, 512)
    picture = with_alpha(soft_noise((120, 200)))
    place = Lay("paint", 1001, (0.45, 0.55), 0.6, 0.4, angle)
    ours = laid(place, sheet, picture)
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    # Pixel (i, j) of the picture to texel, both counted from the middle of the first one.
    to_u = np.array([[0.6 * c, 0.4 * s], [0.6 * s, -0.4 * c]])
    scale = np.array([[512.0, 0], [0, -512.0]]) @ to_u @ np.diag([1 / 200, 1 / 120])
    shift = np.array([0.45 * 512, 0.45 * 512]) - scale @ (100, 60)
    matrix = np.column_stack([scale, shift + scale @ (0.5, 0.5) - 0.5])
    light = decode_srgb(picture.rgba[..., :3] / 255.0).astype(np.float32)
    warped = cv2.warpAffine(light, matrix, (512, 512), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    exact = encode_srgb(warped)
    full = ours[..., 3] == 1
    assert full.sum() > 0.2 * 512**2
    difference = np.abs(ours[..., :3] - exact)[full]
    assert np.quantile(difference, 0.999) < 1 / 255
    assert difference.max() < 3 / 255  # OpenCV places its taps on a grid of 1/32 pixel


def test_a_shrunk_picture_is_the_mean_of_its_light(plane: Path) -> None:
    _, sheet = on(plane, 64)
    board = np.zeros((512, 512, 3), np.uint8)
    board[::2, ::2] = board[1::2, 1::2] = 255
    got = laid(Lay("paint", 1001, (0.5, 0.5), 1.0), sheet, with_alpha(board))
    assert np.allclose(got[..., :3], encode_srgb(np.array(0.5)), atol=1 / 255)  # half the light, not half the number
    noise = with_alpha(soft_noise((320, 320), cells=80))
    got = laid(Lay("paint", 1001, (0.5, 0.5), 1.0), sheet, noise)
    light = cv2.resize(
        decode_srgb(noise.rgba[..., :3] / 255.0).astype(np.float32), (64, 64), interpolation=cv2.INTER_AREA
    )
    assert np.abs(got[..., :3] - encode_srgb(light)).max() < 1 / 255
    data = laid(Lay("paint", 1001, (0.5, 0.5), 1.0), sheet, noise, encode=False)
    mean = cv2.resize(noise.rgba[..., :3].astype(np.float32) / 255, (64, 64), interpolation=cv2.INTER_AREA)
    assert np.abs(data[..., :3] - mean).max() < 1 / 255


@pytest.mark.parametrize("angle", [0.0, 31.0])
def test_transparent_edges_get_no_fringe_at_any_scale(plane: Path, angle: float) -> None:
    _, sheet = on(plane, 256)
    rgba = np.zeros((300, 300, 4), np.uint8)
    cv2.circle(rgba, (150, 150), 120, (255, 255, 255, 255), -1)
    rgba[rgba[..., 3] == 0] = (0, 0, 0, 0)  # black where nothing is: the classic cause of a dark rim
    for width in (0.07, 0.4, 1.0):
        got = laid(Lay("paint", 1001, (0.5, 0.5), width, rotate=angle), sheet, Picture("disc", rgba, True))
        assert (got[got[..., 3] > 0][:, :3] > 1 - 1e-3).all()


def test_square_pixels_stay_square(plane: Path) -> None:
    _, sheet = on(plane, 64)
    rgba = np.random.default_rng(2).integers(0, 256, (8, 8, 4), dtype=np.uint8)
    rgba[..., 3] = 255
    got = laid(Lay("paint", 1001, (0.5, 0.5), 0.5), sheet, Picture("art", rgba, True), nearest=True)
    assert (np.round(got[16:48, 16:48] * 255) == np.kron(rgba, np.ones((4, 4, 1)))).all()
    assert got[..., 3].sum() == 32 * 32


def cube(tmp_path: Path) -> tuple[Surface, Sheet]:
    """A cube of edge 2, each face on its own part of the sheet."""
    lines, faces = [], []
    for k, (n, u, v) in enumerate([((0, 0, 1), (1, 0, 0), (0, 1, 0)), ((1, 0, 0), (0, 0, -1), (0, 1, 0)), ((0, 0, -1), (-1, 0, 0), (0, 1, 0)),
                                   ((-1, 0, 0), (0, 0, 1), (0, 1, 0)), ((0, 1, 0), (1, 0, 0), (0, 0, -1)), ((0, -1, 0), (1, 0, 0), (0, 0, 1))]):  # fmt: skip
        for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
            lines.append("v {} {} {}".format(*(np.array(n) + a * np.array(u) + b * np.array(v))))
            lines.append(f"vt {(k % 3) / 3 + 0.02 + (a + 1) * 0.14} {(k // 3) / 2 + 0.02 + (b + 1) * 0.22}")
        faces.append("f " + " ".join(f"{4 * k + i}/{4 * k + i}" for i in (1, 2, 3, 4)))
    (tmp_path / "cube.obj").write_text("\n".join(lines + faces))
    return on(tmp_path / "cube.obj", 300)


@pytest.mark.parametrize(("limit", "faces"), [(40, 0), (44.9, 0), (45.1, 2), (89, 2)])
def test_a_cube_at_45_degrees_is_cut_by_the_facing_limit(tmp_path: Path, limit: float, faces: int) -> None:
    surface, sheet = cube(tmp_path)
    place = Throw((1, 0, 1), (1, 0, 1), (0, 1, 0), 6.0, 6.0, 5.0, limit)
    alpha = thrown(surface, sheet, place, WHITE)[..., 3]
    assert alpha.sum() == pytest.approx(faces * (0.28 * 300) * (0.44 * 300), rel=0.02)


def test_depth_reaches_just_so_far(plane: Path) -> None:
    surface, sheet = on(plane, 128)
    # Thrown at 45°, the board is within ±0.3 of the point along the throw only in a band.
    place = Throw((0, 0, 0), (0, 1, 1), (0, 1, 0), 9.0, 9.0, 0.3, 89)
    alpha = thrown(surface, sheet, place, WHITE)[..., 3]
    y = 1 - (np.arange(128) + 0.5) / 64
    assert (alpha[np.abs(y) / np.sqrt(2) < 0.29] == 1).all() and (alpha[np.abs(y) / np.sqrt(2) > 0.31] == 0).all()


def test_hidden_surfaces_are_those_that_cast_rays_say(tmp_path: Path) -> None:
    """A field of random shards, each texel asked by an independent ray caster."""
    rng = np.random.default_rng(5)
    count = 60
    middle = rng.uniform(-1, 1, (count, 1, 3)) * (1, 1, 0.6)
    points = middle + rng.normal(0, 0.35, (count, 3, 3))
    uv = np.array([[0.05, 0.05], [0.95, 0.05], [0.05, 0.95]])
    grid = np.stack(np.divmod(np.arange(count), 8), axis=1)[:, None, :]
    uvs = (uv + grid) / 8
    lines = [
        f"v {x} {y} {z}\nvt {u} {v}"
        for (x, y, z), (u, v) in zip(points.reshape(-1, 3), uvs.reshape(-1, 2), strict=True)
    ]
    lines += [f"f {3 * k + 1}/{3 * k + 1} {3 * k + 2}/{3 * k + 2} {3 * k + 3}/{3 * k + 3}" for k in range(count)]
    (tmp_path / "shards.obj").write_text("\n".join(lines))
    surface, sheet = on(tmp_path / "shards.obj", 512)
    model = surface.model
    mesh = trimesh.Trimesh(model.positions, model.triangles, process=False)
    place = Throw((0, 0, 0), (0.3, 0.2, 1), (0, 1, 0), 3.0, 3.0, 2.0, 80)
    for stand_off in (None, 0.5):
        pose = Throw(place.point, place.normal, place.up, 3.0, 3.0, 2.0, 80, stand_off=stand_off)
        alpha = thrown(surface, sheet, pose, WHITE)[..., 3]
        frame = pose_frame(pose)
        checked = wrong = 0
        for chunk in all_chunks(square(512)):
            points_here = sheet.surface_points(chunk)
            faces = model.face_normals[points_here.triangle] @ frame.towards
            local = (points_here.position - frame.origin) @ frame.matrix.T
            ask = (points_here.triangle >= 0) & (faces > np.cos(np.radians(80)) + 1e-6)
            ask &= (np.abs(local[..., :2]) < 1.49).all(-1) & (np.abs(local[..., 2]) < 1.99)
            start = points_here.position[ask] + frame.towards * 1e-5
            locations, ray, _ = mesh.ray.intersects_location(start, np.tile(frame.towards, (len(start), 1)))
            far = (locations - frame.origin) @ frame.towards < (np.inf if stand_off is None else stand_off)
            hidden = np.zeros(len(start), np.bool_)
            hidden[ray[far]] = True
            got = alpha[span(chunk, square(512))][ask] == 0
            checked, wrong = checked + len(start), wrong + int((got != hidden).sum())
        assert checked > 20000 and wrong < checked * 2e-4  # a ray may graze an edge


def test_twins_that_share_uv_space_get_the_picture_if_either_is_reached(tmp_path: Path) -> None:
    (tmp_path / "twins.obj").write_text(
        "v -1 -1 0\nv 1 -1 0\nv 1 1 0\nv -1 1 0\nv -1 -1 -5\nv 1 -1 -5\nv 1 1 -5\nv -1 1 -5\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
        "f 5/1 6/2 7/3 8/4\nf 1/1 2/2 3/3 4/4\n"
    )
    surface, sheet = on(tmp_path / "twins.obj", 64)
    alpha = thrown(surface, sheet, Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 1.0, 1.0, 0.5), WHITE)[..., 3]
    assert alpha.sum() == 32 * 32


def test_poses_agree_between_surface_and_sheet(tmp_path: Path) -> None:
    """What the handles show: a dropped, moved, turned and converted decal keeps its place and shape."""
    soup_flask(tmp_path / "flask.obj")
    surface = Surface(load_model(tmp_path / "flask.obj"))
    hit = pick(surface.model, np.array([0.0, 0.09, 1.0]), np.array([0.0, 0.0, -1.0]))
    assert hit is not None
    place = drop_thrown(surface.model, hit, 0.5, np.array([0.0, 1, 0]))
    height = place.width * 0.5
    flat = sheet_pose(surface, place, height)
    assert flat is not None and np.allclose(flat.centre, hit.uv, atol=1e-6)
    # The flask's islands have 2.86 UV units a metre, and its front is laid out upright.
    assert np.allclose(flat.half_x, [place.width * 1.43, 0], atol=2e-3 * place.width + 1e-4)
    assert np.allclose(flat.half_y, [0, height * 1.43], atol=1e-3)
    lying = as_laid(surface, turned(place, 30), height)
    assert lying is not None and lying.rotate == pytest.approx(30, abs=0.5)
    back = in_mode(surface, lying, lying.height or 0, "throw")
    assert isinstance(back, Throw) and back.width == pytest.approx(place.width, rel=0.01)
    assert np.allclose(back.point, place.point, atol=1e-6)
    moved = move_to_uv(surface, place, flat.sheet, flat.centre + (0.05, 0.02))
    again = sheet_pose(surface, moved, height)
    assert again is not None and np.allclose(again.centre, flat.centre + (0.05, 0.02), atol=1e-4)
    grown = scaled(place, height, 2, 2, 1e-6)
    pose = surface_pose(surface, grown, height * 2)
    assert grown.height is None and pose is not None and np.linalg.norm(pose.half_x) == pytest.approx(place.width)


CUBE = """v -1 -1 -1\nv 1 -1 -1\nv 1 1 -1\nv -1 1 -1\nv -1 -1 1\nv 1 -1 1\nv 1 1 1\nv -1 1 1
usemtl paint
"""


def test_triplanar_pictures_stand_upright_on_all_six_sides_and_fit_their_repeat(tmp_path: Path) -> None:
    """Red grows to the right and green downwards, as seen from each side; UVs are scrambled on purpose."""
    sides = [(5, 6, 7, 8), (2, 1, 4, 3), (6, 2, 3, 7), (1, 5, 8, 4), (8, 7, 3, 4), (1, 2, 6, 5)]
    text = [CUBE]
    for number, side in enumerate(sides):
        u, v = number % 3 / 3, number // 3 / 2
        corners = [(u, v), (u + 0.3, v), (u + 0.3, v + 0.4), (u, v + 0.4)]
        text += [f"vt {x} {y}\n" for x, y in (corners[number % 4 :] + corners[: number % 4])]
        text.append("f " + " ".join(f"{side[k]}/{number * 4 + k + 1}" for k in range(4)) + "\n")
    (tmp_path / "cube.obj").write_text("".join(text))
    studio = Studio.new(tmp_path / "cube.obj", sheet_size=128)
    ramp = np.arange(256, dtype=np.uint8)
    pixels = np.dstack([np.tile(ramp, (256, 1)), np.tile(ramp[:, None], (1, 256)), np.zeros((256, 256), np.uint8)])
    picture = studio.add_picture(save_png(tmp_path / "ramp_mask.png", pixels))
    studio.execute(AddLayer("x", Wash(by="triplanar"), {"colour": Channel("picture", picture=picture)}))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(128))
    found = composite_sheet(studio.sources, studio.project, "colour", sheet, 8).astype(float)
    points = sheet.surface_points(Chunk(0, 0))
    for normal in np.vstack([np.eye(3), -np.eye(3)]):
        up = np.array([0, 1, 0]) if normal[1] == 0 else np.array([0, 0, -normal[1]])
        right = np.cross(up, normal)
        here = (points.triangle >= 0) & (np.abs(points.normal - normal).max(axis=2) < 1e-6)
        across, down = points.position[here] @ right, -(points.position[here] @ up)
        inner = (np.abs(across) < 0.9) & (np.abs(down) < 0.9)
        exact = np.stack([across, down], axis=1)[inner] * 127.5 + 127.5
        assert inner.sum() > 300 and np.abs(found[here][inner][:, :2] - exact).max() < 2.5, normal


def test_drawings_stay_sharp_at_the_texels_they_get(tmp_path: Path, plane: Path) -> None:
    """Half red, half blue: the edge is one texel wide on a large sheet, too."""
    halves = '<rect width="50" height="100" fill="#ff0000"/><rect x="50" width="50" height="100" fill="#0000ff"/>'
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100">{halves}</svg>'
    (tmp_path / "halves.svg").write_text(svg)
    studio = Studio.new(plane, sheet_size=2048)
    picture = studio.add_picture(tmp_path / "halves.svg")
    place = Lay("paint", 1001, (0.5, 0.5), 1.0)
    studio.execute(AddLayer("x", Decal(picture, place), {"colour": Channel("picture")}))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(2048))
    line = composite_sheet(studio.sources, studio.project, "colour", sheet, 8)[1000]
    between = (line[:, 0] > 3) & (line[:, 0] < 252)
    assert between.sum() <= 2 and (line[:1022] == (255, 0, 0)).all() and (line[1026:] == (0, 0, 255)).all()


def test_a_picture_is_looked_for_on_the_sheets_that_it_may_touch(tmp_path: Path) -> None:
    from lucky_fern.demo.models import marsh_hen

    marsh_hen(tmp_path / "ferry.obj")
    studio = Studio.new(tmp_path / "ferry.obj", sheet_size=512)
    surface, rng, passed_over = studio.surface, np.random.default_rng(4), 0
    for _ in range(60):
        normal = rng.normal(size=3)
        place = Throw(
            tuple(rng.uniform((-4, 0, -2), (4, 3, 2)).tolist()), tuple(normal.tolist()), (0, 1, 0),
            float(rng.uniform(0.1, 1.5)), 0.4, depth=float(rng.uniform(0.05, 1)),
            lens=float(rng.uniform(2, 5)) if rng.random() < 0.3 else None, through=bool(rng.random() < 0.3),
        )  # fmt: skip
        worked = throw(surface.model, place, 0.4)
        for key in surface.keys:
            sheet = surface.sheet(key, square(512))
            asked = studio.sources.posed
            found = studio.sources.place_chunks(place, 0.4, None, sheet)
            assert found == touched_chunks(worked, sheet)
            passed_over += studio.sources.posed == asked and not found
    assert passed_over > 60
