"""The benchmark: each row a ratio of our time to a reference's, medians of alternating runs."""

from __future__ import annotations

import json
import sys
import tempfile
from dataclasses import asdict
from pathlib import Path

from lucky_fern.bench import (
    echo_rows,
    gap_rows,
    log_rows,
    opening_rows,
    painting_rows,
    preparing_rows,
    seam_rows,
    surface_rows,
    survey_rows,
    texel_rows,
)
from lucky_fern.bench import rows as engine
from lucky_fern.bench.measure import Row
from lucky_fern.core.errors import LuckyFernError
from lucky_fern.words import tr

_NOISE = 1.25  # how many times as much a row may differ between two runs of the same program


def read_before(path: Path) -> dict[str, float]:
    """The ratios of an earlier run, row by row, from what it printed with ``--json``.

    Raises
    ------
    LuckyFernError
        With a sentence that names the file.
    """
    try:
        return {row["name"]: float(row["ratio"]) for row in json.loads(path.read_text())["rows"]}
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise LuckyFernError(
            tr("{file} cannot be compared with: give it what './fern bench --json' printed", file=path)
        ) from error


def compared(row: Row, before: dict[str, float]) -> str:
    """How a row stands against an earlier run; nothing where it is no news."""
    if row.name not in before:
        return "not measured before"
    was = before[row.name]
    worse = row.ratio / was if row.better == "lower" else was / max(row.ratio, 1e-9)
    if worse > _NOISE:
        return f"SLOWER than before ({was:.2f})"
    return f"quicker than before ({was:.2f})" if worse < 1 / _NOISE else ""


def run(as_json: bool, only: str = "", against: Path | None = None) -> int:
    """Measure every row there is and print them; always exit code 0: a figure is no failure.

    ``only`` limits it to rows of which the function's name or room holds that word; ``against`` is a file of an
    earlier run, which each row is compared with.
    """
    rows, before = [], None if against is None else read_before(against)
    with tempfile.TemporaryDirectory() as folder:
        rooms = (engine, surface_rows, painting_rows, seam_rows, survey_rows, preparing_rows, texel_rows,
                 echo_rows, log_rows, gap_rows, opening_rows)  # fmt: skip
        every = [(room.__name__, one) for room in rooms for one in room.MEASURES]
        for measure in [one for room, one in every if only in f"{room} {one.__name__}"]:
            rows.append(measure(Path(folder)))
            row = rows[-1]
            if not as_json:
                met = row.ratio >= row.goal if row.better == "higher" else row.ratio <= row.goal
                sign = "≥" if row.better == "higher" else "≤"
                verdict = "met" if met else "NOT MET"
                news = "" if before is None else compared(row, before)
                print(
                    "; ".join(
                        filter(
                            None,
                            (f"{row.name}: {row.ratio:.2f} (goal {sign} {row.goal:g}) {verdict}", news, row.detail),
                        )
                    )
                )
                sys.stdout.flush()
    if as_json:
        print(json.dumps({"rows": [asdict(row) for row in rows]}))
    return 0
