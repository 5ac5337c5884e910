"""The manual page and what a shell completes, both from the commands as they are."""

from __future__ import annotations

import re
from argparse import ArgumentParser
from collections.abc import Mapping

from lucky_fern import __version__

Commands = Mapping[str, ArgumentParser]  # by name, what reads each
_EXITS = (
    "0: done. 1: it failed on the way; every file is whole or absent. 2: what was asked for is wrong. 130: stopped."
)


def manual_page(commands: Commands) -> str:
    """The page for ``man 1 lucky-fern``, in the macros of man(7)."""
    lines = [f'.TH LUCKY-FERN 1 "" "Lucky Fern {__version__}"', ".SH NAME",
             r"lucky-fern \- a texture painter for game mods", ".SH SYNOPSIS"]  # fmt: skip
    lines += [f".B lucky-fern {name}\n.br" for name in commands]
    lines += [".SH COMMANDS"]
    for name, command in commands.items():
        told = command.format_help().partition("\n\n")  # how it is called, and what about it
        lines += [f".SS {name}", ".nf", *map(_plain, [*told[0].splitlines(), "", *told[2].splitlines()]), ".fi"]
    return "\n".join([*lines, ".SH EXIT STATUS", _plain(_EXITS), ""])


def _plain(line: str) -> str:
    """A line that troff takes as it is."""
    line = line.replace("\\", r"\e").replace("-", r"\-")
    return rf"\&{line}" if line[:1] in (".", "'") else line


def completion(commands: Commands) -> str:
    """What bash completes after ``lucky-fern``: commands, their options, files."""
    cases = [
        f'    {name}) words="{" ".join(sorted(set(re.findall(r"--[a-z-]+", command.format_help()))))}" ;;'
        for name, command in commands.items()
    ]
    return "\n".join([
        "_lucky_fern() {",
        '  local word="${COMP_WORDS[COMP_CWORD]}" words=""',
        '  if [ "$COMP_CWORD" = 1 ]; then',
        f'    COMPREPLY=($(compgen -W "{" ".join(commands)}" -- "$word"))',
        "    return",
        "  fi",
        '  case "${COMP_WORDS[1]}" in', *cases, "  esac",
        '  case "$word" in',
        '    -*) COMPREPLY=($(compgen -W "$words" -- "$word")) ;;',
        '    *) COMPREPLY=($(compgen -f -- "$word")) ;;',
        "  esac",
        "}",
        "complete -o filenames -F _lucky_fern lucky-fern",
        "",
    ])  # fmt: skip
