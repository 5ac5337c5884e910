"""The command line: the window, jobs, recovery, the quay, the desktop, and what developers need."""

from __future__ import annotations

import argparse
import json
import sys
import warnings
from pathlib import Path
from typing import Any

from lucky_fern import __version__
from lucky_fern.outlet import say

_OF_WINDOW = {"PySide6", "shiboken6", "moderngl", "glcontext"}  # what is installed with the window only


def main(arguments: list[str] | None = None) -> int:
    """Run one command; the exit code (see jobs.md for ``run``)."""
    # Numeric warnings are for those who write the program; what matters to a person is told in sentences.
    warnings.filterwarnings("ignore", category=RuntimeWarning)
    warnings.filterwarnings("ignore", category=DeprecationWarning)
    options = command_line()[0].parse_args(arguments)
    try:
        result: int = options.action(options)
    except KeyboardInterrupt:
        print("lucky-fern: stopped; every file is whole or as it was", file=sys.stderr)
        return 130  # as shells count what a signal ended: 128 + 2
    except ModuleNotFoundError as error:
        if (error.name or "").partition(".")[0] not in _OF_WINDOW:
            raise
        print("lucky-fern: the core alone is installed, which does jobs; for the window: pip install "
              "'lucky-fern[window]'", file=sys.stderr)  # fmt: skip
        return 1
    return result


def command_line() -> tuple[argparse.ArgumentParser, dict[str, argparse.ArgumentParser]]:
    """What reads the command line, and the part of it that reads each command."""
    parser = argparse.ArgumentParser(prog="lucky-fern", description="A texture painter for game mods.")
    parser.add_argument("--version", action="version", version=f"Lucky Fern {__version__}")
    found = parser.add_subparsers(required=True, metavar="COMMAND")
    commands: dict[str, argparse.ArgumentParser] = {}

    def add(name: str, told: str) -> argparse.ArgumentParser:
        commands[name] = found.add_parser(name, help=told, description=f"{told[0].upper()}{told[1:]}.")
        return commands[name]

    demo = add("demo", "open the program with a demo project")
    demo.add_argument("which", nargs="?", default="ferry", choices=["ferry", "flask", "kettle"])
    demo.set_defaults(action=_window)
    opened = add("open", "open a project, a model, or nothing")
    opened.add_argument("file", nargs="?", type=Path)
    opened.set_defaults(action=_window)
    for command in (demo, opened):
        command.add_argument("--shot", type=Path, metavar="FILE.png", help="save a picture of the window and quit")
        command.add_argument("--station", choices=["model", "artwork", "paint", "check", "export"])
        command.add_argument("--size", metavar="WxH", help="of the window; as it was left, if none is said")

    run = add("run", "do a job file without a window")
    run.add_argument("job", type=Path, help="the job file; - is standard input, its paths from where one stands")
    run.add_argument("--json", action="store_true", help="one JSON object per finished step")
    run.set_defaults(action=_run)

    quay = add("quay", "show exported maps as a game would")
    quay.add_argument("folder", type=Path, help="where the maps lie")
    quay.add_argument("--model", type=Path, help="the model; otherwise the first one in the folder")
    quay.add_argument("--normal-y", default="+", choices=["+", "-"], help="where green points in normal maps")
    quay.add_argument("--preset", type=Path, action="append", default=[], help="a preset file that named the maps")
    quay.add_argument("--project", type=Path, help="hold the maps against what this project has painted")
    quay.add_argument("--notes", action="store_true", help="write IMPORT-NOTES.txt beside the maps, without a window")
    quay.add_argument("--shot", type=Path, metavar="FILE.png", help="save a picture of the window and quit")
    quay.set_defaults(action=_quay)

    recover = add("recover", "bring back sessions that did not end well")
    recover.add_argument("id", nargs="?", help="which one; without it, they are listed")
    recover.add_argument("--json", action="store_true", help="one JSON object per session")
    recover.add_argument("--save", type=Path, metavar="FILE.fern", help="write the session out as a project")
    recover.add_argument("--drop", metavar="ID", help="forget a session")
    recover.set_defaults(action=_recover)

    desktop = add("install-desktop", "put the program into the desktop's menus")
    desktop.add_argument("--remove", action="store_true", help="take it out again")
    desktop.set_defaults(action=_desktop)

    thumbnail = add("thumbnail", "a small picture of a project's colours")
    thumbnail.add_argument("project", type=Path)
    thumbnail.add_argument("picture", type=Path)
    thumbnail.add_argument("--size", type=int, default=256)
    thumbnail.set_defaults(action=_thumbnail)

    bench = add("bench", "measure against references")
    bench.add_argument("--json", action="store_true")
    bench.add_argument("--only", default="", metavar="WORD", help="rows whose names hold a word")
    bench.add_argument("--against", type=Path, metavar="FILE", help="what an earlier run with --json printed")
    bench.set_defaults(action=_bench)

    shots = add("shots", "remake docs/screenshots")
    shots.set_defaults(action=_shots)
    return parser, commands


def _run(options: argparse.Namespace) -> int:
    from lucky_fern.core.compiled import tell_compiling
    from lucky_fern.core.errors import LuckyFernError
    from lucky_fern.core.jobs.run import JobError, run_job
    from lucky_fern.core.limits import MOST_SMALL_FILE

    def report(step: dict[str, Any]) -> None:
        say(json.dumps(step) if options.json else f"step {step['step']}: {step['do']} {step['name']}")

    def failed(sentence: str, code: int) -> int:
        print(sentence, file=sys.stderr)
        if options.json:
            say(json.dumps({"done": False, "error": sentence, "exit": code}))
        return code

    def compiling(begun: int) -> None:
        if begun == 1 or begun % 10 == 0:
            line = f"getting ready, once on this computer, in about a minute: {begun} loops compiled"
            print(line, file=sys.stderr) if options.json else say(line)

    given = str(options.job) == "-"
    path = Path("stdin") if given else options.job
    end = tell_compiling(compiling)
    try:
        outcome = run_job(path, report, sys.stdin.buffer.read(MOST_SMALL_FILE + 1) if given else None)
    except JobError as error:
        return failed(str(error), 2)
    except LuckyFernError as error:
        return failed(f"{path.name}: {' '.join(str(error).split())}", 1)
    finally:
        end()
    files = [str(path) for path in outcome.files]
    if options.json:
        last = {
            "done": True,
            "files": files,
            "skipped": list(outcome.skipped),
            "warnings": list(outcome.warnings),
        }
        say(json.dumps(last))
        return 0
    for warning in outcome.warnings:
        say(f"note: {warning}")
    if outcome.skipped:
        say(f"left out, since no layer writes to it: {', '.join(outcome.skipped)}")
    for name in files:
        say(f"wrote {name}")
    return 0


def _window(options: argparse.Namespace) -> int:
    from lucky_fern.ui.window.start import start

    return start(options)


def _quay(options: argparse.Namespace) -> int:
    from lucky_fern.ui.quay.start import start

    return start(options)


def _recover(options: argparse.Namespace) -> int:
    from lucky_fern.core.errors import LuckyFernError
    from lucky_fern.core.log.reading import forget, lost_sessions, recovered
    from lucky_fern.words import counted

    try:
        if options.drop is not None:
            forget(options.drop)
        elif options.id is None:
            for lost in lost_sessions():
                told = lost.as_json()
                steps = f"{counted(lost.steps, 'step')} not saved"
                say(json.dumps(told) if options.json else f"{lost.id}  {lost.name}, {told['when']}, {steps}")
        elif options.save is None:
            print("lucky-fern: say where to with --save FILE.fern", file=sys.stderr)
            return 2
        else:
            recovered(options.id)[0].save(options.save)
            if not options.json:
                say(f"wrote {options.save}")
    except LuckyFernError as error:
        print(f"lucky-fern: {error}", file=sys.stderr)
        return 1
    return 0


def _desktop(options: argparse.Namespace) -> int:
    from lucky_fern import desktop
    from lucky_fern.core.errors import LuckyFernError

    commands = command_line()[1]
    try:
        done = desktop.uninstall(commands) if options.remove else desktop.install(commands)
    except LuckyFernError as error:
        print(f"lucky-fern: {error}", file=sys.stderr)
        return 1
    for path in done:
        say(f"{'removed' if options.remove else 'wrote'} {path}")
    return 0


def _thumbnail(options: argparse.Namespace) -> int:
    from lucky_fern.core.errors import LuckyFernError
    from lucky_fern.desktop import thumbnail

    try:
        thumbnail(options.project, options.picture, min(max(options.size, 16), 1024))
    except LuckyFernError as error:
        print(f"lucky-fern: {error}", file=sys.stderr)
        return 1
    return 0


def _bench(options: argparse.Namespace) -> int:
    from lucky_fern.bench.run import run
    from lucky_fern.core.errors import LuckyFernError

    try:
        return run(as_json=options.json, only=options.only, against=options.against)
    except LuckyFernError as error:
        print(f"lucky-fern: {error}", file=sys.stderr)
        return 1


def _shots(options: argparse.Namespace) -> int:
    from lucky_fern.ui.window.shots import remake

    return remake()


if __name__ == "__main__":
    sys.exit(main())
