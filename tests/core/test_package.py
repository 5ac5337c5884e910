"""What a wheel takes along."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import tomllib
from pathlib import Path

from lucky_fern import licences
from samples import PLANE

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

    more = PROJECT["project"]["optional-dependencies"]
    for text in (*PROJECT["project"]["dependencies"], *more["window"]):
        name, low, high = re.fullmatch(r"([\w.-]+)>=([\d.]+),<([\d.]+)", text).groups()
        version = pinned[name.lower().replace("_", "-")]
        assert numbers(low) <= numbers(version) < numbers(high), text
    assert "PySide6-Essentials>=6.8,<6.12" in more["window"]


def test_jobs_run_where_no_window_is_installed_and_the_window_says_what_it_needs(tmp_path: Path) -> None:
    """As in an environment of the core alone: nothing that only the window brings can be imported."""
    (tmp_path / "plane.obj").write_text(PLANE)
    job = {"job": 1, "model": "plane.obj", "sheet_size": 16, "steps": [{"do": "wash", "values": {"colour": "#335577"}}],
           "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
    (tmp_path / "job.json").write_text(json.dumps(job))
    code = (
        "import sys\n"
        "for name in ('PySide6', 'shiboken6', 'moderngl', 'glcontext'): sys.modules[name] = None\n"
        "from lucky_fern.cli import main; sys.exit(main(sys.argv[1:]))"
    )

    def run(*arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([sys.executable, "-c", code, *arguments], capture_output=True, text=True, timeout=120)

    done = run("run", str(tmp_path / "job.json"))
    assert done.returncode == 0 and (tmp_path / "maps" / "job_paint_baseColor.png").exists(), done.stderr
    for command in ("demo", "open", "quay", "shots"):
        done = run(command, *([str(tmp_path / "maps")] if command == "quay" else []))
        assert done.returncode == 1 and "lucky-fern[window]" in done.stderr and "Traceback" not in done.stderr, (
            command
        )
    done = run("quay", "--notes", str(tmp_path / "maps"), "--model", str(tmp_path / "plane.obj"))
    assert done.returncode == 0 and (tmp_path / "maps" / "IMPORT-NOTES.txt").exists(), done.stderr


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
