"""Small models and pictures that tests build with, and the job runner as a person calls it."""

from __future__ import annotations

import json
import subprocess
import warnings
from collections.abc import Iterator
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path
from typing import Any

import pytest

from lucky_fern.cli import main
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
    """Write a job beside the test's files and do it as the command line would, in this process.

    A process of its own takes three seconds to start; that one works is held by ``test_command_line.py``.
    """

    def run(job: dict[str, Any], name: str = "job", *options: str) -> subprocess.CompletedProcess[str]:
        path = tmp_path / f"{name}.json"
        path.write_text(json.dumps(job))
        command = ["run", str(path), *options]
        with redirect_stdout(StringIO()) as said, redirect_stderr(StringIO()) as told, warnings.catch_warnings():
            ended = main(command)
        return subprocess.CompletedProcess(command, ended, said.getvalue(), told.getvalue())

    return run
