"""GLSL sources, read by name."""

from importlib import resources


def source(name: str) -> str:
    """The text of a shader file of this folder."""
    return (resources.files(__name__) / name).read_text(encoding="utf-8")
