"""Painting by hand: strokes over the surface, and the pixels that they leave."""
