"""Geometry: reading model files into arrays."""
