"""Everything in the window goes through the one place where texts are translated."""

from __future__ import annotations

import ast
import os
import subprocess
import sys
from pathlib import Path

import lucky_fern
from lucky_fern.words import counted, tr

WALK = Path(__file__).parent / "marked_texts.py"


def test_no_text_of_the_window_misses_the_place_where_texts_are_translated(world: Path) -> None:
    env = {**os.environ, "LUCKY_FERN_LANGUAGE": "marked"}
    done = subprocess.run(
        [sys.executable, str(WALK), str(world)], env=env, capture_output=True, text=True, timeout=240
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout == ""


def test_texts_can_be_gathered_as_they_are_written_out_where_they_are_used() -> None:
    """A tool that makes catalogues reads the sources: it finds nothing in a variable, or in an f-string."""
    for path in Path(lucky_fern.__file__).parent.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "tr":
                assert isinstance(node.args[0], ast.Constant), (path.name, node.lineno)


def test_plurals_and_values_are_put_in() -> None:
    assert (counted(1, "sheet"), counted(3, "sheet"), counted(2, "entry", "entries")) == (
        "1 sheet",
        "3 sheets",
        "2 entries",
    )
    assert tr("{name} has {share:.0%}", name="a{b}", share=0.5) == "a{b} has 50%"


def test_a_catalogue_is_used_where_there_is_one(tmp_path: Path) -> None:
    folder = tmp_path / "de" / "LC_MESSAGES"
    folder.mkdir(parents=True)
    (folder / "lucky-fern.mo").write_bytes(
        _compiled({"": "Content-Type: text/plain; charset=UTF-8\n", "Save": "Sichern"})
    )
    code = (
        "import sys, gettext, lucky_fern.words as w; from pathlib import Path;"
        "w._TEXTS = w.catalogue(Path(sys.argv[1])); print(w.tr('Save'), w.tr('Open …'))"
    )
    env = {**os.environ, "LUCKY_FERN_LANGUAGE": "de"}
    done = subprocess.run(
        [sys.executable, "-c", code, str(tmp_path)], env=env, capture_output=True, text=True, check=True
    )
    assert done.stdout.split() == ["Sichern", "Open", "…"]


def _compiled(texts: dict[str, str]) -> bytes:
    """A GNU .mo file."""
    count, pairs = len(texts), sorted((a.encode(), b.encode()) for a, b in texts.items())
    head, at, tables, data = 28, 28 + 16 * count, [b"", b""], b""
    for side in range(2):
        for pair in pairs:
            tables[side] += len(pair[side]).to_bytes(4, "little") + (at + len(data)).to_bytes(4, "little")
            data += pair[side] + b"\0"
    numbers = (0x950412DE, 0, count, head, head + 8 * count, 0, 0)
    return b"".join(n.to_bytes(4, "little") for n in numbers) + tables[0] + tables[1] + data
