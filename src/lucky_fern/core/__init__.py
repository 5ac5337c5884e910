"""Computes: arrays, project, commands. Knows neither Qt nor a graphics card."""
