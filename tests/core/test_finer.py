"""What a finer model has, carried over: against bumps and spheres whose normals and heights are known."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.placing.leaning import frames
from lucky_fern.core.sheets.grid import all_chunks, square
from lucky_fern.core.studio import Studio
from samples import PLANE


def bump(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    return 0.1 * np.exp(-8 * ((x - 1) ** 2 + (y - 1) ** 2))


def sheet_of(path: Path, height: object, count: int = 160, shift: float = 0.0) -> Path:
    """A fine sheet z = height(x, y) over 0 … 2."""
    side = np.linspace(0, 2, count + 1)
    y, x = np.meshgrid(side, side, indexing="ij")
    z = height(x, y)
    lines = [f"v {a + shift:.7f} {b:.7f} {c:.7f}" for a, b, c in zip(x.ravel(), y.ravel(), z.ravel(), strict=True)]
    for row in range(count):
        for column in range(count):
            k = row * (count + 1) + column + 1
            lines.append(f"f {k} {k + 1} {k + count + 2} {k + count + 1}")
    path.write_text("\n".join(lines))
    return path


@pytest.mark.parametrize("turn", [False, True])
def test_a_bump_is_carried_over_with_its_normals_and_heights(tmp_path: Path, turn: bool) -> None:
    text = PLANE
    if turn:  # the layout turned by a quarter: normals lie otherwise in tangent space
        corners = ["vt 0 0", "vt 1 0", "vt 1 1", "vt 0 1"]
        lines = text.splitlines()
        at = [n for n, line in enumerate(lines) if line.startswith("vt")]
        assert len(at) == 4
        for n, old in zip(at, corners, strict=True):
            u, v = map(float, lines[n].split()[1:3])
            lines[n] = f"vt {1 - v} {u}"
            assert old
        text = "\n".join(lines)
    (tmp_path / "plane.obj").write_text(text)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=128)
    low = studio.model.bounds[0]
    sheet_of(tmp_path / "fine.obj", lambda x, y: bump(x, y) + low[2], shift=0.0)
    offset = low[:2]
    if np.abs(offset).max() > 0:
        lines = []
        for line in (tmp_path / "fine.obj").read_text().splitlines():
            if line.startswith("v "):
                a, b, c = map(float, line.split()[1:])
                line = f"v {a + offset[0]:.7f} {b + offset[1]:.7f} {c:.7f}"
            lines.append(line)
        (tmp_path / "fine.obj").write_text("\n".join(lines))
    do_step(
        studio,
        {"do": "survey", "what": ["normal", "height", "occlusion"], "finer": "fine.obj", "cage": 0.2},
        tmp_path,
    )
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    (chunk,) = all_chunks(square(128))
    inside, points, _, _ = studio.sources.survey.places(sheet, chunk)
    x, y = points[:, 0] - offset[0], points[:, 1] - offset[1]
    height = composite_sheet(studio.sources, studio.project, "height", sheet, 16)[inside][:, 0] / 65535
    assert np.abs((height - 0.5) * 0.4 - bump(x, y)).max() < 1e-3
    slope = np.stack([-16 * (x - 1) * bump(x, y), -16 * (y - 1) * bump(x, y)], axis=1)
    want = np.stack([-slope[:, 0], -slope[:, 1], np.ones(len(x))], axis=1)
    want /= np.linalg.norm(want, axis=1, keepdims=True)
    got = composite_sheet(studio.sources, studio.project, "normal", sheet, 16)[inside] / 65535 * 2 - 1
    rows, columns = (one.astype(np.int64) for one in np.nonzero(inside))
    frame = frames(sheet, chunk, rows, columns, sheet.owners(chunk)[rows, columns])
    space = sum(got[:, k : k + 1] * frame[k] for k in range(3))
    assert np.degrees(np.arccos(np.clip((space * want).sum(axis=1), -1, 1))).max() < 1.5
    assert not [note for note in studio.notes if "nothing" in note]


def test_what_lies_elsewhere_or_beyond_the_cage_is_said(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=64)
    low = studio.model.bounds[0]
    sheet_of(tmp_path / "away.obj", lambda x, y: 0 * x + low[2], 8, shift=30.0)
    step = {"do": "survey", "what": ["normal"], "finer": "away.obj", "cage": 0.1}
    with pytest.raises(CommandError, match=r"away\.obj lies .* away"):
        do_step(studio, step, tmp_path)
    sheet_of(tmp_path / "half.obj", lambda x, y: np.where(x < 1, 0.0, 5.0) + low[2], 64, shift=float(low[0]))
    do_step(studio, {**step, "finer": "half.obj", "layer": "Half"}, tmp_path)
    assert any("Half" in note and "half.obj" in note for note in studio.notes)
    marks = studio.project.layers[-1]
    assert marks.name == "Half: nothing found" and not marks.visible and studio.project.layers[-2].name == "Half"
    do_step(studio, {"do": "set", "layer": "Half: nothing found", "visible": True}, tmp_path)
    (sheet,) = studio.surface.sheets(studio.project.size_of)
    pink = composite_sheet(studio.sources, studio.project, "colour", sheet, 8)[..., 1] < 100
    (chunk,) = all_chunks(square(64))
    inside, points, _, _ = studio.sources.survey.places(sheet, chunk)
    there = (points[:, 0] < low[0] + 1) & (points[:, 1] > 0)  # it covers a quarter at that height
    assert (pink[inside] == ~there).mean() > 0.97
    do_step(studio, {**step, "move": True, "layer": "Moved"}, tmp_path)
    assert studio.project.layers[-1].name == "Moved"
    with pytest.raises(CommandError, match="normal, height, occlusion"):
        do_step(studio, {**step, "what": ["moss"]}, tmp_path)
    with pytest.raises(CommandError, match="cage"):
        do_step(studio, {**step, "cage": 0}, tmp_path)


def globe(path: Path, around: int, up: int, layout: bool) -> Path:
    """A sphere of radius 1, its poles left open a little."""
    lines, faces = [], []
    for j in range(up + 1):
        for i in range(around + 1):
            a, b = 2 * np.pi * i / around, np.pi * (0.1 + 0.8 * j / up)
            lines.append(f"v {np.sin(b) * np.cos(a):.8f} {np.cos(b):.8f} {np.sin(b) * np.sin(a):.8f}")
            lines.append(f"vn {np.sin(b) * np.cos(a):.8f} {np.cos(b):.8f} {np.sin(b) * np.sin(a):.8f}")
            if layout:
                lines.append(f"vt {0.02 + 0.96 * i / around:.6f} {0.98 - 0.96 * j / up:.6f}")
    for j in range(up):
        for i in range(around):
            k = j * (around + 1) + i + 1
            quad = (k, k + 1, k + around + 2, k + around + 1)
            faces.append("f " + " ".join(f"{n}/{n if layout else ''}/{n}" for n in quad))
    path.write_text("\n".join(lines + faces))
    return path


def test_a_coarse_sphere_gets_the_normals_and_heights_of_a_fine_one(tmp_path: Path) -> None:
    studio = Studio.new(globe(tmp_path / "coarse.obj", 16, 6, True), sheet_size=128)
    globe(tmp_path / "fine.obj", 256, 160, False)
    do_step(studio, {"do": "survey", "what": ["normal", "height"], "finer": "fine.obj", "cage": 0.2}, tmp_path)
    (sheet,), (chunk,) = studio.surface.sheets(studio.project.size_of), all_chunks(square(128))
    inside, points, _, _ = studio.sources.survey.places(sheet, chunk)
    got = composite_sheet(studio.sources, studio.project, "normal", sheet, 16)[inside] / 65535 * 2 - 1
    rows, columns = (one.astype(np.int64) for one in np.nonzero(inside))
    frame = frames(sheet, chunk, rows, columns, sheet.owners(chunk)[rows, columns])
    space = sum(got[:, k : k + 1] * frame[k] for k in range(3))
    radial = points / np.linalg.norm(points, axis=1, keepdims=True)
    middle = np.abs(points[:, 1]) < 0.7  # at the open ends the way down leaves the fine one
    angle = np.degrees(np.arccos(np.clip((space * radial).sum(axis=1), -1, 1)))[middle]
    assert np.median(angle) < 1.5 and np.quantile(angle, 0.98) < 4
    height = composite_sheet(studio.sources, studio.project, "height", sheet, 16)[inside][:, 0] / 65535
    lifted = (height - 0.5) * 0.4
    assert np.abs(lifted - (1 - np.linalg.norm(points, axis=1)))[middle].max() < 0.005
