"""What the layout check offers mends what it found: odd models by the hand of nobody who made the program's own."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from cubes import box
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.layout.check import check_layout
from lucky_fern.core.layout.findings import Finding
from lucky_fern.core.layout.remedies import faces_for, remedies
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.models import marsh_hen, soup_flask, tea_kettle
from samples import PLANE

CORNERS = ((0, 0), (1, 0), (1, 1), (0, 1))
SIDES = ((1, 2, 4, 3), (5, 7, 8, 6), (1, 5, 6, 2), (3, 4, 8, 7), (1, 3, 7, 5), (2, 6, 8, 4))


def stacked_box() -> str:
    points = [f"v {x} {2 * y} {3 * z}" for x in (0, 1) for y in (0, 1) for z in (0, 1)]
    faces = ["f " + " ".join(f"{v}/{k + 1}" for k, v in enumerate(side)) for side in SIDES]
    return "\n".join([*points, *(f"vt {u} {v}" for u, v in CORNERS), *faces])


def bare_box() -> str:
    return "\n".join(
        [*(f"v {x} {y} {z}" for x in (0, 1) for y in (0, 1) for z in (0, 1)),
         *("f " + " ".join(map(str, side)) for side in SIDES)]
    )  # fmt: skip


def mirrored_halves(count: int = 8) -> str:
    """Half a tube and its mirror image, joined along two lines, on one place of the sheet."""
    points, faces = [], []
    for number, side in enumerate((1, -1)):
        for i in range(count + 1):
            turn = np.pi * np.arange(count + 1) / count
            points += [f"v {side * np.sin(a):.9f} {np.cos(a):.9f} {3 * i / count}" for a in turn]
        faces.append(f"o half{number}")
        for i in range(count):
            for j in range(count):
                k = number * (count + 1) ** 2 + i * (count + 1) + j + 1
                quad = [k, k + count + 1, k + count + 2, k + 1]
                places = [n - number * (count + 1) ** 2 for n in quad]
                pairs = [f"{n}/{p}" for n, p in zip(quad, places, strict=True)]
                faces.append("f " + " ".join(pairs[::-1] if side < 0 else pairs))
    grid = [
        f"vt {0.05 + 0.9 * i / count} {0.05 + 0.9 * j / count}" for i in range(count + 1) for j in range(count + 1)
    ]
    return "\n".join([*points, *grid, *faces])


def shells() -> str:
    """Six materials; shells below, beyond and across tiles, one of them repeating three times."""
    text = []
    places = [(-1.7, 0.2, 0.5), (0.8, 0.1, 0.4), (3.2, -2.5, 0.4), (11.2, 0.3, 0.3), (0.1, 0.6, 0.2), (1.0, 1.0, 3.0)]
    for number, (u, v, side) in enumerate(places):
        text += [f"o shell{number}", f"usemtl paint{number}"]
        text += [f"v {2 * number + a} {b} 0" for a, b in CORNERS] + [
            f"vt {u + a * side} {v + b * side}" for a, b in CORNERS
        ]
        text.append("f " + " ".join(f"{number * 4 + k + 1}/{number * 4 + k + 1}" for k in range(4)))
    return "\n".join(text)


def wrong_axis(count: int = 6) -> str:
    """A wall mapped from above, so that nearly all of it lies on one line and folds over itself."""
    rows = [(i, j) for i in range(count + 1) for j in range(count + 1)]
    text = [f"v {2 * i / count} {j / count} {0.03 * np.sin(j)}" for i, j in rows]
    text += [f"vt {0.1 + 0.8 * i / count} {0.5 + 0.01 * np.sin(j)}" for i, j in rows]
    for i in range(count):
        for j in range(count):
            k = i * (count + 1) + j + 1
            text.append("f " + " ".join(f"{n}/{n}" for n in (k, k + count + 1, k + count + 2, k + 1)))
    return "\n".join(text)


def squeezed() -> str:
    """A square with three times the texels one way, beside one as it should be."""
    text = []
    for number, (wide, high) in enumerate(((0.3, 0.1), (0.3, 0.3))):
        text += [f"v {2 * number + a} {b} 0" for a, b in CORNERS]
        text += [f"vt {0.1 + 0.4 * number + a * wide} {0.2 + b * high}" for a, b in CORNERS]
        text.append("f " + " ".join(f"{number * 4 + k + 1}/{number * 4 + k + 1}" for k in range(4)))
    return "\n".join(text)


@pytest.mark.parametrize(
    ("text", "first", "most"),
    [
        (stacked_box(), ("overlap", "Lay out as a box"), 1),
        (bare_box(), ("no-uv", "Lay out as a box"), 1),
        (mirrored_halves(), ("flipped", "Flip"), 1),
        (shells(), ("outside", "Bring onto a tile"), 4),
        (wrong_axis(), ("folded", "Flatten along their normals"), 2),
        (squeezed(), ("stretch", "Flatten along their normals"), 2),
    ],
)
def test_the_first_remedy_of_each_sentence_mends_it(
    tmp_path: Path, text: str, first: tuple[str, str], most: int
) -> None:
    (tmp_path / "odd.obj").write_text(text)
    studio = Studio.new(tmp_path / "odd.obj", sheet_size=256)

    def worries():
        return [one for one in check_layout(studio.surface, lambda key: square(256)) if one.worry]

    found = worries()
    assert (found[0].kind, remedies(studio.surface, studio.project.size_of, found[0])[0].title) == first
    before, told = studio.model.uv, 0
    while found and told < 6:
        remedy = remedies(studio.surface, studio.project.size_of, found[0])[0]
        studio.lay_out(remedy.edit, faces_for(studio.surface, found[0], remedy))
        assert found[0].kind not in [one.kind for one in worries()]
        found, told = worries(), told + 1
    assert not found and told <= most
    studio.jump(0)
    assert np.array_equal(studio.model.uv, before, equal_nan=True)


def test_mirrored_halves_are_twins_and_not_a_fold(tmp_path: Path) -> None:
    (tmp_path / "odd.obj").write_text(mirrored_halves())
    studio = Studio.new(tmp_path / "odd.obj", sheet_size=256)
    found = check_layout(studio.surface, lambda key: square(256))
    assert {one.kind for one in found} == {"flipped", "twins"}
    assert "1 pair of mirrored twins" in next(one for one in found if one.kind == "twins").sentence


def inverted(text: str) -> str:
    """The same with every face the other way round."""
    return "\n".join("f " + " ".join(line.split()[:0:-1]) if line.startswith("f ") else line
                     for line in text.splitlines())  # fmt: skip


def found_inside_out(studio: Studio) -> list[Finding]:
    return [one for one in check_layout(studio.surface, studio.project.size_of) if one.kind == "inside-out"]


def test_a_model_that_is_inside_out_is_said_and_turned_over_with_its_paint(tmp_path: Path) -> None:
    box(tmp_path / "good.obj")
    box(tmp_path / "bad.obj", inward=True)
    good = Studio.new(tmp_path / "good.obj", sheet_size=64)
    bad = Studio.new(tmp_path / "bad.obj", sheet_size=64)
    assert not found_inside_out(good)
    (finding,) = found_inside_out(bad)
    assert finding.sentence.startswith("The model is inside out") and len(finding.triangles) == 12
    do_step(bad, {"do": "brushwork", "name": "Paint"}, tmp_path)
    stroke = {"do": "stroke", "layer": "Paint", "points": [[0.3, 0.5, 1.0], [0.6, 0.4, 1.0]], "radius": 0.2,
              "values": {"colour": "#cc3311"}}  # fmt: skip
    do_step(bad, stroke, tmp_path)
    (remedy,) = remedies(bad.surface, bad.project.size_of, finding)

    def painted(studio: Studio) -> np.ndarray:
        (sheet,) = studio.surface.sheets(studio.project.size_of)
        return composite_sheet(studio.sources, studio.project, "colour", sheet, 8)

    before = painted(bad)
    bad.lay_out(remedy.edit, faces_for(bad.surface, finding, remedy))
    assert not found_inside_out(bad) and np.array_equal(painted(bad), before)
    bad.save(tmp_path / "turned.fern")
    again = Studio.open(tmp_path / "turned.fern")
    middle = again.model.corners.mean(axis=1) - 0.5
    assert ((again.model.face_normals * middle).sum(axis=1) > 0).all()
    assert ((again.model.normals.mean(axis=1) * middle).sum(axis=1) > 0).all()
    assert np.array_equal(painted(again), before)


def test_hollows_sheets_and_the_demo_models_are_not_called_inside_out(tmp_path: Path) -> None:
    outer, inner = box(tmp_path / "a.obj"), box(tmp_path / "b.obj", 0.2, 0.8, inward=True)
    shell = outer.read_text().splitlines()
    for line in inner.read_text().splitlines():
        if line.startswith("f "):
            pairs = [tuple(map(int, one.split("/"))) for one in line.split()[1:]]
            line = "f " + " ".join(f"{v + 8}/{t + 24}" for v, t in pairs)
        shell.append(line)
    (tmp_path / "shell.obj").write_text("\n".join(shell))
    assert not found_inside_out(Studio.new(tmp_path / "shell.obj", sheet_size=64))
    (tmp_path / "plane.obj").write_text(PLANE)
    assert not found_inside_out(Studio.new(tmp_path / "plane.obj", sheet_size=64))
    (tmp_path / "tube.obj").write_text(inverted(mirrored_halves()))
    tube = Studio.new(tmp_path / "tube.obj", sheet_size=64)
    (tmp_path / "other.obj").write_text(mirrored_halves())
    other = Studio.new(tmp_path / "other.obj", sheet_size=64)
    assert [len(found_inside_out(one)) for one in (tube, other)] == [1, 0]
    for make in (marsh_hen, soup_flask, tea_kettle):
        make(tmp_path / "demo.obj")
        assert not found_inside_out(Studio.new(tmp_path / "demo.obj", sheet_size=64))
