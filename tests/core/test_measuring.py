"""What was measured is kept: on the computer's shelf, in the project, and never used where it is not true any more."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from cubes import begun, box
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import Cancelled
from lucky_fern.core.incoming import prepare_replacement
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.measuring import keep_measured, measure, rules_of
from lucky_fern.core.studio import Studio
from lucky_fern.core.survey import rays, survey


def worn(folder: Path) -> Studio:
    studio = begun(box(folder / "cube.obj"), 512)
    for keys in ({"rule": "edges", "reach": 0.1}, {"rule": "occlusion", "rays": 8, "mode": "add"},
                 {"rule": "drips", "mode": "add"}, {"rule": "grain", "mode": "add"}):  # fmt: skip
        do_step(studio, {"do": "mask", "layer": "Wear", "kind": "rule", **keys}, folder)
    return studio


def colour(studio: Studio) -> np.ndarray:
    (sheet,) = studio.surface.sheets(studio.project.size_of)
    return composite_sheet(studio.sources, studio.project, "colour", sheet, 8)


@pytest.fixture
def no_shelf(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))


@pytest.mark.usefixtures("no_shelf")
def test_a_project_that_holds_what_is_measured_opens_elsewhere_without_measuring(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio = worn(tmp_path)
    before = colour(studio)
    shares: list[float] = []
    studio.execute(keep_measured(studio, shares.append))
    assert shares == sorted(shares) and shares[-1] == 1 and len(rules_of(studio)) == 4
    studio.save(tmp_path / "kept.fern")
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "another computer"))
    for room, name in ((survey, "lean"), (survey, "climbed"), (rays.Rays, "covered")):
        monkeypatch.setattr(room, name, None)  # whoever measures fails
    again = Studio.open(tmp_path / "kept.fern")
    assert np.array_equal(colour(again), before)


@pytest.mark.usefixtures("no_shelf")
def test_what_is_kept_is_not_used_for_another_model(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    studio = worn(tmp_path)
    studio.execute(keep_measured(studio))
    lower = (tmp_path / "cube.obj").read_text().replace("1.0 ", "0.7 ")
    assert lower != (tmp_path / "cube.obj").read_text()
    (tmp_path / "lower.obj").write_text(lower)
    studio.execute(prepare_replacement(studio, tmp_path / "lower.obj").command)
    kept = colour(studio)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "another computer"))
    plain = Studio.new(tmp_path / "lower.obj", sheet_size=512)
    do_step(plain, {"do": "wash", "name": "Wear", "values": {"colour": "#aa7744"}}, tmp_path)
    for keys in ({"rule": "edges", "reach": 0.1}, {"rule": "occlusion", "rays": 8, "mode": "add"},
                 {"rule": "drips", "mode": "add"}, {"rule": "grain", "mode": "add"}):  # fmt: skip
        do_step(plain, {"do": "mask", "layer": "Wear", "kind": "rule", **keys}, tmp_path)
    assert np.array_equal(colour(plain), kept)


@pytest.mark.usefixtures("no_shelf")
def test_measuring_is_called_off_between_two_batches(tmp_path: Path) -> None:
    studio = worn(tmp_path)

    def tell(share: float) -> None:
        if share > 0.2:
            raise Cancelled("called off")

    with pytest.raises(Cancelled):
        measure(studio, rules_of(studio) * 8, tell)
    assert studio.project.measured is None and studio.sources.survey._record is None
