"""The log of a session: what is done outlives the program, with its history; torn ends cost only what they tore."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from killed_session import killed
from lucky_fern.cli import main
from lucky_fern.core.errors import ProjectError
from lucky_fern.core.log import writing
from lucky_fern.core.log.delta import applied, told
from lucky_fern.core.log.place import CONTENTS, LINES, new_session, running
from lucky_fern.core.log.reading import forget, lost_sessions, recovered
from lucky_fern.core.log.writing import SessionLog, Snapshot
from lucky_fern.core.project.commands import AddLayer, GroupLayers, MoveLayers, RemoveLayers, SetLayer
from lucky_fern.core.project.document import Channel, Project, Wash
from lucky_fern.core.project.kinds import convert
from lucky_fern.core.studio import Studio
from samples import save_png, soft_noise


class Session:
    """A studio with its log."""

    def __init__(self, studio: Studio, root: Path, base: Path | None = None) -> None:
        self.studio, self.root, self.path = studio, root, base
        self.failed: list[str] = []
        self.log = SessionLog(new_session(root), studio.blobs, base, self.failed.append)
        self.log.begin(studio.project, studio.project.name, base)
        self.note()

    def note(self) -> None:
        self.log.note(Snapshot(self.studio.history.steps, self.studio.history.at, self.studio.saved, self.path))

    def wash(self, name: str, colour: str = "#336699") -> None:
        self.studio.execute(AddLayer(name, Wash(), {"colour": Channel(colour)}))
        self.note()

    def back(self) -> Studio:
        (found,) = lost_sessions(self.root)
        return recovered(found.id, self.root)[0]


@pytest.fixture
def session(plane: Path, tmp_path: Path) -> Session:
    return Session(Studio.new(plane, sheet_size=256), tmp_path / "sessions")


@pytest.mark.parametrize("seed", range(3))
def test_a_session_that_is_killed_comes_back_with_its_history(seed: int) -> None:
    killed(seed)


def test_groups_undone_steps_and_pictures_come_back_and_a_clean_end_leaves_nothing(
    session: Session, tmp_path: Path
) -> None:
    studio = session.studio
    for name in ("One", "Two", "Three"):
        session.wash(name)
    studio.execute(GroupLayers((1, 2), "Both"))
    studio.execute(SetLayer(2, opacity=0.5))
    picture = studio.add_picture(save_png(tmp_path / "a.png", (soft_noise((40, 30)) * 255).astype("uint8")))
    studio.jump(studio.history.at - 1)
    session.note()
    session.log.end(well=False)
    back = session.back()
    assert back.project == studio.project and back.history.titles == studio.history.titles
    assert back.history.at == studio.history.at == 5 and back.changed
    assert picture in back.jump(6).pictures and back.blobs[back.project.pictures[picture].digest]
    # What did not change from one state to the next is one object: comparing two states stays quick.
    one, two = back.history.projects()[3:5]
    assert one.layers[2] is two.layers[1]
    other = Session(Studio.open(_saved(back, tmp_path)), tmp_path / "others")
    other.log.end()
    assert not list((tmp_path / "others").iterdir())


def _saved(studio: Studio, folder: Path) -> Path:
    path = folder / "work.fern"
    studio.save(path)
    return path


def test_a_torn_line_or_torn_contents_cost_only_what_comes_after(session: Session, tmp_path: Path) -> None:
    for number in range(5):
        session.wash(f"Wash {number}")
    session.log.end(well=False)
    lines = session.log.folder / LINES
    whole = lines.read_bytes()
    for cut in (1, 40, len(whole.split(b"\n")[-2]) + 2):
        lines.write_bytes(whole[:-cut])
        back = session.back()
        assert [layer.name for layer in back.project.walk()][:3] == ["Wash 0", "Wash 1", "Wash 2"]
    damaged = bytearray(whole)
    damaged[-30] ^= 1
    lines.write_bytes(bytes(damaged))
    assert [layer.name for layer in session.back().project.walk()] == [f"Wash {n}" for n in range(4)]
    contents = session.log.folder / CONTENTS
    contents.write_bytes(contents.read_bytes()[: -len(contents.read_bytes()) // 3])
    with pytest.raises(ProjectError, match="not whole"):
        session.back()


def test_the_file_it_began_with_may_be_replaced_meanwhile(session: Session, tmp_path: Path) -> None:
    path = _saved(session.studio, tmp_path)
    session.log.end()
    later = Session(Studio.open(path), tmp_path / "later", path)
    later.wash("After")
    (tmp_path / "new").write_bytes(b"something else")
    os.replace(tmp_path / "new", path)  # as saving does
    assert os.path.getsize(later.log.folder / CONTENTS) < 1000  # what the file holds is not written again
    assert [folder.name for folder in running(tmp_path / "later")] == [later.log.folder.name]
    assert lost_sessions(tmp_path / "later") == []  # nobody takes it for one that ended
    later.log.end(well=False)
    assert [layer.name for layer in later.back().project.walk()] == ["After"]


def test_much_at_once_is_written_beside_the_window_and_in_order(
    session: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(writing, "AT_ONCE", 10)
    for number in range(4):
        noise = (soft_noise((64, 64), seed=number) * 255).astype("uint8")
        session.studio.add_picture(save_png(tmp_path / f"{number}.png", noise))
        session.note()
    assert session.log.flush()
    session.log.end(well=False)
    assert not session.log.flush()
    assert len(session.back().project.pictures) == 4


def test_what_a_project_opens_with_is_written_beside_the_window_too(plane: Path, tmp_path: Path) -> None:
    studio = Studio.new(plane, sheet_size=256)
    noise = np.random.default_rng(3).integers(0, 256, (1200, 1200, 3), np.uint8)  # does not compress
    studio.add_picture(save_png(tmp_path / "large.png", noise))
    studio.history = type(studio.history)(studio.project)
    session = Session(studio, tmp_path / "sessions")
    session.wash("After")
    assert session.log.flush()
    session.log.end(well=False)
    back = session.back()
    assert back.project == studio.project and back.history.titles == ["Opened", "Add After"]


def test_a_full_disk_is_said_once_and_work_goes_on(session: Session, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    session.wash("One")
    session.wash("Two")
    assert len(session.failed) == 1 and "No space left" in session.failed[0]


def test_the_command_line_lists_writes_out_and_forgets(
    session: Session, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setattr("lucky_fern.core.log.place.sessions_folder", lambda: session.root)
    session.wash("One")
    session.wash("Two")
    session.log.end(well=False)
    assert main(["recover", "--json"]) == 0
    found = json.loads(capsys.readouterr().out)
    assert list(found) == ["id", "name", "when", "steps"] and (found["name"], found["steps"]) == ("plane", 2)
    target = tmp_path / "back.fern"
    assert main(["recover", found["id"], "--save", str(target)]) == 0
    assert [layer.name for layer in Studio.open(target).project.walk()] == ["One", "Two"]
    assert main(["recover", "--drop", found["id"]]) == 0
    capsys.readouterr()
    assert main(["recover", "--json"]) == 0 and capsys.readouterr().out == ""
    assert main(["recover", "../elsewhere", "--save", str(target)]) == 1
    assert "there is no session" in capsys.readouterr().err
    with pytest.raises(ProjectError):
        forget("20260101-000000-1", session.root)


def _states(chances: list[int]) -> Iterator[Project]:
    """Projects that follow from one another, by chance."""
    project = Project("p")
    for chance in chances:
        layers = [layer.id for layer in project.walk()]
        if len(layers) < 3 or chance % 5 == 0:
            command = AddLayer(f"L{chance}", Wash(), {"colour": Channel("#123456")})
        elif chance % 5 == 1:
            command = GroupLayers((layers[chance % len(layers)],), "G")
        elif chance % 5 == 2:
            command = SetLayer(layers[chance % len(layers)], opacity=chance % 100 / 100)
        elif chance % 5 == 3:
            command = MoveLayers((layers[chance % len(layers)],), 0)
        else:
            command = RemoveLayers((layers[chance % len(layers)],))
        project = command.apply(project)
        yield project


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 997), min_size=1, max_size=12))
def test_differences_put_together_are_the_state(chances: list[int]) -> None:
    before, plain = None, None
    for project in _states(chances):
        plain = applied(plain, json.loads(json.dumps(told(before, project))))
        assert convert(plain, Project) == project
        before = project
