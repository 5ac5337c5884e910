"""What a wheel takes along."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tomllib
from pathlib import Path

from lucky_fern import licences

ROOT = Path(__file__).parents[2]
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text())


def test_every_file_that_is_no_code_is_package_data() -> None:
    told = PROJECT["tool"]["setuptools"]["package-data"]
    known = set()
    for package, patterns in told.items():
        folder = ROOT / "src" / package.replace(".", "/")
        for pattern in patterns:
            found = {path for path in folder.glob(pattern) if path.is_file() and path.suffix != ".py"}
            assert found or pattern == "*", f"{package}: {pattern} names nothing"
            known |= found
    files = {path for path in (ROOT / "src" / "lucky_fern").rglob("*") if path.is_file()}
    data = {path for path in files if path.suffix not in (".py", ".pyc", ".nbi", ".nbc")}
    assert data and data <= known, sorted(str(path) for path in data - known)


def test_dependencies_have_bounds_that_hold_for_what_is_pinned() -> None:
    pinned = dict(re.findall(r"(?m)^([\w.-]+)==([\d.a-z]+)", (ROOT / "requirements.txt").read_text()))
    pinned = {name.lower().replace("_", "-"): version for name, version in pinned.items()}

    def numbers(version: str) -> tuple[int, ...]:
        return tuple(int(part) for part in re.findall(r"\d+", version))

    for text in PROJECT["project"]["dependencies"]:
        name, low, high = re.fullmatch(r"([\w.-]+)>=([\d.]+),<([\d.]+)", text).groups()
        version = pinned[name.lower().replace("_", "-")]
        assert numbers(low) <= numbers(version) < numbers(high), text
    assert "PySide6-Essentials>=6.8,<6.12" in PROJECT["project"]["dependencies"]


def test_set_up_compiles_all_that_is_compiled(tmp_path: Path) -> None:
    """Whoever came first to what set-up left out would wait for the compiler."""
    code = (
        "import importlib, pkgutil, sys; from pathlib import Path\n"
        "import lucky_fern.core as core, lucky_fern.render as render\n"
        "for room in (core, render):\n"
        "    for one in pkgutil.walk_packages(room.__path__, room.__name__ + '.'):\n"
        "        importlib.import_module(one.name)\n"
        "from lucky_fern import warm; from lucky_fern.core import compiled\n"
        "warm.compile_kernels(Path(sys.argv[1]))\n"
        "left = [one.function for one in compiled._KERNELS if one._compiled is None]\n"
        "print(*[f'{one.__module__}.{one.__qualname__}' for one in left])"
    )
    (tmp_path / "work").mkdir()
    env = {**os.environ, "XDG_CACHE_HOME": str(tmp_path / "cache")}  # nothing is measured yet
    done = subprocess.run(
        [sys.executable, "-c", code, str(tmp_path / "work")], env=env, capture_output=True, text=True, timeout=240
    )
    assert done.returncode == 0, done.stderr
    assert not done.stdout.strip(), "set-up leaves these cold: " + done.stdout


def test_all_that_comes_along_may_go_with_a_program_under_the_mit_licence() -> None:
    """Only Qt asks for more, and that is met; everything else leaves the program free, and is told."""
    parts = licences.parts_used()
    assert {part.name for part in parts if part.copyleft} <= {"PySide6_Essentials", "PySide6-Essentials", "shiboken6"}
    assert len(parts) > 20 and all(part.texts or part.copyleft for part in parts)
    told = (ROOT / "docs" / "licences.md").read_text()
    assert all(f"- {line}\n" in told for line in licences.listed()), (
        "docs/licences.md: see python -m lucky_fern.licences"
    )
