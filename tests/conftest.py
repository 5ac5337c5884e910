"""Small models and pictures that tests build with, and the job runner as a person calls it."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from samples import PLANE, Runner


@pytest.fixture(scope="session", autouse=True)
def _no_state_of_the_person(tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """Logs, settings and mishaps of tests stay away from those of whoever runs them."""
    with pytest.MonkeyPatch.context() as patch:
        for name in ("XDG_STATE_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME"):
            patch.setenv(name, str(tmp_path_factory.mktemp(name.lower())))
        yield


@pytest.fixture
def plane(tmp_path: Path) -> Path:
    """A 2 × 2 board that faces +Z and fills tile 1001."""
    path = tmp_path / "plane.obj"
    path.write_text(PLANE)
    return path


@pytest.fixture
def run_job(tmp_path: Path) -> Runner:
    """Write a job beside the test's files and run it in a process of its own."""

    def run(job: dict[str, Any], name: str = "job", *options: str) -> subprocess.CompletedProcess[str]:
        path = tmp_path / f"{name}.json"
        path.write_text(json.dumps(job))
        command = [sys.executable, "-m", "lucky_fern.cli", "run", str(path), *options]
        return subprocess.run(command, capture_output=True, text=True)

    return run
