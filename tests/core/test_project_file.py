"""The .fern file: everything comes back, and nothing foreign opens."""

from __future__ import annotations

import json
import tracemalloc
import zipfile
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from lucky_fern.core.errors import Cancelled, ExportError, ProjectError
from lucky_fern.core.project.blobs import Blobs
from lucky_fern.core.project.commands import AddLayer, PaintPixels
from lucky_fern.core.project.document import Brushwork, KitPicture, ModelSource, Project
from lucky_fern.core.project.file import members_of, open_project, pack, save_project
from lucky_fern.core.project.loans import LentView, Loan
from lucky_fern.core.project.painted import encode_chunk
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.preparations import Preparation
from lucky_fern.core.project.references import needed_digests
from lucky_fern.core.sheets.grid import square
from lucky_fern.core.studio import Studio
from lucky_fern.demo.world import demo_studio, ensure_world
from samples import made_world


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return ensure_world(made_world() or tmp_path_factory.mktemp("otterwick"))


def test_a_project_comes_back_whole_and_saves_the_same_bytes(world: Path, tmp_path: Path) -> None:
    studio = demo_studio("ferry", world)
    assert not studio.changed
    studio.save(tmp_path / "a.fern")
    again = Studio.open(tmp_path / "a.fern")
    assert again.project == studio.project
    assert (again.model.positions == studio.model.positions).all()
    assert pack(again.project, again.blobs) == (tmp_path / "a.fern").read_bytes()


def test_damaged_and_foreign_files_give_a_sentence(world: Path, tmp_path: Path) -> None:
    good = (world / "kettle.fern").read_bytes()
    cases = {
        "cut.fern": good[: len(good) // 2],
        "text.fern": b"hello",
        "empty.fern": b"",
    }
    with zipfile.ZipFile(tmp_path / "other.fern", "w") as archive:
        archive.writestr("mimetype", "something else")
    with zipfile.ZipFile(tmp_path / "newer.fern", "w") as archive:
        archive.writestr("project.json", '{"lucky-fern": 99, "project": {}, "contents": {}}')
    with zipfile.ZipFile(tmp_path / "odd.fern", "w") as archive:
        archive.writestr("project.json", '{"lucky-fern": 1, "project": {"name": 5}, "contents": {}}')
    for name, data in cases.items():
        (tmp_path / name).write_bytes(data)
    for path in sorted(tmp_path.glob("*.fern")):
        with pytest.raises(ProjectError, match=path.name.replace(".", r"\.")):
            open_project(path)
    with pytest.raises(ProjectError, match="newer"):
        open_project(tmp_path / "newer.fern")
    # A picture or model whose bytes are not those that were saved is noticed.
    with zipfile.ZipFile(world / "kettle.fern") as source, zipfile.ZipFile(tmp_path / "swapped.fern", "w") as target:
        for item in source.namelist():
            target.writestr(item, source.read(item) + (b"#" if item.startswith("model/") else b""))
    with pytest.raises(ProjectError, match="damaged"):
        open_project(tmp_path / "swapped.fern")


def test_a_refused_save_keeps_the_old_file(world: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import os

    studio = demo_studio("kettle", world)
    path = tmp_path / "k.fern"
    studio.save(path)
    old = path.read_bytes()

    def refuse(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", refuse)
    with pytest.raises(ExportError, match=r"k\.fern cannot be written"):
        studio.save(path)
    assert path.read_bytes() == old and list(tmp_path.iterdir()) == [path]


def test_a_project_opens_from_its_stored_arrays_or_from_its_model_files(world: Path, tmp_path: Path) -> None:
    first = demo_studio("flask", world)
    with zipfile.ZipFile(world / "flask.fern") as source, zipfile.ZipFile(tmp_path / "old.fern", "w") as target:
        top = json.loads(source.read("project.json"))
        gone = top["contents"].pop(top["project"]["model"].pop("arrays"))
        target.writestr("project.json", json.dumps(top))
        for item in source.namelist():
            if item not in ("project.json", gone):
                target.writestr(item, source.read(item))
    again = Studio.open(tmp_path / "old.fern")
    for name in ("positions", "triangles", "uv", "normals", "tangents", "material", "part", "polygon"):
        assert np.array_equal(getattr(first.model, name), getattr(again.model, name), equal_nan=True), name
    assert (first.model.materials, first.model.parts) == (again.model.materials, again.model.parts)


def test_painted_pixels_are_read_when_asked_for_also_from_a_file_that_was_replaced(
    world: Path, tmp_path: Path
) -> None:
    studio = demo_studio("kettle", world)
    texels = np.random.default_rng(1).integers(0, 256, (256, 256, 4), np.uint8)
    digest = studio.blobs.add(encode_chunk(texels))
    studio.execute(AddLayer("Paint", Brushwork(), {}))
    key = str(studio.surface.keys[0])
    studio.execute(PaintPixels(studio.project.layers[-1].id, key, square(64), {"colour": {"0,0": digest}}))
    path = tmp_path / "p.fern"
    studio.save(path)
    again = Studio.open(path)
    demo_studio("kettle", world).save(path)
    assert again.blobs[digest] == studio.blobs[digest]
    again.save(path)
    good = path.read_bytes()
    at = good.index(studio.blobs[digest])
    path.write_bytes(good[: at + 20] + bytes([good[at + 20] ^ 1]) + good[at + 21 :])
    spoilt = Studio.open(path)
    with pytest.raises(ProjectError, match=r"painted pixels in p\.fern are damaged; take an older copy"):
        spoilt.blobs.fetch()


def test_every_content_that_a_project_needs_has_a_place_in_its_file() -> None:
    kit = KitPicture("a.png", "1" * 64, 1, 1, prepared=Preparation("b.jpg", "2" * 64), terms="3" * 64)
    place = Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 1.0)
    project = Project(
        "all", ModelSource("m.obj", {"m.obj": "4" * 64}, "5" * 64, 1, "6" * 64), pictures={"a": kit},
        recipes={"r": "7" * 64}, loans={"l": Loan("m:1001", 64, (0, 0, 9, 9), {"colour": "8" * 64}, laid="b" * 64)},
        lent_views={"v": LentView(place, "9" * 64)}, measured="a" * 64,
    )  # fmt: skip
    assert members_of(project).keys() == needed_digests(project)


def test_saving_holds_one_member_at_a_time_and_can_be_ended_until_the_file_is_in_place(tmp_path: Path) -> None:
    blobs, project = Blobs(), Project("large")
    for seed in range(8):
        digest = blobs.add(np.random.default_rng(seed).bytes(4 << 20))
        project = replace(
            project, pictures={**project.pictures, f"p{seed}": KitPicture(f"p{seed}.png", digest, 1, 1)}
        )
    path, told = tmp_path / "large.fern", []
    tracemalloc.start()
    try:
        save_project(path, project, blobs, told=told.append)
        assert tracemalloc.get_traced_memory()[1] < 6 << 20
    finally:
        tracemalloc.stop()
    assert told == sorted(told) and told[-1] == 1.0 and path.read_bytes() == pack(project, blobs)

    def stop(share: float) -> None:
        if share == 1.0:
            raise Cancelled("enough")

    with pytest.raises(Cancelled):
        save_project(path, Project("other"), blobs, True, stop)
    assert path.read_bytes() == pack(project, blobs) and list(tmp_path.iterdir()) == [path]
