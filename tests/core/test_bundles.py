"""Layers copied from one project into another, with all that they refer to."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.bundles import bundle_of, take_bundle
from lucky_fern.core.compositing.compositor import composite_sheet
from lucky_fern.core.errors import CommandError, ProjectError
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.checking import check_project
from lucky_fern.core.project.commands import AddLayer, AddMaskEntry, GroupLayers, SaveSelection
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.places import Lay
from lucky_fern.core.project.plain import Scope
from lucky_fern.core.project.shapes import MaskEntry, PictureShape
from lucky_fern.core.sheets.faces import pack_faces
from lucky_fern.core.studio import Studio
from samples import save_png


def laid_out(studio: Studio, picture: Path) -> None:
    """A group of a decal with a masked, confined wash above it."""
    name = studio.add_picture(picture)
    assert isinstance(name, str)
    studio.execute(SaveSelection("half", pack_faces(np.array([True, False]))))
    studio.execute(
        AddLayer("crest", Decal(name, Lay("paint", 1001, (0.5, 0.5), 0.4)), {"colour": Channel("picture")})
    )
    studio.execute(AddLayer("gloss", Wash(), {"roughness": Channel(0.1)}, scope=Scope(selections=("half",))))
    number = studio.project.layers[-1].id
    studio.execute(AddMaskEntry(number, MaskEntry(PictureShape(name, Lay("paint", 1001, (0.5, 0.5), 0.8)))))
    studio.execute(GroupLayers(tuple(layer.id for layer in studio.project.layers)))


def maps_of(studio: Studio) -> dict[str, np.ndarray]:
    sheet = studio.surface.sheets(studio.project.size_of)[0]
    return {name: composite_sheet(studio.sources, studio.project, name, sheet, 8) for name in MAPS}


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    return save_png(tmp_path / "crest.png", np.random.default_rng(3).integers(0, 256, (20, 30, 4), dtype=np.uint8))


def test_layers_look_the_same_in_the_project_they_were_pasted_into(
    plane: Path, picture: Path, tmp_path: Path
) -> None:
    one, other = (Studio.new(plane, sheet_size=64) for _ in range(2))
    laid_out(one, picture)
    # Another picture and another selection have the names already.
    taken = save_png(tmp_path / "other" / picture.name if (tmp_path / "other").mkdir() is None else picture,
                     np.zeros((4, 4, 3), np.uint8))  # fmt: skip
    other.add_picture(taken)
    other.execute(SaveSelection("half", pack_faces(np.array([False, True]))))
    command, told = take_bundle(other, bundle_of(one, (one.project.layers[-1].id,)))
    other.execute(command)
    assert not told and len(other.project.pictures) == 2 and len(other.project.selections) == 2
    check_project(other.project, "pasted")
    before, after = maps_of(one), maps_of(other)
    assert all(np.array_equal(before[name], after[name]) for name in MAPS)
    assert np.ptp(before["roughness"]) > 50 and np.ptp(before["colour"]) > 100
    # Pasted where it came from, nothing comes twice but the layers; a project of it is saved and opened.
    pictures, selections = len(one.project.pictures), len(one.project.selections)
    one.execute(take_bundle(one, bundle_of(one, (one.project.layers[-1].id,)))[0])
    assert (len(one.project.pictures), len(one.project.selections)) == (pictures, selections)
    assert len(one.project.layers) == 2 and len({layer.id for layer in one.project.walk()}) == 6
    other.save(tmp_path / "pasted.fern")
    again = maps_of(Studio.open(tmp_path / "pasted.fern"))
    assert all(np.array_equal(after[name], again[name]) for name in MAPS)


def test_what_is_of_the_other_model_alone_stays_behind_and_is_told(
    plane: Path, picture: Path, tmp_path: Path
) -> None:
    one = Studio.new(plane, sheet_size=64)
    laid_out(one, picture)
    (tmp_path / "mug.obj").write_text(plane.read_text().replace("usemtl paint", "usemtl glaze"))
    other = Studio.new(tmp_path / "mug.obj", sheet_size=64)
    command, told = take_bundle(other, bundle_of(one, (one.project.layers[-1].id,)))
    other.execute(command)
    assert len(told) == 1 and "confined" in told[0]
    layers = {layer.name: layer for layer in other.project.walk()}
    assert not layers["gloss"].visible and layers["gloss"].scope == Scope() and layers["crest"].visible
    with pytest.raises(ProjectError):
        take_bundle(other, b"PK not a bundle")
    with pytest.raises(CommandError):
        bundle_of(one, (999,))
