"""Patterns: exact at every size, meeting themselves on all sides, with heights; in jobs and in the kit."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from lucky_fern.core.colour import decode_srgb
from lucky_fern.core.errors import CommandError
from lucky_fern.core.preparing.run import op_row
from lucky_fern.core.preparing.state import State
from lucky_fern.core.project.patterns import Bricks, Checker, Noise, Pattern, Planks, Ramp, Stripes, Weave
from lucky_fern.core.studio import Studio
from samples import PLANE, Runner

BLANK = State(np.zeros((4, 4, 4), np.uint8))
ALL = (Noise(), Noise(form="cells"), Noise(form="ridges"), Ramp(back=True), Checker(), Stripes(lean=3), Weave(),
       Bricks(), Planks())  # fmt: skip


def drawn(op: Pattern, size: tuple[int, int]) -> State:
    op = replace(op, size=size)
    op.check()
    return op_row(op).apply(BLANK, op)


@settings(max_examples=30, deadline=None)
@given(wide=st.integers(1, 300), high=st.integers(1, 300), data=st.data())
def test_a_pixel_gets_the_share_that_is_covered_whatever_the_size(wide: int, high: int, data: st.DataObject) -> None:
    thick, gap = data.draw(st.floats(0, 1)), data.draw(st.floats(0, 0.8))
    across = data.draw(st.integers(1, 9))
    clear = {"colour": "#ffffff", "second": None}
    mortar = (1 - gap) * max(0, 1 - gap * across / 6 * (high / wide))  # as thick across as it is high, in pixels
    for op, area in (
        (Stripes(count=across, thick=thick, **clear), thick),
        (Checker(across=2 * across, down=4, **clear), 0.5),
        (Bricks(across=across, down=6, gap=gap, vary=0, **clear), mortar),
    ):
        alpha = drawn(op, (wide, high)).rgba[..., 3] / 255
        assert abs(alpha.mean() - area) <= 0.5 / 255 + 1e-9, op


@pytest.mark.parametrize("op", [Checker(), Stripes(count=5), Bricks(vary=0.0), Ramp(), Ramp(form="middle")])
def test_what_is_drawn_large_is_what_is_drawn_small(op: Pattern) -> None:
    small, large = (decode_srgb(drawn(op, (size, size)).rgba[..., :3] / 255) for size in (90, 720))
    mean = large.reshape(90, 8, 90, 8, 3).mean(axis=(1, 3))
    assert np.abs(mean - small).max() < 0.012


@pytest.mark.parametrize("op", ALL, ids=lambda op: f"{type(op).__name__} {getattr(op, 'form', '')}")
def test_sides_meet_and_heights_follow(op: Pattern) -> None:
    state = drawn(op, (256, 192))
    for map_ in (state.rgba[..., :3].astype(int), state.beside["height"].astype(int)[..., None]):
        for axis in (0, 1):
            step = np.abs(np.diff(map_, axis=axis)).mean(axis=(0, 1, 2)) + 1
            seam = np.abs(np.take(map_, 0, axis) - np.take(map_, -1, axis)).mean()
            steps = np.abs(np.diff(map_, axis=axis)).mean(axis=tuple(one for one in range(3) if one != axis))
            assert seam <= max(2 * step, steps.max() * 1.01), axis
    normal = state.beside["normal"].astype(float) / 32767.5 - 1
    assert np.allclose(np.linalg.norm(normal, axis=2), 1, atol=1e-3)
    assert np.ptp(state.beside["height"]) > 8000
    again = drawn(op, (256, 192))
    assert np.array_equal(again.rgba, state.rgba)


def test_seeds_make_others_and_octaves_stay_within_what_pixels_show() -> None:
    for op in (Noise(), Weave(), Bricks(), Planks()):
        assert not np.array_equal(drawn(op, (64, 64)).rgba, drawn(replace(op, seed=5), (64, 64)).rgba)
    values = drawn(Noise(octaves=8), (512, 512)).beside["height"] / 65535
    assert abs(values.mean() - 0.5) < 0.05 and values.std() > 0.1


def test_jobs_draw_patterns_and_say_what_is_wrong(tmp_path: Path, run_job: Runner) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    pattern = {"do": "pattern", "pattern": "bricks", "name": "wall", "size": [128, 128], "colour": "#9c4a34"}
    wash = {"do": "wash", "name": "Wall", "pictures": {"colour": "wall", "height": "wall height"}}
    job = {"job": 1, "model": "plane.obj", "sheet_size": 128, "steps": [pattern, pattern, wash], "save": "a.fern"}
    result = run_job(job, "a")
    assert result.returncode == 0, result.stderr
    studio = Studio.open(tmp_path / "a.fern")
    assert {"wall", "wall height", "wall normal", "wall 2"} <= studio.project.pictures.keys()
    assert studio.project.pictures["wall height"].taken == "data"
    for wrong, said in (({"pattern": "tartan"}, "noise"), ({"down": 3}, "do not meet"), ({"gap": 2}, "gap"),
                        ({"colour": "red"}, "#rrggbb"), ({"size": [0, 9]}, "size")):  # fmt: skip
        result = run_job({**job, "steps": [{**pattern, **wrong}]}, "b")
        assert result.returncode == 2 and said in result.stderr, result.stderr
    with pytest.raises(CommandError, match="even"):
        Checker(across=3).check()
