"""SVG drawings rendered in a process of their own.

The package that renders them holds the interpreter all the while, a tenth of a second for a large one: a window would
stand still. This file is also what that process runs; there it knows nothing of the rest of the program.
"""

from __future__ import annotations

import atexit
import json
import signal
import subprocess
import sys
import threading
from typing import Any, BinaryIO

from lucky_fern.words import tr

_LENGTH = 8  # bytes that say how many follow
_MOMENT = 2.0  # seconds in which a process that ended by itself is gone
_FELL_OVER = (signal.SIGSEGV, signal.SIGABRT, signal.SIGBUS, signal.SIGILL)
_FAILED = "a drawing could not be rendered"


def render(drawing: dict[str, Any]) -> bytes:
    """A drawing as PNG.

    Parameters
    ----------
    drawing : what ``resvg_py.svg_to_bytes`` takes, as plain data.

    Raises
    ------
    ValueError
        If it is no drawing.
    """
    return _HELPER.render(drawing) if _HELPER.wanted else _rendered(drawing)


def render_apart() -> None:
    """From now on have drawings rendered in another process; the first one starts it."""
    _HELPER.begin()


def _rendered(drawing: dict[str, Any]) -> bytes:
    import resvg_py

    return bytes(resvg_py.svg_to_bytes(**drawing))


class Helper:
    """The other process. Whatever happens to it, drawings are rendered: here, if need be."""

    def __init__(self) -> None:
        self.wanted = False
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None

    def begin(self) -> None:
        """Have it do what there is to render."""
        self.wanted = True

    def end(self) -> None:
        """Stop it; drawings are rendered here again."""
        with self._lock:
            self.wanted = False
            if self._process is not None:
                self._process.kill()
            self._drop()

    @property
    def pid(self) -> int | None:
        """The number of the process, while there is one."""
        return None if self._process is None else self._process.pid

    def render(self, drawing: dict[str, Any]) -> bytes:
        """As :func:`render`, there."""
        with self._lock:
            try:
                self._start()
                assert self._process is not None and self._process.stdin is not None
                assert self._process.stdout is not None
                _send(self._process.stdin, json.dumps(drawing).encode())
                good, answer = self._process.stdout.read(1), _receive(self._process.stdout)
            except (OSError, EOFError):
                code = self._drop()
                good, answer = b"", b""
                if code is not None and -code in _FELL_OVER:
                    raise ValueError(tr("the renderer falls over it")) from None
        if good == b"+":
            return answer
        if good == b"-":
            raise ValueError(answer.decode())
        return _rendered(drawing)

    def _start(self) -> None:
        if self._process is not None and self._process.poll() is not None:
            self._drop()
        if self._process is None:
            command = [sys.executable, "-P", __file__]
            self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE)

    def _drop(self) -> int | None:
        """Be rid of it; how it ended, if it had ended by itself."""
        process, self._process = self._process, None
        if process is None:
            return None
        try:
            code: int | None = process.wait(_MOMENT)
        except subprocess.TimeoutExpired:
            code = None
        process.kill()
        process.communicate()
        return code


def _send(to: BinaryIO | Any, data: bytes) -> None:
    to.write(len(data).to_bytes(_LENGTH, "little") + data)
    to.flush()


def _receive(source: BinaryIO | Any) -> bytes:
    """What was sent; EOFError if there is no more."""
    head = source.read(_LENGTH)
    if len(head) < _LENGTH:
        raise EOFError
    length = int.from_bytes(head, "little")
    data: bytes = source.read(length)
    if len(data) < length:
        raise EOFError
    return data


def _serve() -> None:
    """Render what comes in until nothing comes any more."""
    source, out = sys.stdin.buffer, sys.stdout.buffer
    while True:
        try:
            drawing = json.loads(_receive(source))
        except EOFError:
            return
        try:
            good, answer = b"+", _rendered(drawing)
        except ValueError as error:
            good, answer = b"-", (str(error) or _FAILED).encode()
        out.write(good)
        _send(out, answer)


_HELPER = Helper()
atexit.register(_HELPER.end)

if __name__ == "__main__":
    _serve()
