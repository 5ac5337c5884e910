"""Exports: what is written, how deep, how large, and how names are made."""

from __future__ import annotations

import os
import threading
from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.colour import decode_srgb, encode_srgb
from lucky_fern.core.compositing.changes import everything
from lucky_fern.core.compositing.compositor import MapStore
from lucky_fern.core.errors import Cancelled, CommandError, ExportError
from lucky_fern.core.exporting.exporter import export
from lucky_fern.core.exporting.plans import plan_export
from lucky_fern.core.exporting.png import encode_png
from lucky_fern.core.project.commands import AddLayer, SetLayer, SetSheetSize
from lucky_fern.core.project.document import Channel, Decal, Wash
from lucky_fern.core.project.export_setup import ExportSetup, check_setup, file_name, safe_name
from lucky_fern.core.project.places import Lay
from lucky_fern.core.sheets.grid import SheetKey, square
from lucky_fern.core.studio import Studio
from samples import read_png, save_png, soft_noise

TWO = """o a\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt .1 .1\nvt .9 .1\nvt .9 .9\nvt .1 .9
usemtl {first}\nf 1/1 2/2 3/3 4/4
o b\nv 2 0 0\nv 3 0 0\nv 3 1 0\nv 2 1 0\nusemtl {second}\nf 5/1 6/2 7/3 8/4
"""


def studio_on(tmp_path: Path, first: str = "steel", second: str = "wood") -> Studio:
    (tmp_path / "two.obj").write_text(TWO.format(first=first, second=second))
    studio = Studio.new(tmp_path / "two.obj", sheet_size=64)
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#406080")}))
    return studio


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
@pytest.mark.parametrize("count", [1, 3, 4])
def test_png_bytes_read_back_exactly(tmp_path: Path, kind: type, count: int) -> None:
    pixels = np.random.default_rng(count).integers(0, np.iinfo(kind).max, (7, 5, count)).astype(kind)
    (tmp_path / "x.png").write_bytes(encode_png(pixels))
    assert (read_png(tmp_path / "x.png") == pixels).all()


def test_names_leave_the_tile_out_only_where_there_is_one() -> None:
    assert file_name("Soup", SheetKey("body", 1001), "baseColor", True, "png") == "Soup_body_baseColor.png"
    assert file_name("Soup", SheetKey("body", 1012), "normal", False, "png") == "Soup_body_normal.1012.png"
    assert safe_name('a/b\\c:d*"e"?') == "a_b_c_d__e__" and safe_name("..") == "_"


def test_a_map_that_only_one_material_has_is_told_with_that_materials_name(tmp_path: Path) -> None:
    from lucky_fern.core.project.plain import Scope

    studio = studio_on(tmp_path)
    studio.execute(AddLayer("Glow", Wash(), {"emissive": Channel("#ff0000")}, scope=Scope(materials=("wood",))))
    plans = plan_export(studio.sources, studio.project, ExportSetup("separate", "o"), "p")
    assert {plan.name for plan in plans.files} == {
        "p_steel_baseColor.png",
        "p_wood_baseColor.png",
        "p_wood_emissive.png",
    }
    assert "steel:emissive" in plans.skipped and "metallic" in plans.skipped
    glow = studio.project.layers[-1].id
    studio.execute(SetLayer(glow, visible=False))  # a hidden layer writes nothing
    plans = plan_export(studio.sources, studio.project, ExportSetup("emissive", "o"), "p")
    assert plans.files == () and plans.skipped == ("emissive", "emissiveMask")


def test_materials_that_would_write_one_file_are_refused(tmp_path: Path) -> None:
    studio = studio_on(tmp_path, "paint:1", "paint*1")
    with pytest.raises(CommandError, match="rename one"):
        plan_export(studio.sources, studio.project, ExportSetup("separate", "o"), "p")


def test_another_size_renders_anew_and_green_turns_over_for_minus_y(tmp_path: Path) -> None:
    studio = studio_on(tmp_path)
    normal = np.full((8, 8, 3), (128, 200, 240), np.uint8)
    picture = studio.add_picture(save_png(tmp_path / "n.png", normal))
    sharp = studio.add_picture(save_png(tmp_path / "s.png", soft_noise((256, 256), cells=64)))
    studio.execute(AddLayer("Bumps", Wash(), {"normal": Channel("picture", picture=picture)}))
    studio.execute(
        AddLayer("Sharp", Decal(sharp, Lay("steel", 1001, (0.5, 0.5), 0.8)), {"colour": Channel("picture")})
    )
    setups = {
        "plus": ExportSetup("separate", "o", size=256),
        "minus": ExportSetup("separate", "o", size=256, normal_y="-"),
    }
    for name, setup in setups.items():
        export(studio.sources, studio.project, setup, "p", tmp_path / name)
    plus, minus = (read_png(tmp_path / name / "p_steel_normal.png") for name in setups)
    assert plus.shape[:2] == (256, 256)
    assert (plus[..., 1].astype(int) + minus[..., 1] == 255).all() and (plus[..., 0] == minus[..., 0]).all()
    large = read_png(tmp_path / "plus" / "p_steel_baseColor.png").astype(float)
    export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", tmp_path / "small")
    small = read_png(tmp_path / "small" / "p_steel_baseColor.png").astype(float)
    assert small.shape[:2] == (64, 64)
    # Block by block the large one has the same light, and detail within the block that the small one cannot have.
    blocks = decode_srgb(large / 255).reshape(64, 4, 64, 4, 3)
    inner = slice(10, 54)
    assert np.abs(encode_srgb(blocks.mean((1, 3))) * 255 - small)[inner, inner].max() < 12
    assert blocks.std((1, 3))[inner, inner].mean() > 0.02
    assert studio.project.sheet_size == square(64)
    costly = plan_export(studio.sources, studio.project, ExportSetup("separate", "o", size=8192), "p")
    assert "8192 × 8192" in costly.notes[0] and "67 million" in costly.notes[0]
    assert plan_export(studio.sources, studio.project, setups["plus"], "p").notes == ()


def test_an_export_is_the_same_however_the_project_was_worked_on(tmp_path: Path) -> None:
    """Bytes must not depend on threads, caches, or what was composited before."""
    outcomes = []
    for turn in range(3):
        studio = studio_on(tmp_path)
        picture = studio.add_picture(save_png(tmp_path / "p.png", soft_noise((90, 70))))
        studio.execute(SetSheetSize(square(300)))
        if turn:
            studio.execute(AddLayer("Aside", Wash(), {"colour": Channel("#ffffff")}))
            export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", tmp_path / "aside")
            studio.history.undo()
        studio.execute(
            AddLayer(
                "P", Decal(picture, Lay("wood", 1001, (0.4, 0.5), 0.7, rotate=33)), {"colour": Channel("picture")}
            )
        )
        done = export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", tmp_path / str(turn))
        outcomes.append([path.read_bytes() for path in done.files])
    assert outcomes[0] == outcomes[1] == outcomes[2]


def test_cancelling_or_failing_leaves_the_old_files(tmp_path: Path) -> None:
    studio = studio_on(tmp_path)
    folder = tmp_path / "maps"
    export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", folder)
    old = {path: path.read_bytes() for path in folder.iterdir()}
    studio.execute(AddLayer("New", Wash(), {"colour": Channel("#ffffff")}))
    with pytest.raises(Cancelled):
        export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", folder, cancelled=lambda: True)
    assert {path: path.read_bytes() for path in folder.iterdir()} == old
    with pytest.raises(ExportError, match="is a file"):
        export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", next(iter(old)))


def test_a_name_that_is_taken_is_told_first_and_a_rename_that_fails_takes_all_back(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio = studio_on(tmp_path)
    studio.execute(AddLayer("Old", Wash(), {"roughness": Channel(0.5), "metallic": Channel(0.5)}))
    folder, setup = tmp_path / "maps", ExportSetup("separate", "o")
    done = export(studio.sources, studio.project, setup, "p", folder)
    old = {path: path.read_bytes() for path in folder.iterdir()}
    studio.execute(AddLayer("New", Wash(), {"colour": Channel("#ffffff"), "roughness": Channel(0.1)}))
    done.files[0].unlink()  # this one will be new
    del old[done.files[0]]
    real, renamed = os.replace, []

    def refuse(source: object, target: object) -> None:
        if len(renamed) == 2:  # the disk goes away in the middle of it
            renamed.append(target)
            raise OSError(5, "Input/output error")
        renamed.append(target)
        real(source, target)

    monkeypatch.setattr("os.replace", refuse)
    with pytest.raises(ExportError, match="Input/output error"):
        export(studio.sources, studio.project, setup, "p", folder)
    monkeypatch.undo()
    assert {path: path.read_bytes() for path in folder.iterdir()} == old  # and nothing else lies there
    taken = done.files[-1]
    taken.unlink()
    taken.mkdir()
    with pytest.raises(ExportError, match="is a folder"):
        export(studio.sources, studio.project, setup, "p", folder)
    assert all(path.read_bytes() == old[path] for path in folder.iterdir() if path != taken)


@pytest.mark.parametrize(
    ("setup", "word"),
    [
        (ExportSetup("all", "o"), "separate"),
        (ExportSetup("separate", "o", format="bmp"), "png"),
        (ExportSetup("separate", "o", size=9000), "8192"),
        (ExportSetup("separate", "o", padding=-1), "padding"),
    ],
)
def test_a_setup_that_cannot_be_is_refused_with_what_can(setup: ExportSetup, word: str) -> None:
    with pytest.raises(CommandError, match=word):
        check_setup(setup)


@pytest.mark.parametrize("bits", [8, 16])
@pytest.mark.parametrize("padding", [None, 3])
def test_finished_maps_give_the_same_files_as_compositing_anew(
    tmp_path: Path, bits: int, padding: int | None
) -> None:
    studio = studio_on(tmp_path)
    picture = studio.add_picture(save_png(tmp_path / "n.png", soft_noise((40, 40))))
    channels = {name: Channel("picture", picture=picture) for name in ("colour", "height", "normal", "roughness")}
    studio.execute(AddLayer("Noise", Wash(repeat=(2.5, 2.5), rotate=9), channels, opacity=0.7))
    store = MapStore(studio.sources)
    for key, chunks in everything(studio.sources, studio.project).items():
        store.update(studio.project, key, chunks)
    setup = ExportSetup("separate", "o", bits=bits, padding=padding)
    anew = export(studio.sources, studio.project, setup, "p", tmp_path / "anew")
    reused = export(studio.sources, studio.project, setup, "p", tmp_path / "reused", finished=lambda: store)
    assert len(anew.files) == len(reused.files) == 8
    for first, second in zip(anew.files, reused.files, strict=True):
        assert first.name == second.name and first.read_bytes() == second.read_bytes()
    # Maps that change while they are taken are composited anew.
    asked = threading.local()

    def gone_when_asked_again() -> MapStore | None:
        asked.times = getattr(asked, "times", 0) + 1
        return store if asked.times % 2 else None

    for array in store.maps.values():
        array[:] = 0
    late = export(studio.sources, studio.project, setup, "p", tmp_path / "late", finished=gone_when_asked_again)
    assert [path.read_bytes() for path in late.files] == [path.read_bytes() for path in anew.files]


def test_a_disk_that_is_full_is_told_before_anything_is_touched(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    studio = studio_on(tmp_path)
    folder = tmp_path / "maps"
    export(studio.sources, studio.project, ExportSetup("separate", "o"), "p", folder)
    before = {path: path.read_bytes() for path in folder.iterdir()}
    monkeypatch.setattr("shutil.disk_usage", lambda path: type("Usage", (), {"free": 100})())
    with pytest.raises(ExportError, match="make room"):
        export(studio.sources, studio.project, ExportSetup("packed", "o", size=1024), "p", folder)
    assert {path: path.read_bytes() for path in folder.iterdir()} == before
    monkeypatch.undo()
    monkeypatch.setattr("os.access", lambda path, how: False)
    with pytest.raises(ExportError, match="cannot be written to"):
        export(studio.sources, studio.project, ExportSetup("packed", "o"), "p", folder)
    assert {path: path.read_bytes() for path in folder.iterdir()} == before
