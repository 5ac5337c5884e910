"""Names of files told apart again, what wires give, and the small things under an export."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lucky_fern.core.errors import ExportError
from lucky_fern.core.exporting.wires import Wire, wires
from lucky_fern.core.files import WholeFiles
from lucky_fern.core.project.export_setup import ExportSetup, file_name
from lucky_fern.core.project.presets import PRESETS, MapFile, Pick, Preset
from lucky_fern.core.sheets.cells import cell_of, flat, sort_boxes
from lucky_fern.core.sheets.grid import SheetKey
from lucky_fern.quay.naming import recognised

RGB = tuple(Pick("colour", part) for part in "rgb")
SHIP = [SheetKey("hull", 1001), SheetKey("hull", 1002), SheetKey("old_hull", 1001), SheetKey("brass rail", 1001)]
WORDS = {file.word: file for preset in PRESETS.values() for file in preset.files}


@given(
    stem=st.sampled_from(["hen", "Marsh Hen", "hen_normal", "hull_1002", "a.b_orm", "7"]),
    key=st.sampled_from(SHIP),
    word=st.sampled_from(sorted(WORDS)),
    ext=st.sampled_from(["png", "dds", "exr"]),
)
def test_every_name_that_an_export_gives_is_known_again(stem: str, key: SheetKey, word: str, ext: str) -> None:
    """Whatever the project is called, and though one material's name ends like another's."""
    single = key.material != "hull"
    found = recognised(file_name(stem, key, word, single, ext), SHIP)
    assert found is not None and (found[0].word, found[1]) == (word, key)


@pytest.mark.parametrize("pattern", [
    "{material}-{map}-{tile}.{ext}", "{map}.{material}.{tile}.{ext}", "{project}{tile}{map}{material}.{ext}",
    "tex_{tile}_{map}_{material}_{tile}.{ext}",
])  # fmt: skip
@pytest.mark.parametrize("key", SHIP)
def test_names_of_ones_own_pattern_are_known_again(pattern: str, key: SheetKey) -> None:
    own = Preset("Own", (MapFile("albedo", RGB, True), MapFile("albedo2", RGB, True)), pattern)
    for word in ("albedo", "albedo2"):
        found = recognised(file_name("hen", key, word, False, "tga", pattern), SHIP, [own])
        assert found is not None and (found[0].word, found[1]) == (word, key)
    assert recognised("holiday.png", SHIP, [own]) is None and recognised("hen_deck_normal.png", SHIP, [own]) is None


def test_where_there_is_one_sheet_names_may_leave_it_out() -> None:
    only = [SheetKey("item", 1001)]
    own = Preset("Own", (MapFile("skin", RGB, True),), "{map}.{ext}")
    assert recognised("skin.png", only, [own]) == (own.files[0], only[0])
    assert recognised("whatever_normal.png", only) == (WORDS["normal"], only[0])
    # A GLB of ours names a material of several tiles once a tile.
    tiles = [SheetKey("hull.1001", 1001), SheetKey("hull.1002", 1001)]
    assert recognised("p_hull_normal.1002.png", tiles) == (WORDS["normal"], tiles[1])


def test_wires_tell_which_part_of_which_file_gives_what() -> None:
    low = MapFile("low", (Pick("roughness", low=0.1), Pick("metallic"), Pick("gloss")))
    skin = MapFile("skin", RGB, True, alpha=Pick("opacity"))
    files = [(f"p1001_hull_{file.word}.{tile}.png", file, maps, SheetKey("hull", tile))
             for file, maps in ((skin, ("colour", "opacity")), (low, ("roughness", "metallic")))
             for tile in (1001, 1002)]  # fmt: skip
    found = wires(files, ExportSetup("own", ""))["hull"]
    assert found["colour"] == Wire("p1001_hull_skin.<UDIM>.png", "rgb", 4, encoded=True)
    assert found["opacity"] == Wire("p1001_hull_skin.<UDIM>.png", "a", 4)
    assert found["metallic"] == Wire("p1001_hull_low.<UDIM>.png", "g", 3)
    # What was levelled is not to be had back; gloss is roughness turned over.
    assert found["roughness"] == Wire("p1001_hull_low.<UDIM>.png", "b", 3, inverted=True)
    alone = wires([("p_hull_skin.png", skin, ("colour",), SheetKey("hull", 1001))], ExportSetup("own", "", "exr"))
    assert alone["hull"] == {"colour": Wire("p_hull_skin.png", "rgb", 3)}  # floats hold light


@settings(deadline=None)  # the first call loads the kernel
@given(
    boxes=st.lists(
        st.tuples(*[st.floats(-2, 9), st.floats(-2, 9), st.floats(0, 4), st.floats(0, 4)]), min_size=0, max_size=20
    ),
    across=st.integers(1, 7),
    down=st.integers(1, 5),
)
def test_boxes_are_in_every_cell_that_they_touch_and_in_no_other(
    boxes: list[tuple[float, float, float, float]], across: int, down: int
) -> None:
    low = np.array([(x, y) for x, y, _, _ in boxes]).reshape(-1, 2)
    high = low + np.array([(w, h) for _, _, w, h in boxes]).reshape(-1, 2)
    count = np.array([across, down])
    first, last = (flat(cell_of(corner, count)) for corner in (low, high))
    starts, items = sort_boxes(first, last, np.array([down, across, 1]))
    for j in range(down):
        for i in range(across):
            cell = j * across + i
            there = items[starts[cell] : starts[cell + 1]].tolist()
            # What lies beyond the grid counts to the cells at its border.
            a, b = np.clip(np.floor(low), 0, count - 1), np.clip(np.floor(high), 0, count - 1)
            wanted = [n for n in range(len(boxes)) if a[n, 0] <= i <= b[n, 0] and a[n, 1] <= j <= b[n, 1]]
            assert there == wanted


def test_files_are_written_part_by_part_and_appear_together(tmp_path: Path) -> None:
    with WholeFiles() as files:
        kept = files.write(tmp_path / "one.bin", iter([b"abc", b"", b"def"]))
        files.write(tmp_path / "deep" / "two.bin", b"x")
        assert kept.read_bytes() == b"abcdef" and not (tmp_path / "one.bin").exists()
        assert files.publish() == [tmp_path / "one.bin", tmp_path / "deep" / "two.bin"]
    assert (tmp_path / "one.bin").read_bytes() == b"abcdef"
    with pytest.raises(ZeroDivisionError), WholeFiles() as files:
        files.write(tmp_path / "three.bin", b"y")
        raise ZeroDivisionError
    with pytest.raises(ExportError, match="cannot be written"), WholeFiles() as files:
        files.write(tmp_path / "one.bin" / "four.bin", b"z")  # a file where a folder is needed
    assert sorted(path.name for path in tmp_path.iterdir()) == ["deep", "one.bin"]
