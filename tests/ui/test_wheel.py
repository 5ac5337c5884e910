"""A wheel is built, installed where nothing else of the program is, and draws."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import sysconfig
from pathlib import Path

import numpy as np
from PIL import Image

ROOT = Path(__file__).parents[2]


def test_a_wheel_has_all_that_the_program_needs(tmp_path: Path) -> None:
    tree = tmp_path / "tree"
    leave = shutil.ignore_patterns("__pycache__", "*.egg-info")
    shutil.copytree(ROOT / "src", tree / "src", ignore=leave)
    for name in ("pyproject.toml", "README.md", "LICENSE"):
        shutil.copy(ROOT / name, tree)
    wheel = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--no-build-isolation", "--no-index"]
    subprocess.run([*wheel, "-w", str(tmp_path), str(tree)], check=True)
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(tmp_path / "fresh")], check=True)
    site = next((tmp_path / "fresh").glob("lib/*/site-packages"))
    shutil.unpack_archive(next(tmp_path.glob("*.whl")), site, "zip")
    # What it depends on is taken from here; of the program itself nothing can be seen that way.
    (site / "others.pth").write_text(sysconfig.get_paths()["purelib"])
    shutil.rmtree(tree)
    env = {name: value for name, value in os.environ.items() if not name.startswith(("PYTHON", "COV"))}
    env |= {name: str(tmp_path / name) for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME")}
    python = str(tmp_path / "fresh" / "bin" / "python")
    where = subprocess.run([python, "-c", "import lucky_fern; print(lucky_fern.__file__)"], env=env, check=True,
                           capture_output=True, text=True)  # fmt: skip
    assert Path(where.stdout.strip()).is_relative_to(site)
    shot = tmp_path / "start.png"
    begin = "import sys; from lucky_fern.cli import main; sys.exit(main())"
    subprocess.run([python, "-c", begin, "open", "--shot", str(shot)], env=env, check=True, cwd=tmp_path, timeout=300)
    picture = np.asarray(Image.open(shot).convert("RGB"))
    assert picture.shape == (800, 1280, 3) and len(np.unique(picture.reshape(-1, 3), axis=0)) > 100
