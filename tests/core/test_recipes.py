"""Recipes: kept in one project, put onto another model, with all that can come along."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from cubes import begun, box
from lucky_fern.core.bundles import bundle_of, take_bundle
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.core.jobs.steps import do_step
from lucky_fern.core.project.commands import KeepRecipe, RemoveLayers
from lucky_fern.core.project.document import walk
from lucky_fern.core.project.rules import Rim
from lucky_fern.core.recipe_look import look_of
from lucky_fern.core.recipe_shelf import at_hand
from lucky_fern.core.recipes import keep_recipe, read_recipe, take_recipe
from lucky_fern.core.studio import Studio
from samples import Runner, save_png


def worn(tmp_path: Path) -> Studio:
    """A group of rust along edges, broken up, chipped round a mark that is in it, with a painted layer."""
    studio = begun(box(tmp_path / "cube.obj"), 128)
    save_png(tmp_path / "mark.png", np.full((8, 8, 3), 180, np.uint8))
    place = {"mode": "throw", "point": [0.5, 0.5, 1.0], "normal": [0, 0, 1], "width": 0.5, "height": 0.5}
    rust = {"do": "wash", "name": "Rust", "values": {"colour": "#7a3b1d", "roughness": 0.9}}
    mark = {"do": "decal", "name": "Mark", "picture": "mark.png", "place": place}
    hand = {"do": "brushwork", "name": "By hand"}
    do_step(studio, {"do": "group", "name": "Old", "steps": [rust, mark, hand]}, tmp_path)
    for keys in ({"rule": "edges", "low": 0.1}, {"rule": "grain", "mode": "intersect"},
                 {"rule": "rim", "of": "Mark", "reach": 0.1, "mode": "add"}):  # fmt: skip
        do_step(studio, {"do": "mask", "layer": "Rust", "kind": "rule", **keys}, tmp_path)
    stroke = {"do": "stroke", "layer": "By hand", "radius": 0.1, "values": {"colour": "#ffffff"},
              "points": [[0.2, 0.2, 1.0], [0.8, 0.3, 1.0]]}  # fmt: skip
    do_step(studio, stroke, tmp_path)
    return studio


def colour(studio: Studio) -> np.ndarray:
    return composite_sheet(
        studio.sources, studio.project, "colour", studio.surface.sheets(studio.project.size_of)[0], 8
    )


def test_a_recipe_looks_on_another_project_as_it_did_but_for_what_was_painted(tmp_path: Path) -> None:
    studio = worn(tmp_path)
    group = studio.project.layers[-1]
    data, told = keep_recipe(studio, group.id, "old iron")
    assert any("By hand" in one for one in told) and not any("paths" in one for one in told)
    other = begun(box(tmp_path / "other.obj"), 128)
    other.execute(take_recipe(other, data, "old.fernrecipe", "Older"))
    taken = other.project.layers[-1]
    assert taken.name == "Older" and [one.name for one in taken.children] == ["Rust", "Mark", "By hand"]
    (rim,) = [entry.shape.rule for mask in other.project.masks.values() for entry in mask.entries
              if isinstance(entry.shape.rule, Rim)]  # fmt: skip
    assert rim.of == taken.children[1].id
    by_hand = group.children[-1]
    do_step(studio, {"do": "group", "name": "nothing", "steps": []}, tmp_path)
    studio.execute(RemoveLayers((by_hand.id,)))
    assert np.array_equal(colour(other), colour(studio)) and np.ptp(colour(other)) > 0


def test_rims_go_by_the_copies_when_layers_are_copied(tmp_path: Path) -> None:
    studio = worn(tmp_path)
    command, _ = take_bundle(studio, bundle_of(studio, (studio.project.layers[-1].id,)))
    studio.execute(command)
    first, second = studio.project.layers[-2:]
    rims = [
        {entry.shape.rule.of for number in [one.mask for one in walk((group,)) if one.mask is not None]
         for entry in studio.project.masks[number].entries if isinstance(entry.shape.rule, Rim)}
        for group in (first, second)
    ]  # fmt: skip
    assert rims == [{first.children[1].id}, {second.children[1].id}]


def test_jobs_keep_recipes_and_put_them_on(run_job: Runner, tmp_path: Path) -> None:
    box(tmp_path / "cube.obj")
    box(tmp_path / "small.obj", scale=0.01)
    wash = {"do": "wash", "name": "Bare", "values": {"colour": "#808080", "metallic": 1}}
    mask = {"do": "mask", "layer": "Bare", "kind": "rule", "rule": "edges"}
    keep = {"do": "keep-recipe", "layer": "Bare", "name": "bare edges", "out": "bare.fernrecipe"}
    survey = {"do": "survey", "what": ["edges"]}
    done = run_job({"job": 1, "model": "cube.obj", "sheet_size": 64, "steps": [survey, wash, mask, keep]}, "one")
    assert done.returncode == 0 and (tmp_path / "bare.fernrecipe").is_file(), done.stderr
    put = {"do": "recipe", "from": "bare.fernrecipe", "name": "Edges", "scope": {"materials": ["default"]}}
    done = run_job({"job": 1, "model": "small.obj", "sheet_size": 64, "steps": [{"do": "recipe", "from": "bare.fernrecipe",
                    "name": "Edges"}], "save": "small.fern",
                    "exports": [{"preset": "gltf", "out": "maps"}]}, "two")  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert Studio.open(tmp_path / "small.fern").project.layers[-1].name == "Edges"
    (tmp_path / "bad.fernrecipe").write_bytes((tmp_path / "bare.fernrecipe").read_bytes()[:200])
    for name, words in (("bad.fernrecipe", "bad.fernrecipe"), ("none.fernrecipe", "none.fernrecipe")):
        done = run_job({"job": 1, "model": "cube.obj", "steps": [{**put, "from": name}]}, "three")
        assert done.returncode == 2 and words in done.stderr and "Traceback" not in done.stderr


@pytest.mark.parametrize(
    "step", [{"do": "survey", "what": ["moss"]}, {"do": "keep-recipe", "layer": "Wear", "out": "a.zip"}]
)
def test_what_cannot_be_is_said(step: dict[str, object], tmp_path: Path) -> None:
    with pytest.raises(LuckyFernError, match=r"moss|fernrecipe"):
        do_step(begun(box(tmp_path / "cube.obj"), 64), step, tmp_path)


def test_a_recipe_is_kept_in_the_project_and_put_on_by_its_name(tmp_path: Path) -> None:
    studio = worn(tmp_path)
    do_step(studio, {"do": "keep-recipe", "layer": "Old", "name": "Old iron"}, tmp_path)
    do_step(studio, {"do": "keep-recipe", "layer": "Old", "name": "../iron: 1/2"}, tmp_path)
    studio.save(tmp_path / "kept.fern")
    again = Studio.open(tmp_path / "kept.fern")
    assert set(again.project.recipes) == {"Old iron", "../iron: 1/2"}
    for source, name in (
        ("old iron", "Old 2"),
        ("../iron: 1/2", "Old 3"),
        ("Rust", "Rust 2"),
        ("Runs below edges", "Runs below edges"),
    ):
        do_step(again, {"do": "recipe", "from": source}, tmp_path)
        assert again.project.layers[-1].name == name
    with pytest.raises(LuckyFernError, match=r"no recipe 'moss'; there are \.\./iron: 1/2, Old iron, .*Rust"):
        do_step(again, {"do": "recipe", "from": "moss"}, tmp_path)
    again.execute(KeepRecipe("Old iron", None))
    assert list(again.project.recipes) == ["../iron: 1/2"]
    again.jump(again.history.at - 1)
    again.save(tmp_path / "twice.fern")
    assert Studio.open(tmp_path / "twice.fern").project.recipes == studio.project.recipes


def test_a_recipes_picture_shows_what_it_does_on_a_block(tmp_path: Path) -> None:
    looks = {}
    for kept in at_hand(None, tmp_path):
        if kept.name in ("Rust", "Enamel", "Neon tube", "Glass"):
            looks[kept.name] = look_of(*read_recipe(kept.read(), kept.name), 40).astype(float)
    front = {name: look[22:30, 12:18].reshape(-1, 4).mean(axis=0) for name, look in looks.items()}
    assert front["Rust"][0] > 1.3 * front["Rust"][2] and front["Enamel"][1] > 1.3 * front["Enamel"][0]
    assert front["Neon tube"][:3].mean() > front["Rust"][:3].mean() + 60
    assert front["Rust"][3] == 255 and front["Glass"][3] < 128
    corner = looks["Rust"][0, 0]
    assert corner[3] == 0


def test_paths_drawn_by_hand_are_told(tmp_path: Path) -> None:
    studio = begun(box(tmp_path / "cube.obj"), 64)
    path = {"points": [[0.2, 0.5, 1], [0.8, 0.5, 1]], "normals": [[0, 0, 1]] * 2}
    do_step(studio, {"do": "edging", "name": "Seam", "along": "path", **path}, tmp_path)
    assert any("paths" in one and "Seam" in one for one in keep_recipe(studio, studio.project.layers[-1].id)[1])
