"""Rows about what a person sees after the demo was clicked, read from the window's pixels."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from functools import cache
from pathlib import Path

from lucky_fern.bench.measure import Row
from lucky_fern.bench.rows import bare_start

_OLDEST = 0.5  # seconds
_COARSE, _FINE = 1.0, 8.0  # seconds


@cache
def _told(module: str, busy: bool = False) -> dict[str, float]:
    command = [sys.executable, "-m", f"lucky_fern.bench.{module}", *(["busy"] if busy else [])]
    measured: dict[str, float] = json.loads(
        subprocess.run(command, check=True, capture_output=True, text=True).stdout
    )
    return measured


def _load() -> str:
    return f"load of the machine {os.getloadavg()[0]:.1f}"


def livery(folder: Path) -> Row:
    """The ferry's livery in both views (12 of 255), against the start of a bare window."""
    found, bare = _told("opening"), bare_start()
    detail = f"{found['livery']:.1f} s to the livery in both views; {bare:.2f} s of a bare window; {_load()}"
    return Row("demo clicked: livery in both views", found["livery"] / bare, 4.0, "lower", detail)


def settled(folder: Path) -> Row:
    """Both views as they stay (1 of 255), against the start of a bare window."""
    found, bare = _told("opening"), bare_start()
    detail = (
        f"{found['settled']:.1f} s, {found['processor']:.0f} s of processor; all maps at their own size after "
        f"{found['rest']:.0f} s; {_load()}"
    )
    return Row("demo clicked: both views settled", found["settled"] / bare, 15.0, "lower", detail)


def oldest(folder: Path) -> Row:
    """How long chunks that are done wait for a view's picture, while another process keeps a core busy."""
    found = _told("opening", True)
    detail = (
        f"{found['oldest']:.2f} s beside a busy core, {found['still']:.1f} s with nothing new to be seen; "
        f"livery after {found['livery']:.1f} s; {_load()}"
    )
    return Row("oldest picture of a view while maps are worked out", found["oldest"] / _OLDEST, 1.0, "lower", detail)


def wear(folder: Path) -> Row:
    """*Worn edges* put on the ferry, nothing of it measured before: seen coarsely within a second."""
    found = _told("wearing")
    detail = (
        f"half of it after {found['coarse']:.1f} s, nine tenths after {found['fine']:.1f} s (8 allowed); {_load()}"
    )
    late = max(found["coarse"] / _COARSE, found["fine"] / _FINE)
    return Row("worn edges clicked: seen coarsely, then finely", late, 1.0, "lower", detail)


MEASURES = (livery, settled, oldest, wear)
