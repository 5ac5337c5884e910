"""Draws with moderngl: cameras, textures and scenes. Knows no window."""
