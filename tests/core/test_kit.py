"""The kit: what is said of pictures, found again by it, brought in whole, kept on this computer; nothing is lost."""

from __future__ import annotations

import json
import os
import zipfile
from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.compositing.compositor import MapKey, MapStore
from lucky_fern.core.compositing.levels import Levels
from lucky_fern.core.compositing.reading import averaged
from lucky_fern.core.errors import CommandError, ExportError, PictureError
from lucky_fern.core.kit.arriving import from_my_kit, into_my_kit
from lucky_fern.core.kit.colours import has_colour, main_colours
from lucky_fern.core.kit.mine import INDEX, MyKit, Note
from lucky_fern.core.kit.packs import read_pack
from lucky_fern.core.kit.palettes import read_palette
from lucky_fern.core.kit.searching import Card, matches
from lucky_fern.core.maps import MAPS
from lucky_fern.core.project.commands import (
    AddPicture,
    Describe,
    KeepSlide,
    MergePictures,
    RemovePictures,
    RenamePicture,
)
from lucky_fern.core.project.document import Slide
from lucky_fern.core.project.places import Throw
from lucky_fern.core.project.usage import duplicates, where_used
from lucky_fern.core.sheets.grid import SheetKey, square
from lucky_fern.core.studio import Studio
from samples import PLANE, Runner, save_png

RED, BLUE = (np.full((8, 8, 3), colour, np.uint8) for colour in ((200, 20, 20), (20, 60, 200)))
LAID = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 0.4}


@pytest.fixture
def begun(tmp_path: Path, run_job: Runner) -> Path:
    """A folder with a project that shows ``red`` on two layers, in a mask and on a slide, and has more in its kit."""
    (tmp_path / "plane.obj").write_text(PLANE)
    save_png(tmp_path / "red.png", RED)
    save_png(tmp_path / "blue.png", BLUE)
    decal = {"do": "decal", "picture": "red.png", "channels": {"colour": "picture"}, "place": LAID}
    steps = [
        decal | {"name": "One"},
        decal | {"name": "Two"},
        {"do": "mask", "layer": "Two", "kind": "picture", "picture": "red.png", "place": LAID, "use": "luminance"},
        {"do": "prepare", "picture": "red.png", "as": "relieved", "ops": [{"op": "relief"}]},
        {"do": "prepare", "picture": "blue.png", "as": "blue.png", "ops": []},
    ]
    result = run_job({"job": 1, "model": "plane.obj", "sheet_size": 64, "steps": steps, "save": "a.fern"}, "a")
    assert result.returncode == 0, result.stderr
    return tmp_path


def test_a_picture_is_renamed_wherever_it_is_shown_and_undone(begun: Path) -> None:
    studio = Studio.open(begun / "a.fern")
    studio.execute(KeepSlide("front", Slide("red.png", Throw((0, 0, 0), (0, 0, 1), (0, 1, 0), 1.0))))
    before = studio.project
    assert where_used(before, "red.png") == ["layer 'One'", "layer 'Two'", "slide 'front'"]
    studio.execute(RenamePicture("red.png", "signal"))
    assert where_used(studio.project, "signal") == where_used(before, "red.png")
    assert "red.png" not in studio.project.pictures and not where_used(studio.project, "red.png")
    studio.execute(RenamePicture("relieved", "bumps"))
    assert {"bumps height", "bumps normal"} <= studio.project.pictures.keys()
    assert studio.project.pictures["bumps height"].prepared.beside == "bumps"
    studio.history.undo()
    studio.history.undo()
    assert studio.project == before
    for name in ("blue.png", " ", "a/b", "x" * 300):
        with pytest.raises(CommandError):
            studio.execute(RenamePicture("red.png", name))


def test_what_is_shown_does_not_leave_the_kit_and_says_where(begun: Path) -> None:
    studio = Studio.open(begun / "a.fern")
    with pytest.raises(CommandError, match="layer 'One', layer 'Two'"):
        studio.execute(RemovePictures(("red.png",)))
    studio.execute(RemovePictures(("blue.png", "relieved")))
    assert list(studio.project.pictures) == ["red.png", "relieved height", "relieved normal"]


def test_doubles_are_found_by_contents_and_merged_with_their_tags(begun: Path) -> None:
    studio = Studio.open(begun / "a.fern")
    twin = studio.project.pictures["red.png"]
    studio.execute(AddPicture("twin", twin))
    studio.execute(Describe(("twin",), add=("Old  Signs", "port")))
    assert duplicates(studio.project) == [("red.png", "twin")]
    with pytest.raises(CommandError, match="not the same"):
        studio.execute(MergePictures("twin", ("blue.png",)))
    studio.execute(MergePictures("twin", ("red.png",)))
    assert not duplicates(studio.project) and where_used(studio.project, "twin") == ["layer 'One'", "layer 'Two'"]
    assert studio.project.pictures["twin"].tags == ("old signs", "port")
    studio.save(begun / "b.fern")
    assert Studio.open(begun / "b.fern").project == studio.project


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ("ferry", {"ferry sign", "lamp"}), ("tag:night", {"lamp"}), ("in:signs", {"ferry sign"}), ("*", {"lamp"}),
        ("sign red", {"ferry sign"}), ("#c81414", {"ferry sign"}), ("kind:label", {"lamp"}), ("-ferry", {"plank"}),
        ("brown", {"plank"}), ("blue", {"lamp"}), ("nothing", set()), ("", {"ferry sign", "lamp", "plank"}),
    ],
)  # fmt: skip
def test_pictures_are_found_by_words_and_colours(asked: str, found: set[str]) -> None:
    cards = [
        Card("ferry sign", folder="signs/old", kinds=("picture",), colours=("#c81e14", "#ffffff")),
        Card("lamp", tags=("night", "ferry"), favourite=True, kinds=("label",), colours=("#1e3cc8",)),
        Card("plank", kinds=("picture",), colours=("#6e4628",)),
    ]
    assert {card.name for card in cards if matches(card, asked)} == found


def test_main_colours_are_those_that_fill_most_of_what_shows() -> None:
    rgba = np.zeros((100, 100, 4), np.uint16)
    rgba[:60] = np.array([200, 30, 30, 255], np.uint16) * 257
    rgba[60:90] = np.array([30, 30, 200, 255], np.uint16) * 257
    rgba[90:, :, 1] = 65535  # green, and clear
    assert main_colours(rgba) == ("#c81e1e", "#1e1ec8") and not main_colours(np.zeros((3, 3, 4), np.uint8))
    for word, colour in (("yellow", "#f0d020"), ("green", "#309040"), ("pink", "#f080b0"), ("grey", "#808080"),
                         ("black", "#101010"), ("white", "#fafafa"), ("orange", "#f08020"), ("violet", "#8030c0")):  # fmt: skip
        assert has_colour((colour,), word), word
    assert not has_colour(("#f0d020",), "blue") and not has_colour(("#808080",), "red")


def test_my_kit_is_a_folder_of_plain_files_with_an_index(tmp_path: Path, begun: Path) -> None:
    kit = MyKit(tmp_path / "kit")
    assert kit.files() == []  # not there yet
    studio = Studio.open(begun / "a.fern")
    studio.execute(Describe(("red.png",), add=("port",), folder="signs", favourite=True))
    assert into_my_kit(studio, ["red.png", "relieved"], kit) == ["signs/red.png", "relieved.png"]
    assert into_my_kit(studio, ["red.png"], kit) == ["signs/red.png"]  # the same comes in once
    assert (tmp_path / "kit/signs/red.png").read_bytes() == (begun / "red.png").read_bytes()
    assert kit.add((begun / "blue.png").read_bytes(), "red.png", folder="signs") == "signs/red 2.png"
    save_png(tmp_path / "kit/by hand.png", BLUE + 9)  # files may be put there by anybody
    assert [one.name for one in kit.files()] == ["by hand.png", "relieved.png", "signs/red 2.png", "signs/red.png"]
    assert kit.files()[-1].note == Note(tags=("port",), favourite=True)
    moved = kit.move("signs/red.png", "old/port side")
    assert moved == "old/port side.png" and kit.read(moved)[1].favourite
    with pytest.raises(PictureError, match="already"):
        kit.move(moved, "by hand.png")
    brought = from_my_kit(studio, kit, moved)
    assert brought.command is None and brought.names == ("red.png",)  # the project has it
    brought = from_my_kit(studio, kit, "by hand.png")
    studio.execute(brought.command)
    assert brought.names == ("by hand.png",) and "by hand.png" in studio.project.pictures
    aside = kit.remove([moved])
    assert (aside / "port side.png").exists() and moved not in {one.name for one in kit.files()}


def test_my_kit_on_a_bad_disk_says_so_and_loses_nothing(tmp_path: Path) -> None:
    kit = MyKit(tmp_path / "kit")
    kit.add(b"x", "a.png", Note(tags=("t",)))
    (kit.folder / INDEX).write_text('{"kit": 1, "files": [')
    assert [one.name for one in kit.files()] == ["a.png"] and "tags" in kit.notes[0]
    assert (kit.folder / "kit.damaged.json").exists()
    with pytest.raises(PictureError, match="outside"):
        kit.read("../../etc/passwd")
    blocked = MyKit(tmp_path / "kit" / "a.png")  # no folder can be there
    with pytest.raises(ExportError, match="cannot be written"):
        blocked.add(b"x", "b.png")
    with pytest.raises(PictureError, match="gone"):
        kit.move("gone.png", "there.png")


def test_a_pack_comes_in_whole_with_its_licence(tmp_path: Path, begun: Path, run_job: Runner) -> None:
    with zipfile.ZipFile(tmp_path / "market.zip", "w") as file:
        file.write(begun / "blue.png", "signs/blue.png")
        file.write(begun / "red.png", "../../red.png")
        file.writestr("signs/broken.png", b"no picture")
        file.writestr("LICENSE.txt", "Creative Commons Attribution 4.0 International\nby the Otterwick guild")
        file.writestr("readme.md", "hello")
        file.writestr(".hidden.png", b"")
    decal = {"do": "decal", "name": "Three", "picture": "blue.png", "channels": {"colour": "picture"}, "place": LAID}
    os.remove(begun / "blue.png")
    steps = [
        {"do": "remove-pictures", "pictures": ["blue.png"]},
        {"do": "pack", "from": "market.zip", "to": "both", "my_kit": "mine"},
        decal,
        {"do": "describe", "pictures": ["blue.png"], "tags": ["market"], "folder": "x", "name": "azure"},
    ]
    result = run_job({"job": 1, "project": "a.fern", "steps": steps, "save": "b.fern",
                      "exports": [{"preset": "separate", "out": "out"}]}, "b", "--json")  # fmt: skip
    assert result.returncode == 0, result.stderr
    said = json.loads(result.stdout.splitlines()[-1])["warnings"]
    assert any("broken.png" in one for one in said) and any("CC-BY-4.0" in one for one in said)
    kit = Studio.open(begun / "b.fern").project.pictures["azure"]
    assert (kit.licence, kit.source, kit.folder, kit.tags) == ("CC-BY-4.0", "market", "x", ("market",))
    assert b"Otterwick guild" in Studio.open(begun / "b.fern").blobs[kit.terms]
    credits = (begun / "out/CREDITS.txt").read_text()
    assert "CC-BY-4.0" in credits and "by the Otterwick guild" in credits
    mine = {path.relative_to(begun / "mine").as_posix() for path in (begun / "mine").rglob("*") if path.is_file()}
    assert mine == {"market/signs/blue.png", "market/red.png", "market/LICENSE.txt", "market/signs/broken.png", INDEX}


def test_what_is_no_pack_is_refused(tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    (tmp_path / "text.zip").write_text("no zip")
    with zipfile.ZipFile(tmp_path / "bomb.zip", "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("a.png", bytes(80 << 20))
    for name, said in (
        ("empty", "no picture"),
        ("text.zip", "neither"),
        ("bomb.zip", "unpack"),
        ("none", "not exist"),
    ):
        with pytest.raises(PictureError, match=said):
            read_pack(tmp_path / name)


def test_palettes_are_plain_text_in_and_out(tmp_path: Path, begun: Path, run_job: Runner) -> None:
    (tmp_path / "sea.txt").write_text("; the sea\n# and more\n#1E3CC8 deep\n\n09f\nc81414\n#1e3cc8\n", "utf-8-sig")
    two = np.zeros((8, 8, 3), np.uint8)
    two[4:] = (255, 200, 0)
    save_png(tmp_path / "two.png", two)
    steps = [
        {"do": "palette", "name": "Sea", "from": "sea.txt", "out": "out.txt"},
        {"do": "palette", "name": "Two", "picture": "two.png", "count": 8},
    ]
    result = run_job({"job": 1, "project": "a.fern", "steps": steps, "save": "b.fern"}, "b")
    assert result.returncode == 0, result.stderr
    palettes = Studio.open(tmp_path / "b.fern").project.palettes
    assert palettes == {"Sea": ("#1e3cc8", "#0099ff", "#c81414"), "Two": ("#000000", "#ffc800")}
    assert read_palette((tmp_path / "out.txt").read_bytes(), "out.txt") == palettes["Sea"]
    for text, said in (("#12345\n", "line 1"), ("#fff\nred\n", "line 2"), ("", "no colours")):
        with pytest.raises(PictureError, match=said):
            read_palette(text.encode(), "x.txt")
    with pytest.raises(PictureError, match="no text"):
        read_palette(b"\xff\xfe\x00", "x.txt")


def test_the_mean_of_a_few_texels_is_taken_as_light() -> None:
    store, key = MapStore(None), SheetKey("m", 1001)
    colour = np.zeros((16, 16, 3), np.uint8)
    colour[4:7, 4:7] = 255
    store.maps[MapKey(key, "colour")] = colour
    store.maps[MapKey(key, "height")] = np.full((16, 16, 1), 16384, np.uint16)
    levels = Levels(store.sources, store)
    assert averaged(levels, key, square(16), "colour", 5, 5) == "#ffffff"
    assert averaged(levels, key, square(16), "colour", 5, 4) == "#d5d5d5"  # two thirds of the light
    assert averaged(levels, key, square(16), "colour", 0, 0, 0) == "#000000"
    assert averaged(levels, key, square(16), "height", 3, 3) == pytest.approx(0.25, abs=1e-4)
    assert averaged(levels, key, square(16), "roughness", 3, 3) == MAPS["roughness"].start[0]
