"""Sheets lent to another program come back by themselves, in their place, also into a project opened anew."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from hands import Hands
from lucky_fern.core.compositing.compositor import MapKey
from lucky_fern.core.studio import Studio
from lucky_fern.demo.other_program import paint_on
from lucky_fern.ui.session.lending import Wish
from lucky_fern.ui.widgets import asking
from samples import read_png, save_png


@pytest.fixture
def opened(hands: Hands) -> list[Path]:
    """What was handed to the desktop to be opened."""
    found: list[Path] = []
    hands.parts.lending.lent.disconnect()
    hands.parts.lending.lent.connect(found.append)
    return found


def colour_of(hands: Hands) -> np.ndarray:
    studio, store = hands.parts.work.studio, hands.parts.maps.store
    assert studio is not None and store is not None
    hands.wait()
    return store.maps[MapKey(studio.surface.keys[0], "colour")].astype(int)


def names(hands: Hands) -> list[str]:
    assert hands.parts.work.project is not None
    return [layer.name for layer in hands.parts.work.project.layers]


def test_what_is_saved_elsewhere_comes_back_by_itself(hands: Hands, tmp_path: Path, opened: list[Path]) -> None:
    studio, file = hands.parts.work.studio, tmp_path / "body.ora"
    assert studio is not None
    before, key = colour_of(hands), studio.surface.keys[0]
    layers = names(hands)
    hands.parts.lending.lend(key, Wish(apart=False), file)
    hands.wait()
    assert file.is_file() and names(hands) == layers and list(hands.parts.lending.loans()) == ["body"]
    assert opened == [file]
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
    page = hands.window.late.loans
    hands.window.pages.setCurrentWidget(page)
    page.list.setCurrentRow(0)
    page.forget.click()
    hands.wait()
    assert hands.parts.lending.loans() == {} and "body" in names(hands) and page.list.count() == 0


def test_a_box_is_drawn_lent_from_the_page_and_shown_while_it_is_out(
    hands: Hands, tmp_path: Path, opened: list[Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    file, view, lending = tmp_path / "part.ora", hands.window.sheet_view, hands.parts.lending
    monkeypatch.setattr(asking, "save_file", lambda *_: file)
    hands.parts.commands["file.lend"].trigger()
    page = hands.window.late.loans
    assert page.isVisible()
    page.what.menu().aboutToShow.emit()
    next(one for one in page.what.menu().actions() if one.text().startswith("A box")).trigger()
    assert lending.drawing
    key = hands.parts.work.studio.surface.keys[0]
    size = hands.parts.work.project.size_of(key).width
    corners = np.array([(0.25, 0.75), (0.5, 0.5)])
    start, end = (view.pixel_of(view.tiles.to_plane(key.material, one)) for one in corners)
    hands.drag(view, start, end)
    hands.wait()
    assert np.allclose(lending.box, np.array([0.25, 0.25, 0.5, 0.5]) * size, atol=size / 100)
    assert f"{lending.box[2] - lending.box[0]} ×" in page.told.text() and view.drawn.loans[0][1] == "to go out"
    page.maps["roughness"].click()
    page.lend_.click()
    hands.wait()
    assert opened == [tmp_path / "part_colour.ora"] and (tmp_path / "part_roughness.ora").is_file()
    assert {words for _, words in view.drawn.loans} == {"on loan: part"}
    assert np.allclose(view.drawn.loans[0][0][[0, 2]], [start, end], atol=3)
    assert page.list.count() == 1 and "Roughness" in page.list.item(0).text()
    layers = names(hands)
    paint_on(opened[0], (5, 5, 25, 25), "#ff0000")
    hands.until(lambda: len(names(hands)) == len(layers) + 1)
    assert names(hands)[-1] == "Ebene ∞ <1>"  # a layer that was added there is one here
    hands.parts.work.undo()
    assert names(hands) == layers


def test_the_selected_layer_gives_the_box(hands: Hands) -> None:
    hands.put_label()
    lending = hands.parts.lending
    lending.choose_layer()
    hands.wait()
    size = hands.parts.work.project.size_of(lending.key).width
    left, upper, right, lower = lending.box
    assert 0 < (right - left) * (lower - upper) < size * size / 4
    hands.parts.lending.choose_faces(np.ones(hands.parts.work.studio.model.triangle_count, bool))
    assert lending.box[2] - lending.box[0] > size / 2


def test_a_view_goes_out_and_is_thrown_back_from_where_one_looked(
    hands: Hands, tmp_path: Path, opened: list[Path], monkeypatch: pytest.MonkeyPatch
) -> None:
    file, view = tmp_path / "seen.png", hands.window.model_view
    monkeypatch.setattr(asking, "save_file", lambda *_: file)
    before, layers = colour_of(hands), names(hands)
    hands.window.late.loans.ask_view()
    hands.wait()
    picture = read_png(file)
    assert opened == [file] and picture.shape[2] == 4
    rows, columns = picture.shape[:2]
    centre = (slice(rows // 2 - 30, rows // 2 + 30), slice(columns // 2 - 30, columns // 2 + 30))
    assert (picture[centre][..., 3] == 255).all()
    picture[centre][..., :3] = (0, 255, 255)
    save_png(file, picture)
    hands.until(lambda: len(names(hands)) == len(layers) + 1)
    changed = np.abs(colour_of(hands) - before).max(axis=2) > 20
    assert changed.any() and changed.mean() < 0.05
    hit = view.surface_at(np.array([view.width() / 2, view.height() / 2]))
    key = hands.parts.work.studio.surface.keys[0]
    size = hands.parts.work.project.size_of(key).width
    row, column = int((1 - hit.uv[1] % 1) * size), int((hit.uv[0] % 1) * size)
    assert np.allclose(colour_of(hands)[row, column], (0, 255, 255), atol=4)
    hands.window.model_view.navigate("orbit", 40.0, 0.0, np.zeros(2))  # looking elsewhere changes nothing of it
    picture[centre][..., :3] = (255, 0, 255)
    save_png(file, picture)
    hands.until(lambda: np.allclose(colour_of(hands)[row, column], (255, 0, 255), atol=4))
    assert len(names(hands)) == len(layers) + 1
