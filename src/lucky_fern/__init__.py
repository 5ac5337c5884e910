"""Lucky Fern: a texture painter for game mods and user-made items."""

__version__ = "0.1.0"
