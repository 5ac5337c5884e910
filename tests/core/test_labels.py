"""Live text: drawn right, edited without its letters changing size, by job too."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from lucky_fern.core.errors import PictureError
from lucky_fern.core.pictures.label import EM, Label, draw_label
from lucky_fern.core.project.commands import AddLayer, RenameLayer, SetLabel
from lucky_fern.core.project.document import Channel, Decal
from lucky_fern.core.project.places import Lay
from lucky_fern.core.studio import Studio
from samples import PLANE, Runner, read_png


def ink(label: Label) -> np.ndarray:
    return draw_label(label)[..., 3] > 127


def test_letters_are_shaped_in_their_own_direction() -> None:
    # Alef before bet in memory stands to its right on the page, so the pair is its own parts the other way round.
    pair, alef = ink(Label("אב", font="DejaVu Sans")), ink(Label("א", font="DejaVu Sans"))
    height = min(pair.shape[0], alef.shape[0]) - 4
    right_end = pair[-height:, -alef.shape[1] + 4 :][:, : alef.shape[1] - 8]
    assert (right_end == alef[-height:, 4:-4][:, : right_end.shape[1]]).mean() > 0.97
    # Arabic letters join: one piece of ink where single letters are three.

    def columns(one: np.ndarray) -> int:
        return int(np.count_nonzero(np.diff(one.any(axis=0).astype(int)) == 1))

    assert columns(ink(Label("بيت", font="DejaVu Sans"))) < columns(ink(Label("ب ي ت", font="DejaVu Sans")))
    # An accent is above its letter.
    assert ink(Label("É")).shape[0] > ink(Label("E")).shape[0] + EM // 20


def test_plates_outlines_tracking_and_arcs_are_what_was_asked() -> None:
    plain = draw_label(Label("HHH", colour="#ff0000"))
    assert (plain[plain[..., 3] > 0][:, :3] == (255, 0, 0)).all()  # no rim of another colour
    wide = draw_label(Label("HHH", tracking=0.5))
    assert wide.shape[1] - plain.shape[1] == pytest.approx(EM, abs=3)
    rimmed = draw_label(Label("HHH", outline=0.1, outline_colour="#00ff00"))
    assert rimmed.shape[0] - plain.shape[0] == pytest.approx(0.2 * EM, abs=3)
    plate = draw_label(Label("HHH", plate="#0000ff", plate_space=0.5, border=0.1, corner=0.0, colour="#ffffff"))
    assert plate.shape[0] - plain.shape[0] == pytest.approx(1.2 * EM, abs=2) and (plate[..., 3] == 255).all()
    assert plate[2, 2].tolist() == [255, 255, 255, 255] and plate[40, 40].tolist() == [0, 0, 255, 255]
    # Bent to a half circle, the line's middle keeps its length: the ink's box is about its diameter.
    line = draw_label(Label("H" * 12))
    bent = draw_label(Label("H" * 12, arc=180))
    assert bent.shape[1] == pytest.approx(2 * line.shape[1] / np.pi + line.shape[0], rel=0.05)
    upright, hanging = bent[..., 3].sum(axis=1), draw_label(Label("H" * 12, arc=-180))[..., 3].sum(axis=1)
    assert upright.argmax() < len(upright) / 2 < hanging.argmax()


@pytest.mark.parametrize(
    ("label", "word"),
    [
        (Label(" "), "some text"), (Label("x" * 500), "500"), (Label("x", colour="red"), "#rrggbb"), (Label("x", font="No"), "Inter"),
        (Label("x", arc=359), "arc"), (Label("M" * 300), "too long"), (Label("I", arc=340), "tight"),
    ],
)  # fmt: skip
def test_labels_that_cannot_be_drawn_say_why(label: Label, word: str) -> None:
    with pytest.raises(PictureError, match=word):
        draw_label(label)


def test_edited_labels_keep_the_size_of_their_letters_on_every_decal(tmp_path: Path) -> None:
    (tmp_path / "plane.obj").write_text(PLANE)
    studio = Studio.new(tmp_path / "plane.obj", sheet_size=128)
    picture = studio.keep_label(Label("HEN"))
    for centre in (0.3, 0.7):
        place = Lay("paint", 1001, (0.5, centre), 0.3)
        studio.execute(AddLayer(f"at {centre}", Decal(picture, place), {"colour": Channel("picture")}))
    before = studio.project.pictures[picture]
    studio.execute(RenameLayer(studio.project.layers[0].id, "HEN 2"))
    kit = studio.prepare_label(Label("MARSH HEN", font="Lobster Two"))
    studio.execute(SetLabel(picture, kit))
    # What is called by its text goes on being so; what has a name of its own keeps it.
    assert [layer.name for layer in studio.project.layers] == ["MARSH HEN 2", "at 0.7"]
    for layer in studio.project.layers:
        width = layer.content.place.width
        assert width / kit.width == pytest.approx(0.3 / before.width)
    studio.save(tmp_path / "p.fern")
    again = Studio.open(tmp_path / "p.fern")
    assert again.project.pictures[picture].text == Label("MARSH HEN", font="Lobster Two")
    studio.jump(studio.history.at - 1)
    assert studio.project.pictures[picture] == before and studio.project.layers[0].content.place.width == 0.3


def test_a_job_writes_labels(tmp_path: Path, plane: Path, run_job: Runner) -> None:
    place = {"mode": "lay", "material": "paint", "tile": 1001, "centre": [0.5, 0.5], "width": 0.8}
    label = {"text": "7", "plate": "#ff0000", "colour": "#0000ff", "corner": 0}
    steps = [{"do": "decal", "label": label, "place": place}]
    job = {
        "job": 1,
        "model": plane.name,
        "sheet_size": 64,
        "steps": steps,
        "exports": [{"preset": "separate", "out": "m"}],
    }
    assert run_job(job, "lab").returncode == 0
    pixels = read_png(next((tmp_path / "m").glob("*baseColor*")))
    assert pixels[32, 8].tolist() == [255, 0, 0] and (pixels[..., 2] > 200).sum() > 50
    for step, word in (
        ({"do": "decal", "place": place}, "one of"),
        ({"do": "decal", "label": {"text": ""}, "place": place}, "text"),
    ):
        result = run_job({**job, "steps": [step]}, "bad")
        assert result.returncode == 2 and word in result.stderr
