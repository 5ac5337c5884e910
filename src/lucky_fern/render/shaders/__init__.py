"""GLSL sources, read by name."""

import re
from importlib import resources

_INCLUDE = re.compile(r'^#include "([a-z_.]+)"$', re.MULTILINE)


def source(name: str) -> str:
    """The text of a shader file of this folder; ``#include "file"`` on a line stands for that file's text."""
    text = (resources.files(__name__) / name).read_text(encoding="utf-8")
    return _INCLUDE.sub(lambda found: source(found[1]), text)
