"""Jobs from the command line, whoever listens, and however they are stopped."""

from __future__ import annotations

import json
import signal
import subprocess
import sys
from dataclasses import asdict, replace
from pathlib import Path

import pytest

from lucky_fern.bench.measure import Row
from lucky_fern.bench.run import compared, read_before
from lucky_fern.core.errors import LuckyFernError

JOB = {"job": 1, "model": "plane.obj", "sheet_size": 64, "steps": [{"do": "wash", "values": {"colour": "#204060"}}],
       "save": "a.fern", "exports": [{"preset": "separate", "out": "maps"}]}  # fmt: skip
MAP = "paint_baseColor.png"


def begun(folder: Path, *arguments: str, module: str = "lucky_fern", **more: object) -> subprocess.Popen[bytes]:
    return subprocess.Popen(  # type: ignore[call-overload]
        [sys.executable, "-m", module, "run", *arguments], cwd=folder, stderr=subprocess.PIPE, **more
    )


@pytest.mark.parametrize("where, json_too", [("closed pipe", True), ("full device", False)])
def test_a_job_is_done_whether_or_not_anybody_listens(plane: Path, where: str, json_too: bool) -> None:
    (plane.parent / "j.json").write_text(json.dumps(JOB))
    arguments = ["j.json", *(["--json"] if json_too else [])]
    if where == "closed pipe":
        job = begun(plane.parent, *arguments, stdout=subprocess.PIPE)
        assert job.stdout is not None
        job.stdout.close()
        told = job.communicate()[1]
        assert told == b""
    else:
        with Path("/dev/full").open("w") as full:
            job = begun(plane.parent, *arguments, stdout=full)
            told = job.communicate()[1]
        assert told.count(b"standard output takes nothing more") == 1 and told.count(b"\n") == 1
    assert job.returncode == 0
    assert (plane.parent / "maps" / f"j_{MAP}").exists() and (plane.parent / "a.fern").exists()


def test_a_job_comes_through_standard_input(plane: Path) -> None:
    job = begun(plane.parent, "-", "--json", stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    said, told = job.communicate(json.dumps(JOB).encode())
    assert job.returncode == 0, told
    assert (plane.parent / "maps" / f"stdin_{MAP}").exists() and json.loads(said.splitlines()[-1])["done"] is True


@pytest.mark.parametrize("wrong, code", [({"steps": [{"do": "wish"}]}, 2), ({"save": "plane.obj/a.fern"}, 1)])
def test_what_failed_is_told_as_json_too(plane: Path, wrong: dict[str, object], code: int) -> None:
    job = begun(plane.parent, "-", "--json", stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    said, told = job.communicate(json.dumps({**JOB, **wrong}).encode())
    last = json.loads(said.splitlines()[-1])
    assert job.returncode == code == last["exit"] and last["done"] is False
    assert told.decode().strip() == last["error"] and "stdin" in last["error"]


def test_a_job_that_is_stopped_ends_with_a_sentence(plane: Path) -> None:
    noise = {"do": "pattern", "pattern": "noise", "name": "noise", "size": [4096, 4096]}

    def heard() -> None:  # whatever was begun with & in a shell would not hear it
        signal.signal(signal.SIGINT, signal.SIG_DFL)

    job = begun(plane.parent, "-", stdin=subprocess.PIPE, stdout=subprocess.PIPE, preexec_fn=heard)
    with job:
        assert job.stdin is not None and job.stdout is not None and job.stderr is not None
        job.stdin.write(json.dumps({**JOB, "steps": JOB["steps"] + [noise] * 20}).encode())
        job.stdin.close()
        assert job.stdout.readline().startswith(b"step 1")
        job.send_signal(signal.SIGINT)
        told = job.stderr.read()
    assert job.returncode == 130 and b"Traceback" not in told and b"stopped" in told
    assert not (plane.parent / "maps").exists()


def test_a_bench_says_which_rows_are_slower_than_in_an_earlier_run_on_either_side(tmp_path: Path) -> None:
    rows = [Row("drawn", 2.0, 4.0, "lower", ""), Row("speed", 6.0, 3.0, "higher", "")]
    (tmp_path / "before.json").write_text(json.dumps({"rows": [asdict(one) for one in rows]}))
    before = read_before(tmp_path / "before.json")
    assert compared(replace(rows[0], ratio=3.0), before) == "SLOWER than before (2.00)"
    assert compared(replace(rows[1], ratio=4.0), before) == "SLOWER than before (6.00)"
    assert compared(replace(rows[1], ratio=9.0), before) == "quicker than before (6.00)"
    assert compared(replace(rows[0], ratio=2.1), before) == ""
    assert compared(Row("new", 1.0, 1.0, "lower", ""), before) == "not measured before"
    (tmp_path / "other.json").write_text("[1]")
    with pytest.raises(LuckyFernError, match=r"other\.json cannot be compared"):
        read_before(tmp_path / "other.json")
