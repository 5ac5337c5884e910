"""Long runs of like lines of an OBJ, read at once: points, texture coordinates, normals, faces.

What is usual is read here; a line that is not (colours behind a point, a comment, a number of too many digits, an
index that points nowhere) ends the run, and whoever asked reads that line by itself.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from lucky_fern.core.arrays import F64, I64, U8
from lucky_fern.core.compiled import kernel

OTHER, POINT, UV, NORMAL, FACE = range(5)
WANTED = {POINT: 3, UV: 2, NORMAL: 3}  # numbers that count of a line
_SPACE, _TAB, _RETURN, _LINE, _SLASH, _DOT, _MINUS, _PLUS, _ZERO = 32, 9, 13, 10, 47, 46, 45, 43, 48
_EXACT: Any = 2**53  # whole numbers up to there are exact
TENS: F64 = np.array([float(f"1e{power}") for power in range(23)])  # and so are these
_BREAKS = ("\x0b", "\x0c", "\x1c", "\x1d", "\x1e")  # that end lines, too


def lines_of(text: str) -> tuple[U8, I64, U8] | None:
    """A text's bytes, where its lines begin (L + 1,), and of what kind each is; None for a text that is not plain."""
    if not text.isascii() or any(mark in text for mark in _BREAKS) or "\r" in text.replace("\r\n", ""):
        return None
    raw = np.frombuffer((text + "\n" * (not text.endswith("\n"))).encode(), np.uint8)
    starts = np.concatenate([[0], np.flatnonzero(raw == _LINE) + 1])
    kinds = np.zeros(len(starts) - 1, np.uint8)
    _kinds(raw, starts, kinds)
    return raw, starts, kinds


@kernel
def _kinds(raw: U8, starts: I64, kinds: U8) -> None:
    for n in range(len(kinds)):
        at, end = starts[n], starts[n + 1]
        if end - at < 3:
            continue
        first, second, third = raw[at], raw[at + 1], raw[at + 2]
        if second == _SPACE:
            kinds[n] = POINT if first == 118 else FACE if first == 102 else OTHER  # v, f
        elif first == 118 and third == _SPACE:
            kinds[n] = UV if second == 116 else NORMAL if second == 110 else OTHER  # vt, vn


@kernel
def _blank(byte: int) -> bool:
    return byte in (_SPACE, _TAB, _RETURN)


@kernel
def _digit(byte: int) -> bool:
    return _ZERO <= byte <= _ZERO + 9


@kernel
def read_numbers(raw: U8, starts: I64, first: int, last: int, skip: int, most: int, tens: F64, out: F64) -> int:
    """Numbers of lines ``first`` to ``last``, behind ``skip`` letters, into ``out`` (lines, count); how many lines.

    A line has ``count`` to ``most`` numbers. Whole digits and a power of ten that are both exact give the number that
    lies nearest (W. D. Clinger, "How to read floating point numbers accurately", 1990); all else ends the run.
    """
    count = out.shape[1]
    for n in range(first, last):
        at, end, found = starts[n] + skip, starts[n + 1] - 1, 0
        while True:
            while at < end and _blank(raw[at]):
                at += 1
            if at >= end:
                break
            below = raw[at] == _MINUS
            if below or raw[at] == _PLUS:
                at += 1
            whole, power, digits = 0, 0, 0
            while at < end and _digit(raw[at]):
                whole, digits = whole * 10 + (raw[at] - _ZERO), digits + 1
                at += 1
                if whole > _EXACT:
                    return n - first
            if at < end and raw[at] == _DOT:
                at += 1
                while at < end and _digit(raw[at]):
                    whole, digits, power = whole * 10 + (raw[at] - _ZERO), digits + 1, power - 1
                    at += 1
                    if whole > _EXACT:
                        return n - first
            if digits == 0:
                return n - first
            if at < end and (raw[at] == 101 or raw[at] == 69):  # e, E
                at += 1
                sign = 1
                if at < end and (raw[at] == _MINUS or raw[at] == _PLUS):
                    sign = -1 if raw[at] == _MINUS else 1
                    at += 1
                exponent, digits = 0, 0
                while at < end and _digit(raw[at]) and digits < 4:
                    exponent, digits = exponent * 10 + (raw[at] - _ZERO), digits + 1
                    at += 1
                if digits == 0:
                    return n - first
                power += sign * exponent
            if (at < end and not _blank(raw[at])) or abs(power) > 22 or found >= most:
                return n - first
            value = float(whole) * tens[power] if power >= 0 else float(whole) / tens[-power]
            if found < count:
                out[n - first, found] = -value if below else value
            found += 1
        if found < count:
            return n - first
    return last - first


@kernel
def read_faces(
    raw: U8, starts: I64, first: int, last: int, points: int, uvs: int, normals: int, sizes: I64, corners: I64
) -> tuple[int, int]:
    """Faces of lines ``first`` to ``last`` where so many points, uvs and normals are known.

    ``sizes`` (lines,) and ``corners`` (N, 3) rows of each, counted from 0, -1 where left out. How many lines and
    corners were read.
    """
    known = (points, uvs, normals)
    used = 0
    for n in range(first, last):
        at, end, begun = starts[n] + 2, starts[n + 1] - 1, used
        while True:
            while at < end and _blank(raw[at]):
                at += 1
            if at >= end:
                break
            corners[used] = -1
            slot = 0
            while True:
                below = at < end and raw[at] == _MINUS
                if below:
                    at += 1
                index, digits = 0, 0
                while at < end and _digit(raw[at]) and digits < 12:
                    index, digits = index * 10 + (raw[at] - _ZERO), digits + 1
                    at += 1
                if digits:
                    row = known[slot] - index if below else index - 1
                    if index == 0 or row < 0 or row >= known[slot]:
                        return n - first, begun
                    corners[used, slot] = row
                elif below or slot == 0:
                    return n - first, begun
                if at < end and raw[at] == _SLASH and slot < 2:
                    at, slot = at + 1, slot + 1
                    continue
                break
            if at < end and not _blank(raw[at]):
                return n - first, begun
            used += 1
        if used - begun < 3:
            return n - first, begun
        sizes[n - first] = used - begun
    return last - first, used
