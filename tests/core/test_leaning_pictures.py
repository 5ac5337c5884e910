"""Normal-map pictures keep their lean in space, however the layout lies under them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from boards import RIGHT, board
from lucky_fern.core import easel
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.painting.brush import Brush
from lucky_fern.core.painting.moved import Anchor
from lucky_fern.core.placing.leaning import frames_at
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, MoveLayers, SetGroup, SetLayer
from lucky_fern.core.project.document import Adjustment, Brushwork, Channel, Decal, Group, Wash
from lucky_fern.core.project.effects import Blur
from lucky_fern.core.project.kinds import Place
from lucky_fern.core.project.layouts import Transform
from lucky_fern.core.project.places import Along, Drape, Lay, Roll, Throw, Warp
from lucky_fern.core.project.rules import Rim, RuleShape
from lucky_fern.core.project.shapes import Fill, MaskEntry
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from samples import save_png

SIZE, LEAN = 64, 30.0
FLAT = [(0, 0), (1, 0), (1, 1), (0, 1)]


def tilted(folder: Path, turn: float, mirrored: bool, slant: float = 0.0) -> Studio:
    """A square of 2 × 2 that faces +Z (or leans back by ``slant``), its UVs turned and mirrored."""
    angle, tilt = np.radians(turn), np.radians(slant)
    text = "o square\nusemtl a\n"
    for x, y in FLAT:
        text += f"v {2 * x - 1} {(2 * y - 1) * np.cos(tilt):.9f} {-(2 * y - 1) * np.sin(tilt):.9f}\n"
    for x, y in FLAT:
        u, v = (x - 0.5) * (-1 if mirrored else 1), y - 0.5
        text += f"vt {0.5 + 0.6 * (u * np.cos(angle) - v * np.sin(angle)):.9f} "
        text += f"{0.5 + 0.6 * (u * np.sin(angle) + v * np.cos(angle)):.9f}\n"
    (folder / "square.obj").write_text(text + "f 1/1 2/2 3/3 4/4\n")
    return Studio.new(folder / "square.obj", sheet_size=SIZE)


def leaning(studio: Studio, folder: Path, flip: bool = False) -> str:
    """A picture of normals that lean 30° to its right."""
    lean = np.radians(LEAN)
    colour = np.rint((np.array([np.sin(lean), 0, np.cos(lean)]) * 0.5 + 0.5) * 255)
    save_png(folder / "lean_normal.png", np.full((32, 32, 3), colour, np.uint8))
    return studio.add_picture(folder / "lean_normal.png")


def in_space(studio: Studio) -> np.ndarray:
    """(N, 3) the normals that the map gives to texels well inside the square."""
    key = studio.surface.keys[0]
    sheet = studio.surface.sheet(key, square(SIZE))
    stored = composite_sheet(studio.sources, studio.project, "normal", sheet, 16) / 65535 * 2 - 1
    points = sheet.surface_points(all_chunks(square(SIZE))[0])
    inside = (points.triangle >= 0) & (np.abs(points.position[..., :2]) < 0.4).all(axis=-1)
    tangent, bitangent, normal = frames_at(studio.model, points.triangle[inside], points.barycentric[inside])
    x, y, z = stored[inside].T[..., None]
    return x * tangent + y * bitangent + z * normal


def off_by(found: np.ndarray, wanted: np.ndarray) -> float:
    """The largest angle, in degrees, between normals and the one that is wanted."""
    found = found / np.linalg.norm(found, axis=1, keepdims=True)
    return float(np.degrees(np.arccos(np.clip(found @ (wanted / np.linalg.norm(wanted)), -1, 1))).max())


UP, OUT = (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)
RIGHTWARDS = np.array([np.sin(np.radians(LEAN)), 0, np.cos(np.radians(LEAN))])
PLACES: dict[str, tuple[Place, float]] = {  # and by how many degrees the picture is turned on the square
    "throw": (Throw((0, 0, 0), OUT, UP, 1.6), 0),
    "throw, turned": (Throw((0, 0, 0), OUT, UP, 1.6, rotate=50.0), 50),
    "throw, fading": (Throw((0, 0, 0), OUT, UP, 1.6, fade=20.0), 0),
    "throw, through a lens": (Throw((0, 0, 0), OUT, UP, 1.6, lens=4.0), 0),
    "drape": (Drape((0, 0, 0), OUT, UP, 1.6, rotate=-35.0), -35),
    "stripe": (Along(((-0.9, 0, 0), (0.9, 0, 0)), (OUT, OUT), 1.6), 0),
    "stripe, upwards": (Along(((0, -0.9, 0), (0, 0.9, 0)), (OUT, OUT), 1.6), 90),
}  # fmt: skip


@pytest.mark.parametrize("turn", [0.0, 90.0, 180.0, 213.0])
@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("name", PLACES)
def test_a_placed_lean_stays_in_space(tmp_path: Path, turn: float, mirrored: bool, name: str) -> None:
    studio = tilted(tmp_path, turn, mirrored)
    place, by = PLACES[name]
    studio.execute(AddLayer("lean", Decal(leaning(studio, tmp_path), place), {"normal": Channel("picture")}))
    angle = np.radians(by)
    wanted = np.array([RIGHTWARDS[0] * np.cos(angle), RIGHTWARDS[0] * np.sin(angle), RIGHTWARDS[2]])
    assert off_by(in_space(studio), wanted) < 2


@pytest.mark.parametrize("mirrored", [False, True])
def test_flipped_and_pulled_pictures_turn_their_lean(tmp_path: Path, mirrored: bool) -> None:
    studio = tilted(tmp_path, 120.0, mirrored)
    picture = leaning(studio, tmp_path)
    flipped = Throw((0, 0, 0), OUT, UP, 1.6, flip=True)
    studio.execute(AddLayer("lean", Decal(picture, flipped), {"normal": Channel("picture")}))
    assert off_by(in_space(studio), RIGHTWARDS * [-1, 1, 1]) < 2
    quarter = Warp(2, 2, ((0.0, 1.0), (0.0, 0.0), (1.0, 1.0), (1.0, 0.0)))  # its upper left corner lies lower left
    for grid in (quarter, Warp(3, 3, tuple((y, 1 - x) for y in (0.0, 0.5, 1.0) for x in (0.0, 0.5, 1.0)))):
        turned = Throw((0, 0, 0), OUT, UP, 1.6, warp=grid)
        studio.execute(SetLayer(studio.project.layers[-1].id, visible=False))
        studio.execute(AddLayer("lean", Decal(picture, turned), {"normal": Channel("picture")}))
        assert off_by(in_space(studio), np.array([0, RIGHTWARDS[0], RIGHTWARDS[2]])) < 2


@pytest.mark.parametrize("slant", [0.0, 40.0])
@pytest.mark.parametrize("mirrored", [False, True])
def test_a_triplanar_wash_leans_alike_on_any_layout(tmp_path: Path, mirrored: bool, slant: float) -> None:
    found = []
    for turn in (0.0, 90.0, 213.0):
        studio = tilted(tmp_path, turn, mirrored, slant)
        wash = Wash(by="triplanar", repeat=(1.0, 1.0))
        channels = {"normal": Channel("picture", picture=leaning(studio, tmp_path))}
        studio.execute(AddLayer("lean", wash, channels))
        found.append(in_space(studio))
    wanted = found[0].mean(axis=0)
    assert all(off_by(one, wanted) < 2 for one in found) and wanted[0] > 0.4


def test_a_laid_and_a_washed_picture_lean_along_uv_as_they_are_turned(tmp_path: Path) -> None:
    studio = tilted(tmp_path, 0.0, False)
    picture = leaning(studio, tmp_path)
    laid = Lay("a", 1001, (0.5, 0.5), 0.9, rotate=70.0)
    angle = np.radians(70)
    wanted = np.array([RIGHTWARDS[0] * np.cos(angle), RIGHTWARDS[0] * np.sin(angle), RIGHTWARDS[2]])
    studio.execute(AddLayer("lean", Decal(picture, laid), {"normal": Channel("picture")}))
    assert off_by(in_space(studio), wanted) < 2
    studio.execute(SetLayer(studio.project.layers[-1].id, visible=False))
    wash = Wash(rotate=70.0, repeat=(3.0, 3.0))
    studio.execute(AddLayer("lean", wash, {"normal": Channel("picture", picture=picture)}))
    assert off_by(in_space(studio), wanted) < 2


def test_a_rolled_lean_follows_the_round(tmp_path: Path) -> None:
    """Round a tube whose staves' UVs lie every which way, the lean is to the picture's right everywhere."""
    count, text, faces = 12, "", ""
    for k in range(count):
        at = 2 * np.pi * np.array([k, k + 1]) / count
        for angle, y in ((at[1], 0), (at[0], 0), (at[0], 1), (at[1], 1)):
            text += f"v {np.cos(angle):.9f} {y} {np.sin(angle):.9f}\n"
        corners = [(0, 0), (1, 0), (1, 1), (0, 1)]
        corners = corners[k % 4 :] + corners[: k % 4]
        if k % 2:
            corners = [(1 - u, v) for u, v in corners]
        row, column = divmod(k, 4)
        text += "".join(
            f"vt {0.03 + (column + 0.8 * u) / 4:.6f} {0.03 + (row + 0.8 * v) / 4:.6f}\n" for u, v in corners
        )
        faces += "f " + " ".join(f"{4 * k + n}/{4 * k + n}" for n in (1, 2, 3, 4)) + "\n"
    (tmp_path / "tube.obj").write_text("o t\nusemtl a\n" + text + faces)
    studio = Studio.new(tmp_path / "tube.obj", sheet_size=128)
    roll = Roll((0, 0, 0), (0, 1, 0), (0, 0.5, 1), 2 * np.pi, 1.0)
    studio.execute(AddLayer("lean", Decal(leaning(studio, tmp_path), roll), {"normal": Channel("picture")}))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(128))
    stored = composite_sheet(studio.sources, studio.project, "normal", sheet, 16) / 65535 * 2 - 1
    points = sheet.surface_points(all_chunks(square(128))[0])
    inside = (points.triangle >= 0) & (points.barycentric > 0.08).all(axis=-1)
    tangent, bitangent, normal = frames_at(studio.model, points.triangle[inside], points.barycentric[inside])
    x, y, z = stored[inside].T[..., None]
    found = x * tangent + y * bitangent + z * normal
    right = np.cross((0, 1, 0), normal)
    wanted = right * RIGHTWARDS[0] + normal * RIGHTWARDS[2]
    worst = np.degrees(np.arccos(np.clip((found * wanted).sum(axis=1) / np.linalg.norm(found, axis=1), -1, 1)))
    assert worst.max() < 2 and len(worst) > 1000


@pytest.mark.parametrize("mirrored", [False, True])
def test_paint_keeps_its_lean_when_it_is_cloned_smeared_and_its_island_turned(tmp_path: Path, mirrored: bool) -> None:
    studio = tilted(tmp_path, 90.0, mirrored)
    studio.execute(AddLayer("paint", Brushwork(), {}))
    layer = studio.project.layers[0].id
    studio.execute(
        AddLayer("lean", Decal(leaning(studio, tmp_path), PLACES["throw"][0]), {"normal": Channel("picture")})
    )
    # Taken by a clone onto the layer above, from where it is, then the picture itself is hidden.
    studio.execute(AddLayer("copy", Brushwork(), {}))
    copy = studio.project.layers[-1].id
    stroke = easel.begin_stroke(studio, Brush(1.2, 1.0))
    middle, out = np.array([0.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])
    clone = easel.begin_clone(studio, stroke, copy, ("normal",), Anchor(middle, out), Anchor(middle, out))
    stroke.go_to(middle, out)
    easel.paint_on_layer(studio, copy, clone.limit(stroke), clone)
    studio.execute(SetLayer(studio.project.layers[1].id, visible=False))
    assert off_by(in_space(studio), RIGHTWARDS) < 2
    # An island that is turned and turned over takes its paint along.
    studio.lay_out(Transform(rotate=67.0))
    assert off_by(in_space(studio), RIGHTWARDS) < 2
    studio.lay_out(Transform(scale=(-1.0, 1.0)))
    assert off_by(in_space(studio), RIGHTWARDS) < 2
    assert layer != copy


@pytest.mark.parametrize("how", ["clone", "smear"])
@pytest.mark.parametrize("other", ["turned by 90°", "mirrored", "turned by 37°"])
def test_a_lean_is_taken_over_a_seam_as_it_stands_in_space(tmp_path: Path, how: str, other: str) -> None:
    studio = board(tmp_path, RIGHT[other])
    place = Throw((0.4, 0.5, 0), OUT, UP, 1.0)
    studio.execute(AddLayer("lean", Decal(leaning(studio, tmp_path), place), {"normal": Channel("picture")}))
    studio.execute(AddLayer("taken", Brushwork(), {}))
    layer, out = studio.project.layers[-1].id, np.array([0.0, 0.0, 1.0])
    if how == "clone":
        stroke = easel.begin_stroke(studio, Brush(0.2, 1.0))
        source, target = Anchor(np.array([0.5, 0.5, 0.0]), out), Anchor(np.array([1.5, 0.5, 0.0]), out)
        clone = easel.begin_clone(studio, stroke, layer, ("normal",), source, target)
        stroke.go_to(np.array([1.5, 0.5, 0.0]), out)
        easel.paint_on_layer(studio, layer, clone.limit(stroke), clone)
        middle = 1.5
    else:
        smear = easel.begin_smear(studio, Brush(0.2, 1.0, spacing=0.1), layer, ("normal",), 1.0)
        smear.go_to(np.array([0.6, 0.5, 0.0]), out)
        smear.go_to(np.array([1.3, 0.5, 0.0]), out)
        easel.paint_on_layer(studio, layer, smear, smear)
        middle = 1.25
    sheet = studio.surface.sheet(studio.surface.keys[0], studio.project.size_of(studio.surface.keys[0]))
    stored = composite_sheet(studio.sources, studio.project, "normal", sheet, 16) / 65535 * 2 - 1
    points = sheet.surface_points(all_chunks(sheet.size)[0])
    near = (points.triangle >= 0) & (np.abs(points.position - [middle, 0.5, 0]).max(axis=-1) < 0.08)
    tangent, bitangent, normal = frames_at(studio.model, points.triangle[near], points.barycentric[near])
    x, y, z = stored[near].T[..., None]
    found = x * tangent + y * bitangent + z * normal
    if how == "smear":  # it thins out on its way: which way it leans is asked
        found[:, 2] = np.hypot(found[:, 0], found[:, 1]) / np.tan(np.radians(LEAN))
    assert near.sum() > 10 and off_by(found, RIGHTWARDS) < 2


@pytest.mark.parametrize("kind", ["wash", "decal"])
@pytest.mark.parametrize("opacity", [1.0, 0.6])
def test_normals_in_a_group_that_is_put_together_by_itself_are_those_outside_of_one(
    kind: str, opacity: float, tmp_path: Path
) -> None:
    studio = tilted(tmp_path, 20.0, False)
    picture = leaning(studio, tmp_path)
    content = Wash() if kind == "wash" else Decal(picture, Lay("a", 1001, (0.5, 0.5), 0.3, 0.3))
    studio.execute(AddLayer("base", Wash(), {"colour": Channel("#808080")}))
    studio.execute(AddLayer("lean", content, {"normal": Channel("picture", picture=picture)}, opacity))
    one = studio.project.layers[-1].id
    direct = in_space(studio)
    studio.execute(AddLayer("group", Group(isolated=True), {}))
    group = studio.project.layers[-1].id
    studio.execute(MoveLayers((one,), 0, group))
    assert np.abs(in_space(studio) - direct).max() < 1e-4 and np.ptp(direct[:, 0]) > (0.1 if kind == "decal" else -1)
    assert np.abs(in_space(studio)[:, 0]).max() > 0.2
    # Masked as a whole, and with an adjustment in it: as a group that lets through, where there is nothing below.
    studio.execute(AddMaskEntry(group, MaskEntry(Fill(0.5))))
    studio.execute(AddLayer("soft", Adjustment(Blur(3.0)), {"normal": Channel()}, into=group))
    isolated = in_space(studio)
    studio.execute(SetGroup(group, isolated=False))
    assert np.abs(isolated - in_space(studio)).max() < 0.02 and np.abs(isolated[:, 0]).max() > 0.05


def test_what_only_gives_normals_has_a_rim(tmp_path: Path) -> None:
    studio = tilted(tmp_path, 0.0, False)
    picture = leaning(studio, tmp_path)
    studio.execute(AddLayer("lean", Decal(picture, Lay("a", 1001, (0.5, 0.5), 0.3, 0.3)),
                            {"normal": Channel("picture", picture=picture)}))  # fmt: skip
    lean = studio.project.layers[-1].id
    studio.execute(AddLayer("wear", Wash(), {"metallic": Channel(1.0)}))
    wear = studio.project.layers[-1]
    studio.execute(AddMaskEntry(wear.id, MaskEntry(RuleShape(Rim(lean, 0.1)))))
    sheet = studio.surface.sheet(studio.surface.keys[0], square(SIZE))
    assert composite_sheet(studio.sources, studio.project, "metallic", sheet, 8).max() > 200
