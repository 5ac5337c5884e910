"""The program in the desktop's menus, and thumbnails of its projects."""

from __future__ import annotations

import configparser
import shlex
import subprocess
import xml.etree.ElementTree as ElementTree
from pathlib import Path

import numpy as np
import pytest

from lucky_fern.cli import command_line, main
from lucky_fern.core.project.commands import AddLayer
from lucky_fern.core.project.document import Channel, Wash
from lucky_fern.core.studio import Studio
from lucky_fern.desktop import MIME
from samples import read_png

KINDS = """<?xml version="1.0"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info"/>
"""


def test_it_goes_into_the_persons_folders_and_out_again(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "my data"))
    assert main(["install-desktop"]) == 0
    wrote = [Path(line.removeprefix("wrote ")) for line in capsys.readouterr().out.splitlines()]
    assert len(wrote) == 7 and all(path.is_file() and tmp_path in path.parents for path in wrote)
    entry = configparser.ConfigParser(interpolation=None)
    entry.optionxform = str
    entry.read([path for path in wrote if path.suffix == ".desktop"])
    words = shlex.split(entry["Desktop Entry"]["Exec"])
    assert words[-2:] == ["open", "%f"] and entry["Desktop Entry"]["MimeType"] == f"{MIME};"
    kinds = ElementTree.parse(next(path for path in wrote if path.parent.name == "packages")).getroot()
    assert [one.get("type") for one in kinds] == [MIME]
    assert main(["install-desktop", "--remove"]) == 0
    assert list((tmp_path / "my data").iterdir()) == []


def test_what_others_put_beside_it_stays(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    others = tmp_path / "applications" / "other.desktop", tmp_path / "mime" / "packages" / "other.xml"
    for path, text in zip(others, ("[Desktop Entry]\n", KINDS), strict=True):
        path.parent.mkdir(parents=True)
        path.write_text(text)
    assert main(["install-desktop"]) == 0 and main(["install-desktop", "--remove"]) == 0
    assert all(path.exists() for path in others) and not list(tmp_path.rglob("*lucky-fern*"))


def test_the_manual_and_the_shell_know_every_command(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    assert main(["install-desktop"]) == 0
    commands = command_line()[1]
    page = (tmp_path / "man" / "man1" / "lucky-fern.1").read_text()
    assert all(f".SS {name}\n" in page for name in commands) and r"\-\-json" in page
    script = f'source "{tmp_path}/bash-completion/completions/lucky-fern"; '
    for typed, wanted in (
        (["ru"], {"run"}),
        (["run", "--j"], {"--json"}),
        (["recover", "--"], {"--json", "--save", "--drop", "--help"}),
    ):
        words = " ".join(["lucky-fern", *typed])
        done = subprocess.run(
            ["bash", "-c", f"{script}COMP_WORDS=({words}); COMP_CWORD={len(typed)}; _lucky_fern; echo ${{COMPREPLY[@]}}"],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        assert set(done.stdout.split()) == wanted


def test_a_thumbnail_shows_the_colours(plane: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    studio = Studio.new(plane, sheet_size=512)
    studio.execute(AddLayer("Base", Wash(), {"colour": Channel("#cc4411")}))
    studio.save(tmp_path / "a.fern")
    assert main(["thumbnail", str(tmp_path / "a.fern"), str(tmp_path / "a.png"), "--size", "100"]) == 0
    shown = read_png(tmp_path / "a.png")
    assert shown.shape[:2] == (100, 100) and (shown[..., :3] == np.array([0xCC, 0x44, 0x11])).all()
    (tmp_path / "b.fern").write_bytes(b"no project")
    assert main(["thumbnail", str(tmp_path / "b.fern"), str(tmp_path / "b.png")]) == 1
    assert "b.fern" in capsys.readouterr().err and not (tmp_path / "b.png").exists()
