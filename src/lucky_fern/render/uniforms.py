"""Uniforms of a program by name, as what they are: a program's members may be of other kinds, too."""

from __future__ import annotations

import moderngl


def uniform(program: moderngl.Program, name: str) -> moderngl.Uniform:
    """A uniform that the program's source declares and uses.

    Raises
    ------
    KeyError
        If there is none of that name.
    """
    member = program[name]
    assert isinstance(member, moderngl.Uniform)
    return member
