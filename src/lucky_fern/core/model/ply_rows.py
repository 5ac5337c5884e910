"""The rows of a PLY file as columns of numbers, and columns as a PLY file; what they mean is not asked here.

Reference: G. Turk, "The PLY Polygon File Format", 1994: elements of rows, whose properties are numbers or lists of
them, written as words or as bytes of either order.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from lucky_fern.core.arrays import F64, I64, U8, Array
from lucky_fern.core.compiled import kernel
from lucky_fern.words import tr

_TYPES = {
    "char": "i1", "uchar": "u1", "short": "i2", "ushort": "u2", "int": "i4", "uint": "u4", "float": "f4",
    "double": "f8", "int8": "i1", "uint8": "u1", "int16": "i2", "uint16": "u2", "int32": "i4", "uint32": "u4",
    "float32": "f4", "float64": "f8",
}  # fmt: skip
_ORDERS = {"ascii": "", "binary_little_endian": "<", "binary_big_endian": ">"}


class Lists(NamedTuple):
    """A list in each row: how long each is (N,), and all items one after the other."""

    counts: I64
    items: Array


@dataclass(frozen=True)
class _Property:
    name: str
    kind: str
    count: str = ""  # the type of a list's length; "" for a single number


class Element:
    """Rows of one kind: ``columns`` are arrays (N,) of single numbers, and :class:`Lists`."""

    def __init__(self, name: str, rows: int) -> None:
        self.name, self.rows = name, rows
        self.properties: list[_Property] = []
        self.columns: dict[str, Array | Lists] = {}

    def numbers(self, name: str) -> Array:
        """(N,) a column of single numbers; ValueError if it holds lists."""
        found = self.columns[name]
        if isinstance(found, Lists):
            raise ValueError(tr("'{name}' holds lists where a number is meant", name=name))
        return found

    def lists(self, name: str) -> Lists:
        """A column of lists; ValueError if it holds single numbers."""
        found = self.columns[name]
        if not isinstance(found, Lists):
            raise ValueError(tr("'{name}' holds numbers where lists are meant", name=name))
        return found


def read_rows(head: list[bytes], body: bytes) -> dict[str, Element]:
    """The elements of a file by name: the lines of its header, and what follows them.

    Raises
    ------
    ValueError
        With a sentence about what is wrong.
    """
    order, elements = _header(head)
    words = np.array(body.split(), dtype=np.float64) if not order else np.zeros(0)
    data, at = np.frombuffer(body, np.uint8), 0
    for element in elements:
        at = _read_words(element, words, at) if not order else _read_bytes(element, data, at, order)
    return {element.name: element for element in elements}


def _header(head: list[bytes]) -> tuple[str, list[Element]]:
    order, elements = None, list[Element]()
    for line in head:
        words = line.decode("ascii", errors="replace").split()
        if words[0] == "format":
            if len(words) < 2 or words[1] not in _ORDERS:
                raise ValueError(tr("its format is not known: {line}", line=" ".join(words[:3])))
            order = _ORDERS[words[1]]
        elif words[0] == "element":
            elements.append(Element(words[1], int(words[2])))
        elif words[0] == "property":
            if not elements:
                raise ValueError(tr("it has a property before any element"))
            kinds = words[2:4] if words[1] == "list" else words[1:2]
            if not kinds or any(kind not in _TYPES for kind in kinds):
                raise ValueError(tr("it has a type that is not known: {line}", line=" ".join(words[:5])))
            many = _TYPES[kinds[0]] if len(kinds) == 2 else ""
            elements[-1].properties.append(_Property(words[-1], _TYPES[kinds[-1]], many))
    if order is None:
        raise ValueError(tr("it does not say its format"))
    return order, elements


def _read_words(element: Element, words: F64, at: int) -> int:
    """Read an element's rows from numbers that were written as words; where the next begins."""
    is_list = np.array([bool(one.count) for one in element.properties], np.uint8)
    starts, counts, end = _walk_words(words, at, element.rows, is_list)
    if end < 0:
        raise ValueError(tr("its rows of '{name}' end early", name=element.name))
    for number, one in enumerate(element.properties):
        if one.count:
            items = words[_all_of(starts[:, number], counts[:, number], 1)]
            element.columns[one.name] = Lists(counts[:, number], items.astype(one.kind))
        else:
            element.columns[one.name] = words[starts[:, number]].astype(one.kind)
    return int(end)


def _read_bytes(element: Element, data: U8, at: int, order: str) -> int:
    """The same from bytes."""
    sizes = np.array([int(one.kind[1]) for one in element.properties], np.int64)
    many = np.array([int(one.count[1]) if one.count else 0 for one in element.properties], np.int64)
    starts, counts, end = _walk_bytes(data, at, element.rows, sizes, many, order == "<")
    if end < 0:
        raise ValueError(tr("its rows of '{name}' end early", name=element.name))
    for number, one in enumerate(element.properties):
        size = int(sizes[number])
        if one.count:
            length = counts[:, number]
            places = _all_of(starts[:, number], length * size, 1)
            items = data[places].view(order + one.kind) if len(places) else np.zeros(0, one.kind)
            element.columns[one.name] = Lists(length, items.astype(one.kind))
        else:
            places = (starts[:, number, None] + np.arange(size)).reshape(-1)
            element.columns[one.name] = data[places].view(order + one.kind).astype(one.kind)
    return int(end)


def _all_of(starts: I64, counts: I64, step: int) -> I64:
    """Every place of runs that begin at ``starts`` and are ``counts`` long."""
    first = np.repeat(starts - np.concatenate([[0], np.cumsum(counts)[:-1]]) * step, counts)
    return np.asarray(first + np.arange(int(counts.sum())) * step, np.int64)


@kernel
def _walk_words(words: F64, at: int, rows: int, is_list: U8) -> tuple[I64, I64, int]:
    """Where each property of each row begins, how long its list is, and where all ends (−1: too early)."""
    starts = np.zeros((rows, len(is_list)), np.int64)
    counts = np.zeros((rows, len(is_list)), np.int64)
    for row in range(rows):
        for k in range(len(is_list)):
            if at >= len(words):
                return starts, counts, -1
            if is_list[k]:
                count = int(words[at])
                at += 1
                if count < 0 or count > len(words) - at:
                    return starts, counts, -1
                counts[row, k] = count
                starts[row, k] = at
                at += count
            else:
                starts[row, k] = at
                at += 1
    return starts, counts, at


@kernel
def _walk_bytes(data: U8, at: int, rows: int, sizes: I64, many: I64, little: bool) -> tuple[I64, I64, int]:
    """The same for bytes; ``many`` are the sizes of lists' lengths, 0 for single numbers."""
    starts = np.zeros((rows, len(sizes)), np.int64)
    counts = np.zeros((rows, len(sizes)), np.int64)
    for row in range(rows):
        for k in range(len(sizes)):
            length = 1
            if many[k] > 0:
                if at + many[k] > len(data):
                    return starts, counts, -1
                length = 0
                for b in range(many[k]):
                    place = at + many[k] - 1 - b if little else at + b
                    length = (length << 8) | data[place]
                at += many[k]
                counts[row, k] = length
            starts[row, k] = at
            if length < 0 or length > (len(data) - at) // sizes[k]:
                return starts, counts, -1
            at += length * sizes[k]
    return starts, counts, at


def write_rows(vertex: Mapping[str, Array], faces: I64) -> bytes:
    """A binary little-endian file: columns of points (float32 or uint8), and triangles (N, 3)."""
    names = {"f4": "float", "u1": "uchar"}
    kinds = {name: values.dtype.str[1:] for name, values in vertex.items()}
    count = len(next(iter(vertex.values())))
    head = ["ply", "format binary_little_endian 1.0", f"element vertex {count}"]
    head += [f"property {names[kind]} {name}" for name, kind in kinds.items()]
    head += [f"element face {len(faces)}", "property list uchar int vertex_indices", "end_header", ""]
    points = np.empty(count, [(name, "<" + kind) for name, kind in kinds.items()])
    for name, values in vertex.items():
        points[name] = values
    rows = np.empty(len(faces), [("count", "u1"), ("corners", "<i4", (3,))])
    rows["count"], rows["corners"] = 3, faces
    return "\n".join(head).encode() + points.tobytes() + rows.tobytes()
