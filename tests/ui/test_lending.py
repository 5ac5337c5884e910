"""Sheets lent to another program come back by themselves, in their place, also into a project opened anew."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.studio import Studio
from lucky_fern.demo.other_program import paint_on


def colour_of(hands: Hands) -> np.ndarray:
    studio, store = hands.parts.work.studio, hands.parts.maps.store
    assert studio is not None and store is not None
    hands.wait()
    return store.maps[MapKey(studio.surface.keys[0], "colour")].astype(int)


def names(hands: Hands) -> list[str]:
    assert hands.parts.work.project is not None
    return [layer.name for layer in hands.parts.work.project.layers]


def test_what_is_saved_elsewhere_comes_back_by_itself(hands: Hands, tmp_path: Path) -> None:
    studio, file = hands.parts.work.studio, tmp_path / "body.ora"
    assert studio is not None
    before, key = colour_of(hands), studio.surface.keys[0]
    layers = names(hands)
    hands.parts.lending.lend(key, ("colour",), file)
    hands.wait()
    assert file.is_file() and names(hands) == layers and list(hands.parts.lending.loans()) == ["body"]
    row = column = 200  # within the body's island
    paint_on(file, (column, row, column + 30, row + 20), "#ff00ff")
    hands.until(lambda: "body" in names(hands))
    after = colour_of(hands)
    assert (after[row : row + 20, column : column + 30] == (255, 0, 255)).all()
    off = np.abs(after - before).max(axis=2)
    off[row : row + 20, column : column + 30] = 0
    assert np.count_nonzero(off) == 0  # nothing else is other than it was
    paint_on(file, (column + 100, row, column + 110, row + 10), "#00ff00")  # saved once more: updated in place
    hands.until(lambda: (colour_of(hands)[row + 5, column + 105] == (0, 255, 0)).all())
    assert names(hands) == [*layers, "body"]
    path = tmp_path / "flask.fern"
    assert hands.save(path)
    paint_on(file, (column, row + 40, column + 10, row + 50), "#0000ff")  # while nobody looks
    hands.open(Studio.open(path))
    hands.until(lambda: (colour_of(hands)[row + 45, column + 5] == (0, 0, 255)).all())
    hands.parts.lending.forget("body")
    hands.wait()
    assert hands.parts.lending.loans() == {} and "body" in names(hands)
