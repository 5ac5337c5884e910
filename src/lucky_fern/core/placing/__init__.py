"""Placing pictures onto the surface."""
